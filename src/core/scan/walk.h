// SPDX-License-Identifier: GPL-3.0-or-later
// The workers behind scan(): internal to core/scan.
#pragma once

#include <sys/types.h>

#include <cstdlib>
#include <deque>
#include <map>
#include <set>
#include <thread>
#include <utility>
#include <vector>

#include "core/base/locks.h"
#include "core/direct/direct_access.h"
#include "core/direct/ext4_folder.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"
#include "core/scan/scanner.h"

namespace kurvo {

class Ahead;

/// An open folder, shared by the children that still have to be opened from it.
struct OpenFolder {
    OpenFolder(UniqueFd f, std::shared_ptr<std::atomic<int>> counter) : fd(std::move(f)), open(std::move(counter))
    {
        ++*open;
    }
    ~OpenFolder() { --*open; }
    UniqueFd fd;
    std::shared_ptr<std::atomic<int>> open;
};

/// One scan. Held by shared_ptr: a worker that hangs in the kernel keeps what it may still touch, after the scan has
/// ended without it.
class Walk : public std::enable_shared_from_this<Walk> {
public:
    /// `direct`: the tables that hold what is in the folders; null: the kernel is asked. `ahead`: brings them into
    /// memory; folders that are still to come wait until they are there.
    Walk(std::shared_ptr<NodeStore> store, ScanOptions options, std::stop_token stop, ScanProgress& progress,
         std::shared_ptr<const DirectAccess> direct = {}, std::shared_ptr<Ahead> ahead = {});

    /// Reads everything below the root, which is open as `root` and described by `rootStat`. Returns when all is read,
    /// given up or stopped; workers that hang are left behind.
    void run(UniqueFd root, const EntryStat& rootStat);

    std::vector<Unreadable> unreadableList;
    std::atomic<bool> tooMany{false};   ///< the 32-bit ids ran out
    std::atomic<bool> driveGone{false}; ///< the device fails, or too much of it does not answer

    std::atomic<bool> outOfMemory{false};
    /// Gives back what was kept for the end, for summing up when memory is short.
    void releaseReserve() { reserve_.reset(); }

private:
    struct Item {
        NodeId node = noNode;
        std::shared_ptr<OpenFolder> parent;                ///< null: to be opened from the root, component by component
        std::shared_ptr<const std::set<std::string>> hung; ///< names in it that did not answer before
        std::shared_ptr<const Ext4Inode> inode;            ///< as the tables had it when it was met; may be null
    };
    struct Listed {
        std::uint64_t inode;
        std::uint32_t name; ///< offset into the names
        std::uint16_t length;
        bool isFolder;
    };
    struct Failure {
        std::string name; ///< empty: the folder itself
        int error;
    };
    /// Reading: in the kernel, may be left behind by the controller. Relieved: as Reading, while the controller takes
    /// what waits for this worker. Writing: changes what all share.
    enum class State { Reading, Relieved, Writing, LeftBehind };
    struct Worker {
        explicit Worker(NodeStore& store) : names(store) { }
        /// Only the worker itself writes it, so that no locked instruction is needed.
        void stepOn() { beat.store(beat.load(std::memory_order_relaxed) + 1, std::memory_order_relaxed); }
        NodeStore::NameWriter names;
        FolderReader reader;
        std::deque<Item> queue;
        std::vector<std::pair<std::uint64_t, Item>> later; ///< by where they lie: still to come into memory
        std::vector<NewNode> entries;
        std::vector<Listed> listed;
        std::string nameBytes;
        std::unique_ptr<Ext4Reader> tables;                    ///< null: the kernel is asked
        std::vector<std::uint64_t> inodes;                     ///< of what is listed, and of the folder itself
        std::vector<std::shared_ptr<const Ext4Inode>> folders; ///< by entry, where the tables told of one
        std::vector<Failure> failures;
        Item item;
        UniqueFd folder;

