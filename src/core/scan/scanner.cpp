// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/scanner.h"

#include <fcntl.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <chrono>
#include <new>
#include <system_error>
#include <thread>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/team.h"
#include "core/base/text.h"
#include "core/direct/direct_access.h"
#include "core/platform/folders.h"
#include "core/scan/ahead.h"
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
    std::shared_ptr<Ahead> ahead;
    const auto read = [&](UniqueFd root) {
        store = std::make_shared<NodeStore>(path);
        {
            NodeStore::NameWriter names(*store);
            store->setRoot(rootStat, names);
        }
        reported.beginAgain();
        walk = std::make_shared<Walk>(store, options, stop, reported, direct, ahead);
        walk->run(std::move(root), rootStat);
    };

    if (direct) {
        ahead = Ahead::begin(direct->wholeDrive ? direct->drive : nullptr, options, reported);
        const Ahead::Ending atItsEnd(ahead);
        constexpr std::chrono::milliseconds moment{700}; // then there is something to see
        if (ahead)
            ahead->waitFor(Ahead::Part::Tables, direct->rotational ? std::nullopt : std::optional(moment), stop);
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
        if (options.method != ScanMethod::Walk) {
            const auto first = Ahead::begin(seekingDrive(path, rootStat, options.devices.get()), options, reported);
            const Ahead::Ending atItsEnd(first);
            if (first)
                first->waitFor(Ahead::Part::All, std::nullopt, stop);
            else
                reported.hearAhead({});
        }
        ahead.reset();
        read(std::move(folder));
    }
    if (walk->tooMany)
        return Error{ErrorKind::Unsupported, path, 0,
                     displayText(path) + " has more than 4 billion entries, which is more than one scan can hold. "
                                         "Scan its folders one by one."};
    // With nothing in it, it would look like a place that is empty.
    if (const auto& list = walk->unreadableList; store->has(rootNode, FlagUnreadable) &&
                                                 store->childCount(rootNode) == 0 && !list.empty() &&
                                                 list.front().path == path)
        return systemError("scan", path, list.front().sysError);
    walk->releaseReserve();
    result.unreadable = reported.unreadable();
    result.unreadableList = std::move(walk->unreadableList);
    result.driveGone = walk->driveGone;
    result.outOfMemory = walk->outOfMemory;
    result.stopped = stop.stop_requested() || walk->driveGone || walk->outOfMemory;
    // To let go of a drive's tables takes half as long as the sums, which leave a processor of two idle at times.
    std::atomic<int> next{0};
    inTeam(2, [&] {
        if (next++ == 0) {
            store->seal();
            result.tree = std::make_shared<FileTree>(std::move(store));
        } else {
            walk.reset();
            ahead.reset();
        }
    });
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
