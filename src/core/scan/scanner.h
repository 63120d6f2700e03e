// SPDX-License-Identifier: GPL-3.0-or-later
// The scan of a place: reads every folder below it, in parallel, into a FileTree.
//
// Everything happens relative to open folders (openat, statx, getdents64), so that neither the length of a path nor a
// folder that is swapped for a link can lead it astray; symbolic links are never followed. Each worker goes depth first
// through a queue of its own and gives away its oldest half when another is idle: folders stay few in number while
// open, and the subtrees given away are the big ones. One shared queue was dropped: its lock is taken for every folder.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <mutex>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

struct ScanOptions {
    unsigned threads = 0;     ///< 0: as many as there are processors
    bool crossMounts = false; ///< go through other mounts; never into pseudo filesystems or the same device twice
    std::vector<std::string> exclude; ///< globs (fnmatch); with a '/' they match the whole path, else the name
};

/// How far a scan has come. Written by the scan, may be read from any thread at any time.
class ScanProgress {
public:
    std::uint64_t entries() const { return entries_.load(std::memory_order_relaxed); }
    std::uint64_t diskBytes() const { return disk_.load(std::memory_order_relaxed); }
    std::uint64_t unreadable() const { return unreadable_.load(std::memory_order_relaxed); }
    /// A folder that was read a moment ago; bytes.
    std::string currentFolder() const;

private:
    friend class Walk;
    std::atomic<std::uint64_t> entries_{0};
    std::atomic<std::uint64_t> disk_{0};
    std::atomic<std::uint64_t> unreadable_{0};
    mutable std::mutex mutex_;
    std::string current_;
};

struct Unreadable {
    std::string path; ///< bytes
    int sysError = 0;
};

struct ScanResult {
    std::shared_ptr<const FileTree> tree;
    std::uint64_t unreadable = 0;           ///< folders and entries that could not be read
    std::vector<Unreadable> unreadableList; ///< the first 10,000 of them, by path
    bool stopped = false;                   ///< ended by the stop token: folders with FlagUnfinished were not read
    double seconds = 0;                     ///< wall time
    std::int64_t started = 0;               ///< UTC seconds
};

/// Scans the folder at `path` (links in the path itself are resolved first). An entry that vanishes while the scan runs
/// is left out; a folder that cannot be read is flagged and counted. Fails only when `path` itself is not a readable
/// folder. Blocks; call it off the interface thread.
Result<ScanResult> scan(const std::string& path, const ScanOptions& options = {}, std::stop_token stop = {},
                        ScanProgress* progress = nullptr);

} // namespace kurvo
