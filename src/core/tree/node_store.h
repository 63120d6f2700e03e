// SPDX-License-Identifier: GPL-3.0-or-later
// NodeStore: every entry of a scan as columns. Made for millions of entries: an ordinary file takes 33 bytes and its
// name. Numbers that rarely need 64 bits (size, blocks, inode, far dates) are kept short, and the odd entry that does
// not fit has a wide record on the side. The columns live in chunks of 65,536 rows that never move, so that several
// threads can append while others read what is complete; one growing array per column was dropped because doubling it
// needs the memory twice.
//
// The children of a folder have consecutive ids and every child's id is larger than its folder's: sums are one pass
// backwards, inheritance one pass forwards.
#pragma once

#include <atomic>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <span>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/base/locks.h"
#include "core/platform/entry_stat.h"

namespace kurvo {

using NodeId = std::uint32_t;
using FolderIndex = std::uint32_t;
inline constexpr NodeId noNode = 0xFFFFFFFF;
inline constexpr NodeId rootNode = 0;

/// Facts about a node that the scan decided: ten bits, of which the low three hold the EntryKind.
enum NodeFlag : std::uint16_t {
    FlagHidden = 1 << 3,     ///< its name starts with a dot, or an ancestor's below the root does
    FlagDoor = 1 << 4,       ///< a folder on which another mount begins; not entered
    FlagUnreadable = 1 << 5, ///< a folder that could not be read, or not to its end
    FlagLinked = 1 << 6,     ///< has several hard links; belongs to a link set
    FlagWide = 1 << 7,       ///< has a record in the wide table
    FlagUnfinished = 1 << 8, ///< a folder the scan had not reached when it was stopped
    FlagLinkedAgain = 1 << 9 ///< it counts at another path: once sealed, the first; before, the one met first
};

/// One entry to append. The name must stay valid during the call only.
struct NewNode {
    std::string_view name;
    EntryStat stat;
    std::uint16_t flags = 0; ///< FlagDoor; hidden, linked and wide are worked out
    std::uint16_t type = 0;  ///< FileType of core/types; below 1024
};

/// All the paths found in this scan of one file with several links.
struct LinkSet {
    std::uint32_t links = 0; ///< st_nlink: how many exist, seen or not
    std::uint32_t first = 0; ///< into the member list
    std::uint32_t count = 0; ///< how many were found
};

/// How much of a store can be read while it grows: all rows below these.
struct StoreExtent {
    NodeId nodes = 0;
    FolderIndex folders = 0;
};

/// Thread rules: append() and addFlags() may be called from several threads for different folders. Rows below
/// published() may be read from any thread meanwhile, but not what belongs to link sets. After seal() the store is
/// immutable and may be read from any thread.
class NodeStore {
public:
    /// What the name of a root that stands for several places begins with (see joinTrees()): the folders in it are the
    /// roots of places, and have whole paths as their names.
    static constexpr std::string_view togetherMark = "//";
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
        /// What an entry needs in the tables beside the columns.
        struct Prepared {
            std::uint64_t name = 0;
            std::uint32_t owner = 0;
            std::uint32_t wide = 0;
            std::uint32_t flags = 0;
        };
        NodeStore& store_;
        std::vector<Prepared> prepared_;
        char* at_ = nullptr;
        std::size_t left_ = 0;
        std::uint64_t offset_ = 0;
        std::uint32_t lastUid_ = 0;
        std::uint32_t lastOwner_ = wideOwner;
    };

    /// Sets what is known of the root itself.
    void setRoot(const EntryStat& stat, NameWriter& writer);
    struct Appended {
        NodeId first = noNode;       ///< noNode when the 32-bit ids are used up (more than 4 billion entries)
        std::uint64_t diskBytes = 0; ///< of the children themselves; doors and links met before add nothing
    };
    /// Appends all children of `folder` at once; all or, when it throws std::bad_alloc, none.
    Appended append(NodeId folder, std::span<const NewNode> children, NameWriter& writer);
    void addFlags(NodeId node, std::uint16_t flags)
    {
        __atomic_fetch_or(&chunk(node).facts[row(node)], std::uint32_t{flags}, __ATOMIC_RELAXED);
    }
    /// Ends the building: groups the hard links. Call once.
    void seal();
    /// Everything below is complete; grows until seal().
    StoreExtent published() const;

