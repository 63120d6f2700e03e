// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/scanner.h"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <new>
#include <system_error>
#include <thread>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/direct/direct_access.h"
#include "core/direct/read_ahead.h"
#include "core/platform/folders.h"
#include "core/scan/direct_check.h"
#include "core/scan/walk.h"

namespace kurvo {

std::string ScanProgress::currentFolder() const
{
    const Lock lock(mutex_);
    return current_;
}

std::shared_ptr<const NodeStore> ScanProgress::store() const
{
    const Lock lock(mutex_);
    return store_;
}

void ScanProgress::beginAgain()
{
    entries_ = 0;
    disk_ = 0;
    unreadable_ = 0;
}

void ScanProgress::hear(std::uint64_t entries, std::uint64_t diskBytes, const std::string& folder,
                        std::shared_ptr<const NodeStore> store)
{
    entries_ = entries;
    disk_ = diskBytes;
    const Lock lock(mutex_);
    current_ = folder;
    if (store)
        store_ = std::move(store);
}

void ScanProgress::setPaused(bool paused)
{
    const Lock lock(mutex_);
    paused_ = paused;
    resumed_.notify_all();
}

namespace {

struct Root {
    std::string path;
    UniqueFd folder;
};

Result<Root> openRoot(const std::string& path)
{
    auto real = canonicalPath(path);
    if (!real)
        return real.error();
    Root root{*real, UniqueFd(::open(real->c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC))};
    if (!root.folder)
        return systemError("scan", *real, errno);
    return root;
}

} // namespace

Result<ScanResult> scan(const std::string& path, const ScanOptions& options, std::stop_token stop,
                        ScanProgress* progress)
{
    auto root = askWithin(options.patience, [path] { return openRoot(path); });
    if (!root)
        return systemError("scan", path, ETIMEDOUT);
    if (!*root)
        return root->error();
    return scanOpenFolder(std::move((*root)->folder), (*root)->path, options, stop, progress);
}

namespace {

/// Brings the tables and folders into memory. Others are to read them when that has ended; where the disk need not seek
/// they begin when the tables are there, which is faster, or after a moment, so that there is something to see. A disk
/// that does not answer is left behind.
class Ahead {
public:
    Ahead(std::shared_ptr<const Ext4Drive> drive, bool wait, std::chrono::milliseconds patience,
          const std::stop_token& stop)
    {
        if (!drive || tablesAreCached(*drive))
            return;
        try {
            std::thread([shared = shared_, drive = std::move(drive)] {
                try {
                    readAhead(*drive, shared->progress, shared->stop.get_token());
                } catch (const std::exception&) { // no memory: others are just not helped
                }
                const std::lock_guard lock(shared->mutex);
                shared->over = true;
                shared->changed.notify_all();
            }).detach();
        } catch (const std::system_error&) {
            return;
        }
        running_ = true;
        constexpr std::chrono::milliseconds moment{700}, look{10};
        auto done = shared_->progress.done.load();
        for (auto still = std::chrono::milliseconds(0), all = still; still < patience && (wait || all < moment);
             still += look, all += look) {
            if (endsWithin(look) || stop.stop_requested() || (!wait && shared_->progress.tablesDone))
                return;
            const auto now = shared_->progress.done.load();
            if (now != done)
                still = {};
            done = now;
        }
    }
    ~Ahead()
    {
        shared_->stop.request_stop();
        if (running_)
            endsWithin(std::chrono::milliseconds(500));
    }
    Ahead(const Ahead&) = delete;
    Ahead& operator=(const Ahead&) = delete;

private:
    struct Shared {
        TablePassProgress progress;
        std::stop_source stop;
        std::mutex mutex;
        std::condition_variable changed;
        bool over = false;
    };
    bool endsWithin(std::chrono::milliseconds time)
    {
        std::unique_lock lock(shared_->mutex);
        return shared_->changed.wait_for(lock, time, [this] { return shared_->over; });
    }

