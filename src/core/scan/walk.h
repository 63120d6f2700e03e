// SPDX-License-Identifier: GPL-3.0-or-later
// The workers behind scan(): internal to core/scan.
#pragma once

#include <condition_variable>
#include <deque>
#include <set>

#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"
#include "core/scan/scanner.h"

namespace kurvo {

/// An open folder, shared by the children that still have to be opened from it.
struct OpenFolder {
    OpenFolder(UniqueFd f, std::atomic<int>& counter) : fd(std::move(f)), open(counter) { ++open; }
    ~OpenFolder() { --open; }
    UniqueFd fd;
    std::atomic<int>& open;
};

class Walk {
public:
    Walk(NodeStore& store, const ScanOptions& options, std::stop_token stop, ScanProgress& progress);

    /// Reads everything below the root, which is open as `root` and described by `rootStat`.
    void run(UniqueFd root, const EntryStat& rootStat, unsigned threads);

    std::vector<Unreadable> unreadableList;
    std::atomic<bool> tooMany{false}; ///< the 32-bit ids ran out

private:
    struct Item {
        NodeId node = rootNode;
        std::shared_ptr<OpenFolder> parent; ///< null: to be opened from the root, component by component
    };
    struct Worker {
        explicit Worker(NodeStore& store) : names(store) { }
        NodeStore::NameWriter names;
        FolderReader reader;
        std::deque<Item> queue;
        std::vector<NewNode> entries;
        std::string nameBytes;
        std::vector<std::uint32_t> nameEnds;
    };

    void work(Worker& worker);
    bool take(Worker& worker, Item& item);
    void share(Worker& worker);
    void readFolder(Worker& worker, const Item& item);
    UniqueFd openItem(const Item& item, int& error) const;
    UniqueFd openFromRoot(NodeId node, int& error) const;
    void readEntries(Worker& worker, int fd, NodeId folder);
    bool isExcluded(NodeId folder, const char* name) const;
    bool mayEnter(const EntryStat& stat) const;
    void noteUnreadable(NodeId node, const char* name, int error);
    void publishCurrent(NodeId node);

    NodeStore& store_;
    const ScanOptions& options_;
    std::stop_token stop_;
    ScanProgress& progress_;
    std::shared_ptr<OpenFolder> root_;
    EntryStat rootStat_;
    std::set<std::uint64_t> otherMounts_; ///< mount ids that may be entered; filled once, before the workers start
    int openLimit_ = 256;
    std::atomic<int> openFolders_{0};

    std::mutex mutex_; // guards the three below
    std::condition_variable changed_;
    std::vector<Item> shared_;
    unsigned idle_ = 0;
    std::atomic<bool> someoneIdle_{false};
    unsigned threads_ = 1;
    std::atomic<std::int64_t> nextPublish_{0};
    std::mutex unreadableMutex_;
};

} // namespace kurvo