    std::uint32_t size() const { return size_; }
    std::uint32_t folderCount() const { return folderCount_; }
    /// The uids that own anything, in no order (the first 4,095 of them).
    std::span<const std::uint32_t> owners() const { return {ownerTable_.get(), ownerCount_}; }
    const std::vector<LinkSet>& linkSets() const { return linkSets_; }
    std::span<const NodeId> linkMembers(const LinkSet& set) const
    {
        return {linkMembers_.data() + set.first, set.count};
    }
    /// The set of a node with FlagLinked.
    std::uint32_t linkSetOf(NodeId node) const;
    /// st_nlink of a node that is no folder, as far as is known while the store grows.
    std::uint32_t linksOf(NodeId node) const;

    NodeId parent(NodeId node) const { return chunk(node).parent[row(node)]; }
    EntryKind kind(NodeId node) const { return static_cast<EntryKind>(facts(node) & 7); }
    bool isFolder(NodeId node) const { return kind(node) == EntryKind::Folder; }
    bool has(NodeId node, NodeFlag flag) const { return (facts(node) & flag) != 0; }
    std::uint16_t flags(NodeId node) const { return facts(node) & flagMask; }
    std::uint16_t type(NodeId node) const { return (facts(node) >> flagBits) & typeMask; }
    std::uint64_t inode(NodeId node) const;
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

    FolderIndex folderIndex(NodeId folder) const
    {
        const auto value = chunk(folder).size[row(folder)];
        return has(folder, FlagWide) ? wideAt(value).folder : value;
    }
    struct Children {
        NodeId first = 0;
        std::uint32_t count = 0;
    };
    /// None yet for a folder that has not been read.
    Children children(NodeId folder) const
    {
        const auto both = __atomic_load_n(&childrenRow(folderIndex(folder)), __ATOMIC_RELAXED);
        return {static_cast<NodeId>(both >> 32), static_cast<std::uint32_t>(both)};
    }
    NodeId firstChild(NodeId folder) const { return children(folder).first; }
    std::uint32_t childCount(NodeId folder) const { return children(folder).count; }

    /// Compares the paths of two nodes by their bytes, without building them. Negative, zero or positive.
    int comparePaths(NodeId a, NodeId b) const;
    std::string path(NodeId node) const;
    /// The root is none of a filesystem, but stands for several places.
    bool isTogether() const { return name(0).starts_with(togetherMark); }

private:
    static constexpr unsigned chunkBits = 16;
    static constexpr std::uint32_t chunkRows = 1u << chunkBits;
    static constexpr unsigned nameChunkBits = 20;
    static constexpr unsigned folderChunkBits = 12;
    static constexpr std::uint32_t folderChunkRows = 1u << folderChunkBits;
    static constexpr unsigned wideChunkBits = 10;
    static constexpr unsigned flagBits = 10;
    static constexpr std::uint32_t flagMask = (1u << flagBits) - 1;
    static constexpr std::uint32_t typeMask = (1u << 10) - 1;
    static constexpr unsigned ownerShift = 20;
    static constexpr std::uint32_t wideOwner = 0xFFF; ///< and at most so many owners have a short number
    static constexpr std::size_t mostDevices = 0xFFFF;

    struct Chunk {
        std::uint64_t nameBase;            ///< what the rows' name offsets count from
        std::uint64_t modified[chunkRows]; ///< (seconds + 2^33) << 30 | nanoseconds
        NodeId parent[chunkRows];
        std::uint32_t facts[chunkRows]; ///< flags, type, owner; flags may be added while others read
        std::uint32_t nameLow[chunkRows];
        std::uint32_t inodeLow[chunkRows];
        std::uint32_t size[chunkRows]; ///< of a folder: its folder index; with FlagWide: the index of its wide record
        std::uint32_t blocks[chunkRows];
        std::uint8_t inodeHigh[chunkRows];
    };
    struct FolderChunk {
        std::uint64_t children[folderChunkRows]; ///< first << 32 | count
        std::uint16_t device[folderChunkRows];
    };
    struct Wide {
        std::uint64_t size = 0;
        std::uint64_t blocks = 0;
        std::uint64_t inode = 0;
        std::uint64_t name = 0; ///< offset
        std::int64_t modified = 0;
        std::uint32_t modifiedNs = 0;
        std::uint32_t uid = 0;
        FolderIndex folder = 0;
    };
    struct LinkKey {
        std::uint64_t device;
        std::uint64_t inode;
        bool operator==(const LinkKey&) const = default;
    };
    struct LinkKeyHash {
        std::size_t operator()(const LinkKey& key) const
        {
            return (key.inode ^ key.device << 17) * 0x9E3779B97F4A7C15u;
        }
    };
    struct Unmap {
        std::size_t bytes = 0;
        void operator()(void* table) const;
    };
    /// Mapped by itself: zero, and pages of it that are never touched cost nothing.
    template <typename T>
    using Table = std::unique_ptr<T[], Unmap>;