    std::shared_ptr<Shared> shared_ = std::make_shared<Shared>();
    bool running_ = false;
};

/// The sample must not hang where the drive has stopped to answer: then it is a problem like another.
std::string sampleProblem(int root, const std::shared_ptr<const NodeStore>& store,
                          const std::shared_ptr<const DirectAccess>& access, const ScanOptions& options,
                          const std::stop_token& stop)
{
    const auto fd = std::make_shared<UniqueFd>(::fcntl(root, F_DUPFD_CLOEXEC, 0));
    return askWithin(2 * options.patience, [=] { return checkSample(fd->get(), *store, *access, options, stop); })
        .value_or("The drive did not answer when it was asked for a sample.");
}

Result<ScanResult> scanFrom(UniqueFd folder, const std::string& path, const ScanOptions& options, std::stop_token stop,
                            ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    EntryStat rootStat;
    if (const int error = statEntry(folder.get(), "", rootStat); error != 0)
        return systemError("scan", path, error);
    ScanResult result;
    result.started = currentTime();
    std::shared_ptr<const DirectAccess> direct;
    if (options.method != ScanMethod::Walk) {
        auto access = accessDirectly(folder.get(), path, rootStat, options.devices.get(), options.patience);
        if (access)
            direct = std::make_shared<DirectAccess>(std::move(*access));
        else if (options.method == ScanMethod::Tables)
            return access.error();
        else
            result.methodReason = access.error().sentence;
    } else {
        result.methodReason = "Asked for.";
    }
    ScanProgress unseen;
    ScanProgress& reported = progress ? *progress : unseen;
    std::shared_ptr<Walk> walk;
    std::shared_ptr<NodeStore> store;
    const auto read = [&](UniqueFd root) {
        store = std::make_shared<NodeStore>(path);
        {
            NodeStore::NameWriter names(*store);
            store->setRoot(rootStat, names);
        }
        reported.beginAgain();
        walk = std::make_shared<Walk>(store, options, stop, reported, direct);
        walk->run(std::move(root), rootStat);
    };

    if (direct) {
        const Ahead ahead(direct->wholeDrive ? direct->drive : nullptr, direct->rotational, options.patience, stop);
        read(UniqueFd(::fcntl(folder.get(), F_DUPFD_CLOEXEC, 0)));
        const bool ended = stop.stop_requested() || walk->driveGone || walk->outOfMemory || walk->tooMany;
        const auto problem = ended ? std::string() : sampleProblem(folder.get(), store, direct, options, stop);
        result.direct = problem.empty();
        result.methodReason = problem.empty() ? "The drive's own tables were read." : problem;
        direct.reset();
        if (!result.direct && !ended && options.method == ScanMethod::Tables)
            return Error{ErrorKind::Unsupported, path, 0, problem};
        result.direct |= ended;
    }
    if (!result.direct) {
        if (options.method != ScanMethod::Walk)
            const Ahead ahead(seekingDrive(path, rootStat, options.devices.get()), true, options.patience, stop);
        read(std::move(folder));
    }
    if (walk->tooMany)
        return Error{ErrorKind::Unsupported, path, 0,
                     displayText(path) + " has more than 4 billion entries, which is more than one scan can hold. "
                                         "Scan its folders one by one."};
    walk->releaseReserve();
    store->seal();
    result.tree = std::make_shared<FileTree>(std::move(store));
    result.unreadable = reported.unreadable();
    result.unreadableList = std::move(walk->unreadableList);
    result.driveGone = walk->driveGone;
    result.outOfMemory = walk->outOfMemory;
    result.stopped = stop.stop_requested() || walk->driveGone || walk->outOfMemory;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return result;
}

} // namespace

Result<ScanResult> scanOpenFolder(UniqueFd folder, const std::string& path, const ScanOptions& options,
                                  std::stop_token stop, ScanProgress* progress)
{
    try {
        return scanFrom(std::move(folder), path, options, stop, progress);
    } catch (const std::bad_alloc&) {
    } catch (const std::system_error&) { // no thread could be started
    }
    return Error{ErrorKind::System, path, ENOMEM,
                 "There is not enough memory to scan " + displayText(path) +
                     ". Close other programs, or scan one of its "
                     "folders."};
}

} // namespace kurvo
