// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/ahead.h"

#include <exception>
#include <system_error>
#include <thread>

#include "core/direct/ext4_folder.h"
#include "core/direct/read_ahead.h"

namespace kurvo {

Ahead::Ahead(std::shared_ptr<const Ext4Drive> drive, std::chrono::milliseconds patience, ScanProgress& scan)
    : drive_(std::move(drive)), patience_(patience), scan_(&scan)
{
    moved_ = std::chrono::steady_clock::now().time_since_epoch().count();
}

std::shared_ptr<Ahead> Ahead::begin(std::shared_ptr<const Ext4Drive> drive, const ScanOptions& options,
                                    ScanProgress& scan)
{
    if (!drive || tablesAreCached(*drive))
        return nullptr;
    const std::shared_ptr<Ahead> ahead(new Ahead(std::move(drive), options.patience, scan));
    ahead->progress_.isHeld = [self = ahead.get()] { return self->tellAndAsk(); };
    try {
        std::thread([ahead] {
            try {
                readAhead(*ahead->drive_, ahead->progress_, ahead->stop_.get_token());
            } catch (const std::exception&) { // no memory: others are just not helped
            }
            ahead->tellAndAsk();
            const std::lock_guard lock(ahead->mutex_);
            ahead->over_ = true;
            ahead->ended_.notify_all();
        }).detach();
    } catch (const std::system_error&) {
        return nullptr;
    }
    return ahead;
}

/// Tells the scan how far this is; true while it is held.
bool Ahead::tellAndAsk()
{
    const std::lock_guard lock(mutex_);
    if (!scan_)
        return false;
    scan_->hearAhead({progress_.done, progress_.of});
    return scan_->isPaused();
}

/// Not over, and not without headway for too long.
bool Ahead::goesOn()
{
    if (over_)
        return false;
    const auto now = std::chrono::steady_clock::now().time_since_epoch();
    const auto done = progress_.done.load();
    if (done_.exchange(done) != done)
        moved_ = now.count();
    return now - std::chrono::steady_clock::duration(moved_.load()) < patience_;
}

bool Ahead::endsWithin(std::chrono::milliseconds time)
{
    std::unique_lock lock(mutex_);
    return ended_.wait_for(lock, time, [this] { return over_.load(); });
}

void Ahead::waitFor(Part part, std::optional<std::chrono::milliseconds> most, const std::stop_token& stop)
{
    constexpr std::chrono::milliseconds look{5};
    for (auto waited = std::chrono::milliseconds(0); (!most || waited < *most) && !stop.stop_requested();
         waited += look) {
        if (tellAndAsk())
            moved_ = std::chrono::steady_clock::now().time_since_epoch().count();
        if (!goesOn() || (part == Part::Tables && progress_.tablesDone) || endsWithin(look))
            return;
    }
}

std::uint64_t Ahead::comesFrom(const Ext4Inode& folder)
{
    if (!goesOn())
        return 0;
    std::uint64_t at = 0;
    forFirstRuns(*drive_, folder, [&](const BlockRun& run) {
        if (at == 0)
            at = run.first * drive_->blockSize();
    });
    return at < progress_.foldersUpTo ? 0 : at;
}

void Ahead::end()
{
    stop_.request_stop();
    {
        const std::lock_guard lock(mutex_);
        scan_ = nullptr;
    }
    endsWithin(std::chrono::milliseconds(500));
}

} // namespace kurvo
