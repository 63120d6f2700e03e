// SPDX-License-Identifier: GPL-3.0-or-later
// The plan: what shall be put into the trash. Items are gathered first and carried out once (carry_out.h).
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/advice/guard.h"
#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

/// What shall happen to an item.
enum class Action : std::uint8_t {
    Trash,
    Delete, ///< for good
    Move    ///< to a folder on another drive
};

/// What an item was when it was scanned; enough to find out whether it still is.
struct PlanItem {
    NodeId node = noNode;
    std::string path; ///< bytes
    EntryKind kind = EntryKind::File;
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    std::uint64_t size = 0; ///< st_size; only meaningful for files and links
    std::int64_t modified = 0;
    std::uint32_t modifiedNs = 0;
    std::uint64_t disk = 0;   ///< counted bytes on disk of the whole item
    bool guardLifted = false; ///< it is protected, and somebody wanted it all the same
    Action action = Action::Trash;
    std::string destination = {}; ///< move: the folder it goes into; bytes
    bool leaveLink = false;       ///< move: a link at the old path leads to the new one
};

/// Whether what is protected is held off.
enum class Guard {
    Up,
    Lifted ///< for this one item, by somebody who was told the reason
};

/// A value: copy it to remember a state for undo.
class Plan {
public:
    /// Puts a node on the plan. What is below it and was planned before is swallowed. Fails (Unsupported) with the
    /// reason when the node is protected (guard.h), the root of the place, another mount, or lies below something that
    /// is already planned.
    Result<Done> add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard = Guard::Up);
    /// Takes a node off; false when it is not on the plan itself.
    bool remove(NodeId node);
    void clear() { items_.clear(); }

    const std::vector<PlanItem>& items() const { return items_; }
    bool empty() const { return items_.empty(); }
    bool has(NodeId node) const;
    /// The planned node that is `node` or holds it, or noNode.
    NodeId coveringItem(const FileTree& tree, NodeId node) const;

    /// Counted bytes of all items.
    std::uint64_t plannedBytes() const;
    /// What becomes free once the items are gone for good: a file with further links outside the plan frees nothing.
    std::uint64_t freedBytes(const FileTree& tree) const;

private:
    std::vector<PlanItem> items_;
};

} // namespace kurvo
