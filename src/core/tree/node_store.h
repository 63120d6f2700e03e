// SPDX-License-Identifier: GPL-3.0-or-later
// NodeStore: every entry of a scan as columns. Made for millions of entries: an ordinary file takes 43 bytes and its
// name. Numbers that rarely need 64 bits (size, blocks, far dates) are kept in 32 or packed, and the odd entry that
// does not fit has a wide record on the side. The columns live in chunks of 65,536 rows that never move, so that
// several threads can append while each reads what it made itself; one growing array per column was dropped because
// doubling it needs the memory twice.
//
// The children of a folder have consecutive ids and every child's id is larger than its folder's: sums are one pass
// backwards, inheritance one pass forwards.
#pragma once

#include <atomic>
#include <cstdint>
#include <cstring>
#include <memory>
#include <mutex>
#include <span>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/platform/entry_stat.h"

namespace kurvo {

using NodeId = std::uint32_t;
using FolderIndex = std::uint32_t;
inline constexpr NodeId noNode = 0xFFFFFFFF;
inline constexpr NodeId rootNode = 0;

/// Facts about a node that the scan decided. The low three bits of the column hold the EntryKind.
enum NodeFlag : std::uint16_t {
    FlagHidden = 1 << 3,     ///< its name starts with a dot, or an ancestor's below the root does
    FlagDoor = 1 << 4,       ///< a folder on which another mount begins; not entered
    FlagUnreadable = 1 << 5, ///< a folder that could not be read, or not to its end
    FlagLinked = 1 << 6,     ///< has several hard links; belongs to a link set
    FlagWide = 1 << 7,       ///< has a record in the wide table
    FlagUnfinished = 1 << 8  ///< a folder the scan had not reached when it was stopped
};

/// One entry to append. The name must stay valid during the call only.
struct NewNode {
    std::string_view name;
    EntryStat stat;
    std::uint16_t flags = 0; ///< FlagDoor; hidden, linked and wide are worked out
    std::uint16_t type = 0;  ///< FileType of core/types
};

/// All the paths found in this scan of one file with several links.
struct LinkSet {
    std::uint32_t links = 0; ///< st_nlink: how many exist, seen or not
    std::uint32_t first = 0; ///< into the member list
    std::uint32_t count = 0; ///< how many were found
};

/// Thread rules: append() and the setters may be called from several threads for different folders; everything else
/// only before or after. After seal() the store is immutable and may be read from any thread.
class NodeStore {
public:
    explicit NodeStore(std::string_view rootPath);
    ~NodeStore();
    NodeStore(const NodeStore&) = delete;
    NodeStore& operator=(const NodeStore&) = delete;

    /// Copies names into chunks of its own; one for each thread that appends.
    class NameWriter {
    public:
        explicit NameWriter(NodeStore& store) : store_(store) { }

    private:
        friend class NodeStore;
        NodeStore& store_;
        char* at_ = nullptr;
        std::size_t left_ = 0;
        std::uint64_t offset_ = 0;
        std::uint32_t lastUid_ = 0xFFFFFFFF;
        std::uint16_t lastOwner_ = 0;
    };

    /// Sets what is known of the root itself.
    void setRoot(const EntryStat& stat, NameWriter& writer);
    /// Appends all children of `folder` at once and returns the id of the first, or noNode when the 32-bit ids are used
    /// up (a scan of more than 4 billion entries).
    NodeId append(NodeId folder, std::span<const NewNode> children, NameWriter& writer);
    void addFlags(NodeId node, std::uint16_t flags) { flagColumn(node) |= flags; }
    /// Ends the building: groups the hard links. Call once.
    void seal();

    std::uint32_t size() const { return size_; }
    std::uint32_t folderCount() const { return folderCount_; }
    /// The uids that own anything, in no order (the first 65,535 of them).
    const std::vector<std::uint32_t>& owners() const { return owners_; }
    const std::vector<LinkSet>& linkSets() const { return linkSets_; }
    std::span<const NodeId> linkMembers(const LinkSet& set) const
    {
        return {linkMembers_.data() + set.first, set.count};
    }
    /// The set of a node with FlagLinked.
    std::uint32_t linkSetOf(NodeId node) const { return chunk(node).extra[row(node)]; }

    NodeId parent(NodeId node) const { return chunk(node).parent[row(node)]; }
    EntryKind kind(NodeId node) const { return static_cast<EntryKind>(chunk(node).flags[row(node)] & 7); }
    bool isFolder(NodeId node) const { return kind(node) == EntryKind::Folder; }
    bool has(NodeId node, NodeFlag flag) const { return (chunk(node).flags[row(node)] & flag) != 0; }
    std::uint16_t flags(NodeId node) const { return chunk(node).flags[row(node)]; }
    std::uint16_t type(NodeId node) const { return chunk(node).type[row(node)]; }
    std::uint64_t inode(NodeId node) const { return chunk(node).inode[row(node)]; }
    const char* nameC(NodeId node) const;
    std::string_view name(NodeId node) const { return nameC(node); }
    /// st_size of regular files and symbolic links, else 0; not reduced for links that are counted elsewhere.
    std::uint64_t ownApparent(NodeId node) const;
    /// Allocated bytes of the entry itself.
    std::uint64_t ownDisk(NodeId node) const;
    std::int64_t modified(NodeId node) const;
    std::uint32_t modifiedNs(NodeId node) const;
    std::uint32_t owner(NodeId node) const;
    std::uint64_t device(NodeId node) const;

