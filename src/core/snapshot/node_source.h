// SPDX-License-Identifier: GPL-3.0-or-later
// Node after node of a snapshot, in breadth-first order, out of its columns. Internal to core/snapshot.
#pragma once

#include <cstdint>
#include <string_view>

#include "core/snapshot/blocks.h"
#include "core/tree/node_store.h"

namespace kurvo {

/// Of a node's flags, what is written down: the others are worked out.
inline constexpr std::uint16_t writtenFlags = 7 | FlagDoor | FlagUnreadable | FlagUnfinished;

/// A node as the file has it; nothing is known of its parent.
struct RawNode {
    std::string_view name;  ///< in the columns
    std::uint16_t kind = 0; ///< EntryKind | NodeFlag
    std::uint64_t children = 0, size = 0, blocks = 0;
    std::int64_t modified = 0;
    std::uint64_t modifiedNs = 0, inode = 0, owner = 0, device = 0, links = 1;
    bool isFolder() const { return (kind & 7) == 1; }
};

/// Whether a tree can hold such a node. Of a root's name only that it is there is looked at.
bool isValid(const RawNode& node);
/// Whether a root may be called so: not as what stands for several places, of which there are no snapshots.
bool isRootName(std::string_view name);
/// `parentDevice`: of the folder it lies in. The name stays where it is.
NewNode nodeOf(const RawNode& raw, std::uint64_t parentDevice);

/// Writes nodes in full, as NodeSource reads them. `Out` has column(Column), a ColumnWriter, and item(Column), which is
/// told of each thing that was put into one.
template <typename Out>
class NodeSink {
public:
    NodeSink(Out& out, const NodeStore& store) : out_(out), store_(store) { }
    /// `children` is only looked at for folders, `links` for others.
    void insert(NodeId node, std::uint64_t children, std::uint64_t links)
    {
        out_.column(Column::Names).text(store_.name(node));
        out_.item(Column::Names);
        out_.column(Column::Kinds).u16(store_.flags(node) & writtenFlags);
        out_.item(Column::Kinds);
        put(Column::Sizes, store_.ownApparent(node));
        difference(Column::Blocks, store_.ownDisk(node) / 512, usualBlocks(store_.ownApparent(node)));
        const auto modified = static_cast<std::uint64_t>(store_.modified(node));
        difference(Column::Modified, modified, previousModified_);
        previousModified_ = modified;
        put(Column::ModifiedNs, store_.modifiedNs(node));
        difference(Column::Inodes, store_.inode(node), previousInode_);
        previousInode_ = store_.inode(node);
        put(Column::Owners, store_.owner(node));
        if (store_.isFolder(node)) {
            put(Column::Children, children);
            put(Column::Devices, store_.device(node));
        } else {
            put(Column::Links, links);
        }
    }
    void put(Column c, std::uint64_t value)
    {
        out_.column(c).varint(value);
        out_.item(c);
    }
    void difference(Column c, std::uint64_t value, std::uint64_t previous)
    {
        out_.column(c).difference(value, previous);
        out_.item(c);
    }

private:
    Out& out_;
    const NodeStore& store_;
    std::uint64_t previousModified_ = 0, previousInode_ = 0;
};

/// The columns must outlive it.
class NodeSource {
public:
    NodeSource(const Columns& columns, std::uint32_t version);
    virtual ~NodeSource() = default;
    /// False at the end, and where the columns do not fit together: then atEnd() is false.
    virtual bool next(RawNode& node);
    virtual bool atEnd() const;
    virtual bool failed() const;
    /// Bytes of what is still to come: no more nodes than these can follow.
    virtual std::size_t left() const { return kinds_.left(); }

protected:
    /// What a node that is patched has anew.
    void patch(RawNode& node);
    ColumnReader steps_;

private:
    std::uint32_t version_;
    ColumnReader names_, kinds_, children_, sizes_, blocks_, modified_, modifiedNs_, inodes_, owners_, devices_, links_;
    std::uint64_t previousModified_ = 0;
    std::uint64_t previousInode_ = 0;
};

/// The nodes of a snapshot that is packed against a base: its steps over those of the base.
class ChainedSource : public NodeSource {
public:
    ChainedSource(const Columns& columns, std::uint32_t version, NodeSource& base);
    bool next(RawNode& node) override;
    bool atEnd() const override;
    bool failed() const override;
    std::size_t left() const override;

private:
    NodeSource& base_;
    ChainStep step_ = ChainStep::Copy;
    std::uint64_t count_ = 0; ///< nodes left in this step
    bool failed_ = false;
};

} // namespace kurvo
