// SPDX-License-Identifier: GPL-3.0-or-later
// FileTree: a sealed NodeStore with its sums. Immutable and cheap to derive: taking items out gives a new tree over the
// same store with new sums, so node ids stay valid for everyone who holds one, and undo is the tree with fewer taken
// out. All views and threads share one tree through shared_ptr<const FileTree>.
//
// Figures are those of docs/figures.md: bytes on disk with folders' own blocks; a file with several links counted once,
// at the first of its paths in byte order.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/tree/node_store.h"

namespace kurvo {

/// Sums over everything below a folder, and the folder's own blocks.
struct FolderSums {
    std::uint64_t apparent = 0;
    std::uint64_t disk = 0;
    std::uint64_t hiddenDisk = 0;
    std::int64_t newest = INT64_MIN; ///< latest modification of anything below, UTC seconds; INT64_MIN when empty
    std::int64_t oldest = INT64_MAX; ///< earliest modification of a file below; INT64_MAX when there is none
    std::uint32_t files = 0;         ///< entries that are not folders
    std::uint32_t folders = 0;
    std::uint32_t hiddenFiles = 0;
    std::uint32_t unreadable = 0; ///< folders below, or itself, that could not be read

    /// Adds one entry that is no folder.
    void addFile(const NodeStore& store, NodeId file, bool counts);
    /// Adds what a folder itself is to its own sums.
    void addSelf(const NodeStore& store, NodeId folder);
    /// Adds the sums of a folder below,
    void addBelow(const FolderSums& below);
    /// and the folder as one more.
    void addFolder(const NodeStore& store, NodeId folder);
};

enum class Measure { Disk, Apparent, Files };

class FileTree {
public:
    /// `removed`: nodes that are gone with everything below them; ids of the same store, none the root.
    explicit FileTree(std::shared_ptr<const NodeStore> store, std::vector<NodeId> removed = {});
    /// Narrowed: only the entries of `whole` that are `wanted` (by id), and the folders on the way to them. A folder's
    /// own blocks count where it is wanted itself, and a file with several links where it counts in `whole`: so the
    /// sums are those of the wanted entries. One pass.
    FileTree(const FileTree& whole, const std::vector<bool>& wanted);
    /// What a scan has found so far: the part of a store that grows, with its sums (see GrowingTree).
    FileTree(std::shared_ptr<const NodeStore> store, StoreExtent extent, std::vector<FolderSums> sums);

    const NodeStore& store() const { return *store_; }
    /// How many rows of the store belong to this tree, taken out or not: ids are below.
    StoreExtent extent() const { return extent_; }
    /// The scan still runs: there is more to come.
    bool isGrowing() const { return growing_; }
    std::shared_ptr<const NodeStore> sharedStore() const { return store_; }
    const std::vector<NodeId>& removed() const { return removed_; }
    /// Holds but a part of what was scanned: not to be saved or planned by.
    bool isNarrowed() const { return narrowed_; }
    /// This node itself was taken out (not: lies below one that was).
    bool isRemoved(NodeId node) const;
    /// The node can be reached from the root.
    bool contains(NodeId node) const;

    /// Several places as one (joinTrees()): the root is no folder of a drive, and each in it is a place's root.
    bool isTogether() const { return store_->isTogether(); }
    /// The root, or the root of one of several places.
    bool isPlace(NodeId node) const { return node == rootNode || (parent(node) == rootNode && isTogether()); }
    /// The roots of all places: the root alone where it is one.
    std::vector<NodeId> places() const;

    NodeId parent(NodeId node) const { return store_->parent(node); }
    bool isFolder(NodeId node) const { return store_->isFolder(node); }
    bool isHidden(NodeId node) const { return store_->has(node, FlagHidden); }
    std::string_view name(NodeId node) const { return store_->name(node); }
    /// The name for a list: the root shows its last component.
    std::string_view label(NodeId node) const;
    std::string path(NodeId node) const { return store_->path(node); }

