// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/scanner.h"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <thread>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/scan/walk.h"

namespace kurvo {

std::string ScanProgress::currentFolder() const
{
    const std::lock_guard lock(mutex_);
    return current_;
}

Result<ScanResult> scan(const std::string& path, const ScanOptions& options, std::stop_token stop,
                        ScanProgress* progress)
{
    const auto begin = std::chrono::steady_clock::now();
    auto real = canonicalPath(path);
    if (!real)
        return real.error();
    UniqueFd root(::open(real->c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!root)
        return systemError("scan", *real, errno);
    EntryStat rootStat;
    if (const int error = statEntry(root.get(), "", rootStat); error != 0)
        return systemError("scan", *real, error);

    ScanResult result;
    result.started = currentTime();
    auto store = std::make_shared<NodeStore>(*real);
    {
        NodeStore::NameWriter names(*store);
        store->setRoot(rootStat, names);
    }
    ScanProgress unseen;
    ScanProgress& reported = progress ? *progress : unseen;
    const unsigned threads = options.threads != 0 ? std::min(options.threads, 256u)
                                                  : std::clamp(std::thread::hardware_concurrency(), 1u, 16u);
    Walk walk(*store, options, stop, reported);
    walk.run(std::move(root), rootStat, threads);
    store->seal();
    if (walk.tooMany)
        return Error{ErrorKind::Unsupported, *real, 0,
                     displayText(*real) + " has more than 4 billion entries, which is more than one scan can hold. "
                                          "Scan its folders one by one."};

    result.tree = std::make_shared<FileTree>(std::move(store));
    result.unreadable = reported.unreadable();
    result.unreadableList = std::move(walk.unreadableList);
    result.stopped = stop.stop_requested();
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count();
    return result;
}

} // namespace kurvo
