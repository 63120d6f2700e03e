// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/scanner.h"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <chrono>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/scan/walk.h"

namespace kurvo {

std::string ScanProgress::currentFolder() const
{
    const std::lock_guard lock(mutex_);
    return current_;
}

std::shared_ptr<const NodeStore> ScanProgress::store() const
{
    const std::lock_guard lock(mutex_);
    return store_;
}

void ScanProgress::setPaused(bool paused)
{
    const std::lock_guard lock(mutex_);
    paused_ = paused;
    resumed_.notify_all();
}

namespace {

struct Root {
    std::string path;
    UniqueFd folder;
    EntryStat stat;
};

Result<Root> openRoot(const std::string& path)
{
    auto real = canonicalPath(path);
    if (!real)
        return real.error();
    Root root;
    root.path = *real;
    root.folder = UniqueFd(::open(real->c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!root.folder)
        return systemError("scan", *real, errno);
    if (const int error = statEntry(root.folder.get(), "", root.stat); error != 0)
        return systemError("scan", *real, error);
    return root;
}

} // namespace

Result<ScanResult> scan(const std::string& path, const ScanOptions& options, std::stop_token stop,
                        ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    auto answer = askWithin(options.patience, [path] { return openRoot(path); });
    if (!answer)
        return systemError("scan", path, ETIMEDOUT);
    if (!*answer)
        return answer->error();
    auto& root = **answer;

    ScanResult result;
    result.started = currentTime();
    auto store = std::make_shared<NodeStore>(root.path);
    {
        NodeStore::NameWriter names(*store);
        store->setRoot(root.stat, names);
    }
    ScanProgress unseen;
    ScanProgress& reported = progress ? *progress : unseen;
    const auto walk = std::make_shared<Walk>(store, options, stop, reported);
    walk->run(std::move(root.folder), root.stat);
    store->seal();
    if (walk->tooMany)
        return Error{ErrorKind::Unsupported, root.path, 0,
                     displayText(root.path) + " has more than 4 billion entries, which is more than one scan can hold. "
                                              "Scan its folders one by one."};

    result.tree = std::make_shared<FileTree>(std::move(store));
    result.unreadable = reported.unreadable();
    result.unreadableList = std::move(walk->unreadableList);
    result.driveGone = walk->driveGone;
    result.stopped = stop.stop_requested() || walk->driveGone;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return result;
}

} // namespace kurvo