    /// Counted figures: of the whole subtree for a folder; 0 for a linked file that is counted at another path, and for
    /// a door.
    std::uint64_t disk(NodeId node) const;
    std::uint64_t apparent(NodeId node) const;
    /// 1 for anything that is not a folder.
    std::uint64_t files(NodeId node) const { return isFolder(node) ? sums(node).files : 1; }
    std::uint64_t measured(NodeId node, Measure measure) const;
    std::int64_t newest(NodeId node) const;
    const FolderSums& sums(NodeId folder) const { return sums_[store_->folderIndex(folder)]; }
    /// The path where a linked file is counted; the node itself for all others. noNode where no path of it is left, and
    /// in a growing tree at a path that does not count for now.
    NodeId countedAt(NodeId node) const;

    /// Calls `visit(NodeId)` for each child that is still there, in store order.
    template <typename Visit>
    void forEachChild(NodeId folder, Visit&& visit) const
    {
        const auto [first, count] = children(folder);
        for (NodeId child = first; child < first + count; ++child)
            if (removed_.empty() || !isRemoved(child))
                visit(child);
    }

    /// Calls `visit(NodeId)` for `top` and everything below it, folders before their children.
    template <typename Visit>
    void forEachBelow(NodeId top, Visit&& visit) const
    {
        std::vector<NodeId> pending{top};
        while (!pending.empty()) {
            const NodeId node = pending.back();
            pending.pop_back();
            visit(node);
            if (isFolder(node))
                forEachChild(node, [&](NodeId child) {
                    if (isFolder(child))
                        pending.push_back(child);
                    else
                        visit(child);
                });
        }
    }

    std::uint32_t countChildren(NodeId folder) const;
    /// Children, largest first by `measure`; equal ones by name.
    std::vector<NodeId> sortedChildren(NodeId folder, Measure measure) const;
    bool isAtOrBelow(NodeId node, NodeId folder) const;
    /// The node at an absolute path, given as the store has it; of several places the innermost that holds it.
    std::optional<NodeId> find(std::string_view path) const;
    std::optional<NodeId> findChild(NodeId folder, std::string_view name) const;
    /// From the root to the node, both included.
    std::vector<NodeId> chain(NodeId node) const;

private:
    /// What a growing tree has seen of them: all or none.
    NodeStore::Children children(NodeId folder) const
    {
        const auto all = store_->children(folder);
        return all.first + all.count <= extent_.nodes ? all : NodeStore::Children{};
    }
    void addUp();
    void addFiles();

    std::shared_ptr<const NodeStore> store_;
    StoreExtent extent_;
    bool growing_ = false;
    bool narrowed_ = false;
    std::vector<NodeId> removed_; ///< sorted
    std::vector<FolderSums> sums_;
    std::vector<NodeId> counted_; ///< by link set; noNode when all its members are gone
};

/// "Follow the weight": from `folder` down while one child folder holds at least `threshold` (0..1) of its parent.
/// Returns the folder to stop in, which is `folder` itself when nothing dominates.
NodeId followTheWeight(const FileTree& tree, NodeId folder, Measure measure, double threshold = 0.8);

/// What a subtree held at the scan, for finding out whether it still does: the same for the same entries whatever their
/// order. The times of folders are left out, because putting one of their entries into the trash changes them.
struct ContentSummary {
    std::uint64_t entries = 0;     ///< with the top itself
    std::uint64_t apparent = 0;    ///< links not deduplicated
    std::uint64_t fingerprint = 0; ///< sum of a 64-bit hash over (kind, inode, size, modification time) of each entry
    std::uint32_t unreadable = 0;
    bool operator==(const ContentSummary&) const = default;
};
ContentSummary summarize(const FileTree& tree, NodeId top);
/// What one entry adds to a fingerprint; of a folder size and time are 0.
std::uint64_t entryFingerprint(EntryKind kind, std::uint64_t inode, std::uint64_t apparent, std::int64_t modified,
                               std::uint32_t modifiedNs);

} // namespace kurvo
