// SPDX-License-Identifier: GPL-3.0-or-later
// Node after node of a snapshot, in breadth-first order, out of its columns. Internal to core/snapshot.
#pragma once

#include <cstdint>
#include <string_view>

#include "core/snapshot/blocks.h"

namespace kurvo {

/// A node as the file has it; nothing is known of its parent.
struct RawNode {
    std::string_view name; ///< in the columns
    std::uint16_t kind = 0; ///< EntryKind | NodeFlag
    std::uint64_t children = 0, size = 0, blocks = 0;
    std::int64_t modified = 0;
    std::uint64_t modifiedNs = 0, inode = 0, owner = 0, device = 0, links = 1;
    bool isFolder() const { return (kind & 7) == 1; }
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