        std::atomic<State> state{State::Writing};
        std::atomic<std::uint64_t> beat{0};      ///< moves with every system call
        std::atomic<const char*> asked{nullptr}; ///< name being looked at; null while the folder itself is read
        std::thread thread;
        // The controller's own:
        std::uint64_t lastBeat = 0;
        std::chrono::steady_clock::time_point lastMove{};
        std::atomic<pid_t> tid{0};
        std::int64_t lastAwake = 0; ///< nanoseconds
    };

    void addWorkers(unsigned count);
    void control();
    void adapt(std::chrono::nanoseconds elapsed);
    void leaveHangingBehind(std::chrono::steady_clock::time_point now);
    void relieve(Worker& worker);
    void leaveBehind(Worker& worker);
    void handOver(Worker& worker) KURVO_REQUIRES(mutex_);
    void work(Worker& worker);
    bool take(Worker& worker);
    bool takeOwn(Worker& worker);
    bool takeArrived(Worker& worker) KURVO_REQUIRES(mutex_);
    void share(Worker& worker);
    bool readFolder(Worker& worker);
    bool tryReadFolder(Worker& worker);
    UniqueFd openItem(const Item& item, int& error) const;
    UniqueFd openFromRoot(NodeId node, int& error) const;
    bool openFolder(Worker& worker);
    bool readEntries(Worker& worker);
    bool listEntries(Worker& worker);
    static void clearListed(Worker& worker);
    bool askForEntry(Worker& worker, const Listed& listed);
    void sortListed(Worker& worker) const;
    enum class Read { Done, NotHere, LeftBehind };
    Read readFromTables(Worker& worker);
    void classify(Worker& worker) const;
    void keep(Worker& worker);
    void finishItem();
    bool mayEnter(const EntryStat& stat) const;
    void noteUnreadable(NodeId node, const std::string& name, int error);
    void publishCurrent(NodeId node);
    bool isEnding() const { return ending_.load(std::memory_order_relaxed) || stop_.stop_requested(); }
    static bool enter(Worker& worker, State from, State to) { return worker.state.compare_exchange_strong(from, to); }
    static bool endReading(Worker& worker);

    const std::shared_ptr<NodeStore> store_;
    const ScanOptions options_;
    const std::stop_token stop_;
    const std::shared_ptr<const DirectAccess> direct_;
    const std::shared_ptr<Ahead> ahead_;
    ScanProgress& progress_; ///< not touched by workers that were left behind
    std::shared_ptr<OpenFolder> root_;
    EntryStat rootStat_;
    std::set<std::uint64_t> otherMounts_; ///< mount ids that may be entered; filled once, before the workers start
    int openLimit_ = 256;
    unsigned mostThreads_ = 32;
    std::shared_ptr<std::atomic<int>> openFolders_ = std::make_shared<std::atomic<int>>(0);

    struct FreeDelete {
        void operator()(void* memory) const { std::free(memory); }
    };
    std::unique_ptr<void, FreeDelete> reserve_;    ///< never touched
    std::vector<std::shared_ptr<Worker>> workers_; ///< the controller's own
    unsigned leftBehind_ = 0;
    std::atomic<bool> ending_{false};
    std::atomic<unsigned> deviceErrors_{0}; ///< one after the other
    std::atomic<std::uint64_t> open_{1};    ///< folders that wait or are being read

    Mutex mutex_;
    std::condition_variable changed_;
    std::vector<Item> shared_ KURVO_GUARDED_BY(mutex_);
    std::multimap<std::uint64_t, Item> later_ KURVO_GUARDED_BY(mutex_); ///< as in Worker
    unsigned idle_ KURVO_GUARDED_BY(mutex_) = 0;
    std::atomic<bool> someoneIdle_{false};
    std::condition_variable done_; ///< with mutex_: open_ came to nothing
    std::atomic<std::int64_t> nextPublish_{0};
    Mutex unreadableMutex_; ///< of the list above
};

} // namespace kurvo
