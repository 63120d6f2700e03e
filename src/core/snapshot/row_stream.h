// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of a scan that still runs, on their way to another process, which builds the same store from them: with the
// same ids, so that it can be looked at there while it grows (GrowingTree).
//
// A packet of rows is one Zstandard frame (RFC 8878) with its checksum, of: varint the first id; for each of the
// columns 1 to 11 of a snapshot (docs/snapshot-format.md) varint its length and its bytes, as of a snapshot's nodes in
// full, folders with no count of children; then the groups: for each folder whose children begin in this packet zigzag
// varint the difference of its id to the one before, and varint their number. Row 0 is the root and begins anew. The
// rows of a folder may go on in the next packets.
//
// A packet of flags, once all rows are there: varint the difference of the id to the one before, u16 flags that the
// scan gave it since; packed in the same way.
#pragma once

#include <deque>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

/// One thread at a time; the scan goes on meanwhile.
class RowPacker {
public:
    explicit RowPacker(std::shared_ptr<const NodeStore> store) : store_(std::move(store)) { }
    const std::shared_ptr<const NodeStore>& store() const { return store_; }
    /// A packet of rows that have become complete; empty when there are none.
    std::string rows();
    /// After the end of the scan, and of rows(): a packet of flags; empty when there are no more.
    std::string flags();

private:
    std::shared_ptr<const NodeStore> store_;
    NodeId next_ = 0, nextFlag_ = 0;
};

/// Builds a store from packets, which it does not trust. One thread at a time.
class RowTaker {
public:
    /// WrongFormat for what no RowPacker makes.
    Result<Done> rows(std::string_view packet);
    Result<Done> flags(std::string_view packet);
    /// What has been built; null before the first packet. Another one after a scan began anew.
    std::shared_ptr<const NodeStore> store() const { return store_; }
    /// The tree of it all, and the end of building. WrongFormat when a folder's rows are not all there.
    Result<std::shared_ptr<const FileTree>> finish();

private:
    struct Group {
        NodeId folder = noNode;
        std::uint64_t count = 0;
    };
    bool endGroup();

    std::shared_ptr<NodeStore> store_;
    std::unique_ptr<NodeStore::NameWriter> names_;
    Group group_;                  ///< whose rows are coming
    std::vector<NewNode> pending_; ///< of them, what has come
    std::deque<std::string> held_; ///< their names, where packets before had them
};

} // namespace kurvo