    FolderIndex folderIndex(NodeId folder) const { return chunk(folder).extra[row(folder)]; }
    NodeId firstChild(NodeId folder) const { return folderRow(folderIndex(folder)).firstChild; }
    std::uint32_t childCount(NodeId folder) const { return folderRow(folderIndex(folder)).childCount; }

    /// Compares the paths of two nodes by their bytes, without building them. Negative, zero or positive.
    int comparePaths(NodeId a, NodeId b) const;
    std::string path(NodeId node) const;

private:
    static constexpr unsigned chunkBits = 16;
    static constexpr std::uint32_t chunkRows = 1u << chunkBits;
    static constexpr unsigned nameChunkBits = 20;
    static constexpr unsigned folderChunkBits = 12;
    static constexpr std::uint16_t wideOwner = 0xFFFF;

    struct Chunk {
        std::uint64_t inode[chunkRows];
        std::uint64_t modified[chunkRows]; ///< (seconds + 2^33) << 30 | nanoseconds
        NodeId parent[chunkRows];
        std::uint32_t extra[chunkRows]; ///< folder index, or link set
        std::uint32_t nameLow[chunkRows];
        std::uint32_t size[chunkRows];
        std::uint32_t blocks[chunkRows];
        std::uint16_t flags[chunkRows];
        std::uint16_t type[chunkRows];
        std::uint16_t owner[chunkRows];
        std::uint8_t nameHigh[chunkRows];
    };
    struct FolderRow {
        NodeId firstChild = 0;
        std::uint32_t childCount = 0;
        std::uint16_t device = 0;
    };
    struct Wide {
        std::uint64_t size = 0;
        std::uint64_t blocks = 0;
        std::int64_t modified = 0;
        std::uint32_t modifiedNs = 0;
        std::uint32_t uid = 0;
    };
    struct LinkCandidate {
        std::uint64_t device;
        std::uint64_t inode;
        std::uint32_t links;
        NodeId node;
    };

    static std::uint32_t row(NodeId node) { return node & (chunkRows - 1); }
    const Chunk& chunk(NodeId node) const { return *chunks_[node >> chunkBits]; }
    Chunk& chunk(NodeId node) { return *chunks_[node >> chunkBits]; }
    std::uint16_t& flagColumn(NodeId node) { return chunk(node).flags[row(node)]; }
    const FolderRow& folderRow(FolderIndex i) const
    {
        return folders_[i >> folderChunkBits][i & ((1u << folderChunkBits) - 1)];
    }
    FolderRow& folderRow(FolderIndex i) { return folders_[i >> folderChunkBits][i & ((1u << folderChunkBits) - 1)]; }
    const Wide& wide(NodeId node) const { return wide_.at(node); }

    void put(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder, NameWriter& writer);
    std::uint64_t storeName(std::string_view name, NameWriter& writer);
    std::uint16_t ownerIndex(std::uint32_t uid, NameWriter& writer);
    std::uint16_t deviceIndex(std::uint64_t device);

    mutable std::mutex mutex_; // guards growth: the tables below, sizes, owners, devices, wide, candidates
    std::unique_ptr<Chunk*[]> chunks_;
    std::unique_ptr<FolderRow*[]> folders_;
    struct FreeDelete {
        void operator()(char** table) const { std::free(table); }
    };
    std::unique_ptr<char*[], FreeDelete> names_;
    std::uint32_t nameChunks_ = 0;
    std::uint32_t size_ = 0;
    std::uint32_t folderCount_ = 0;
    std::vector<std::uint32_t> owners_;
    std::vector<std::uint64_t> devices_;
    std::unordered_map<NodeId, Wide> wide_;
    std::vector<LinkCandidate> candidates_;
    std::vector<LinkSet> linkSets_;
    std::vector<NodeId> linkMembers_;
};

inline const char* NodeStore::nameC(NodeId node) const
{
    const auto& c = chunk(node);
    const auto r = row(node);
    const auto offset = (std::uint64_t{c.nameHigh[r]} << 32) | c.nameLow[r];
    return names_[offset >> nameChunkBits] + (offset & ((1u << nameChunkBits) - 1));
}

inline std::uint64_t NodeStore::ownApparent(NodeId node) const
{
    const auto k = kind(node);
    if (k != EntryKind::File && k != EntryKind::SymbolicLink)
        return 0;
    return has(node, FlagWide) ? wide(node).size : chunk(node).size[row(node)];
}

inline std::uint64_t NodeStore::ownDisk(NodeId node) const
{
    return 512 * (has(node, FlagWide) ? wide(node).blocks : chunk(node).blocks[row(node)]);
}

} // namespace kurvo
