// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/scanner.h"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <new>
#include <system_error>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/folders.h"
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

Result<ScanResult> scanFrom(UniqueFd folder, const std::string& path, const ScanOptions& options, std::stop_token stop,
                            ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    EntryStat rootStat;
    if (const int error = statEntry(folder.get(), "", rootStat); error != 0)
        return systemError("scan", path, error);
    ScanResult result;
    result.started = currentTime();
    auto store = std::make_shared<NodeStore>(path);
    {
        NodeStore::NameWriter names(*store);
        store->setRoot(rootStat, names);
    }
    ScanProgress unseen;
    ScanProgress& reported = progress ? *progress : unseen;
    const auto walk = std::make_shared<Walk>(store, options, stop, reported);
    walk->run(std::move(folder), rootStat);
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