    static std::uint32_t row(NodeId node) { return node & (chunkRows - 1); }
    const Chunk& chunk(NodeId node) const { return *chunks_[node >> chunkBits]; }
    Chunk& chunk(NodeId node) { return *chunks_[node >> chunkBits]; }
    std::uint32_t facts(NodeId node) const { return __atomic_load_n(&chunk(node).facts[row(node)], __ATOMIC_RELAXED); }
    std::uint64_t& childrenRow(FolderIndex i) const
    {
        return folders_[i >> folderChunkBits]->children[i & (folderChunkRows - 1)];
    }
    std::uint16_t& deviceRow(FolderIndex i) const
    {
        return folders_[i >> folderChunkBits]->device[i & (folderChunkRows - 1)];
    }
    Wide& wideAt(std::uint32_t i) const { return wide_[i >> wideChunkBits][i & ((1u << wideChunkBits) - 1)]; }
    const Wide& wide(NodeId node) const { return wideAt(chunk(node).size[row(node)]); }

    using Prepared = NameWriter::Prepared;
    /// Gets ready all that can fail for want of memory.
    void prepare(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder, Prepared& prepared)
        KURVO_REQUIRES(mutex_);
    /// Returns what the entry adds to the bytes on disk.
    std::uint64_t put(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder, const Prepared& prepared);
    static Chunk* makeChunk(bool isFirst);
    void makeRoom(std::uint32_t nodes, std::uint32_t folders) KURVO_REQUIRES(mutex_);
    std::uint64_t storeName(std::string_view name, NameWriter& writer);
    std::uint32_t ownerIndex(std::uint32_t uid, NameWriter& writer);
    std::uint16_t deviceIndex(std::uint64_t device) KURVO_REQUIRES(mutex_);

    mutable Mutex mutex_; ///< of growth; rows that are complete are read without it, so only some can be checked
    Table<Chunk*> chunks_;
    Table<FolderChunk*> folders_;
    Table<char*> names_;
    Table<Wide*> wide_;
    Table<std::uint32_t> ownerTable_;
    Table<std::uint64_t> devices_;
    std::uint32_t nameChunks_ = 0;
    std::uint32_t size_ = 0;
    std::uint32_t folderCount_ = 0;
    std::uint32_t wideCount_ = 0;
    std::uint32_t ownerCount_ = 0;
    std::uint32_t deviceCount_ = 0;
    std::vector<NodeId> inFlight_ KURVO_GUARDED_BY(mutex_); ///< first ids of the appends that are being written
    std::unordered_map<LinkKey, std::uint32_t, LinkKeyHash> linkIndex_ KURVO_GUARDED_BY(mutex_); ///< until sealed
    std::vector<std::pair<std::uint32_t, NodeId>> linkPairs_; ///< set and member; once sealed by member
    std::vector<LinkSet> linkSets_;
    std::vector<NodeId> linkMembers_;
};

inline const char* NodeStore::nameC(NodeId node) const
{
    const auto& c = chunk(node);
    const auto r = row(node);
    const auto offset = has(node, FlagWide) ? wideAt(c.size[r]).name : c.nameBase + c.nameLow[r];
    return names_[offset >> nameChunkBits] + (offset & ((1u << nameChunkBits) - 1));
}

inline std::uint64_t NodeStore::inode(NodeId node) const
{
    const auto& c = chunk(node);
    const auto r = row(node);
    return has(node, FlagWide) ? wideAt(c.size[r]).inode : std::uint64_t{c.inodeHigh[r]} << 32 | c.inodeLow[r];
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

/// Fewer blocks than its length needs: it has holes, or the filesystem compresses it.
inline bool isSparse(const NodeStore& store, NodeId node)
{
    return store.kind(node) == EntryKind::File && store.ownDisk(node) + 4096 < store.ownApparent(node);
}
/// Blocks kept beyond its end, 1 MiB or more. What is kept within the length only the filesystem's map of extents
/// tells.
inline bool isPreallocated(const NodeStore& store, NodeId node)
{
    return store.kind(node) == EntryKind::File && store.ownDisk(node) >= store.ownApparent(node) + (1 << 20);
}

} // namespace kurvo
