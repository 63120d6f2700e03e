// SPDX-License-Identifier: GPL-3.0-or-later
// The scan of a place: reads every folder below it, in parallel, into a FileTree.
//
// Everything happens relative to open folders (openat, statx, getdents64), so that neither the length of a path nor a
// folder that is swapped for a link can lead it astray; symbolic links are never followed. Each worker goes depth first
// through a queue of its own and gives away its oldest half when another is idle: folders stay few in number while
// open, and the subtrees given away are the big ones. One shared queue was dropped: its lock is taken for every folder.
//
// The root of an ext4 drive is read from its own tables where rights allow that (core/direct): the same workers take
// what is in a folder from there, and ask the kernel wherever the tables cannot be believed.
//
// The number of workers follows the disk: as many as processors while all is in memory, more as soon as they mostly
// wait. One that hangs in a system call is left behind, and what it hung on is reported.
#pragma once

#include <atomic>
#include <chrono>
#include <condition_variable>
#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/locks.h"
#include "core/base/result.h"
#include "core/direct/drive_account.h"
#include "core/platform/unique_fd.h"
#include "core/tree/file_tree.h"

namespace kurvo {

class OpenDevices;

/// Asking the kernel for each entry, or reading the drive's own tables (docs/direct.md).
enum class ScanMethod {
    Best,
    Walk,
    Tables ///< fails, with the reason, where they cannot be read
};

struct ScanOptions {
    ScanMethod method = ScanMethod::Best;
    std::shared_ptr<const OpenDevices> devices; ///< opened before rights were given up; null: root opens them itself
    unsigned threads = 0;                       ///< 0: as many as help
    bool crossMounts = false; ///< go through other mounts; never into pseudo filesystems or the same device twice
    bool background = false;  ///< give way to other threads: somebody works in a window meanwhile
    std::vector<std::string> exclude; ///< globs (fnmatch); with a '/' they match the whole path, else the name
    /// After so long without an answer from the kernel a folder is given up (ETIMEDOUT).
    std::chrono::milliseconds patience{15000};
};

/// Bytes of a drive's own tables and folders that are read ahead (docs/direct.md).
struct AheadBytes {
    std::uint64_t done = 0;
    std::uint64_t of = 0; ///< 0: none are; may be corrected when the tables are known
};

/// How far a scan has come, and the way to hold it. Written by the scan; everything here is for any thread at any time.
class ScanProgress {
public:
    std::uint64_t entries() const { return entries_.load(std::memory_order_relaxed); }
    /// Bytes on disk, a file with several links once.
    std::uint64_t diskBytes() const { return disk_.load(std::memory_order_relaxed); }
    std::uint64_t unreadable() const { return unreadable_.load(std::memory_order_relaxed); }
    AheadBytes ahead() const { return {aheadDone_.load(), aheadOf_.load()}; }
    unsigned threads() const { return threads_.load(std::memory_order_relaxed); }
    /// A folder that was read a moment ago; bytes.
    std::string currentFolder() const;
    /// What grows; null before the scan has begun. See GrowingTree.
    std::shared_ptr<const NodeStore> store() const;

    /// Holds the scan after the folders that are just being read, and lets it go on.
    void setPaused(bool paused);
    bool isPaused() const { return paused_.load(std::memory_order_relaxed); }
    /// For a scan that starts over with another method.
    void beginAgain();
    /// For a scan that somebody else makes: what was heard of it.
    void hear(std::uint64_t entries, std::uint64_t diskBytes, const std::string& folder,
              std::shared_ptr<const NodeStore> store = {});
    void hearAhead(AheadBytes bytes)
    {
        aheadDone_ = bytes.done;
        aheadOf_ = bytes.of;
    }

private:
    friend class Walk;
    std::atomic<std::uint64_t> entries_{0};
    std::atomic<std::uint64_t> disk_{0};
    std::atomic<std::uint64_t> unreadable_{0};
    std::atomic<std::uint64_t> aheadDone_{0}, aheadOf_{0};
    std::atomic<unsigned> threads_{0};
    std::atomic<bool> paused_{false};
    mutable Mutex mutex_;
    std::condition_variable resumed_;
    std::string current_ KURVO_GUARDED_BY(mutex_);
    std::shared_ptr<const NodeStore> store_ KURVO_GUARDED_BY(mutex_);
};

struct Unreadable {
    std::string path; ///< bytes
    int sysError = 0; ///< errno; ETIMEDOUT for what did not answer
};

struct ScanResult {
    std::shared_ptr<const FileTree> tree;
    bool direct = false;                    ///< read from the drive's own tables
    std::string methodReason;               ///< why so, as a sentence
    std::optional<DriveAccount> account;    ///< of all that the tables have, where the helper read them
    std::uint64_t unreadable = 0;           ///< folders and entries that could not be read
    std::vector<Unreadable> unreadableList; ///< the first 10,000 of them, by path
    bool stopped = false;                   ///< ended early: folders with FlagUnfinished were not read
    bool driveGone = false;                 ///< ended early because the drive failed or was taken away
    bool outOfMemory = false;               ///< ended early because there was no memory to hold more
    double seconds = 0;                     ///< wall time
    std::int64_t started = 0;               ///< UTC seconds
};

/// Scans the folder at `path` (links in the path itself are resolved first). An entry that vanishes while the scan runs
/// is left out; a folder that cannot be read is flagged and counted. Fails only when of `path` itself nothing can
/// be read. Blocks; call it off the interface thread.
Result<ScanResult> scan(const std::string& path, const ScanOptions& options = {}, std::stop_token stop = {},
                        ScanProgress* progress = nullptr);

/// Scans a folder that is already open for reading, and calls it `path` in the tree.
Result<ScanResult> scanOpenFolder(UniqueFd folder, const std::string& path, const ScanOptions& options = {},
                                  std::stop_token stop = {}, ScanProgress* progress = nullptr);

} // namespace kurvo
