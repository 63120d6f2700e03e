// SPDX-License-Identifier: GPL-3.0-or-later
// The plan: what shall be put into the trash, deleted or moved. Items are gathered first and carried out once
// (core/act).
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
    Move,   ///< to a folder on another drive
    EmptyTrash ///< `path` is a trash folder: removes what lies in it for good
};
/// In which order the plan lists them: as they are carried out.
int rankOf(Action action);
/// What cannot be taken back.
inline bool isForGood(Action action)
{
    return action == Action::Delete || action == Action::EmptyTrash;
}

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
    /// Of an item that is not in the tree (`node` is noNode): what it held when it was planned.
    std::optional<ContentSummary> content = {};
    bool operator==(const PlanItem&) const = default;
};

/// What shall happen to a node.
struct Intent {
    Action action = Action::Trash;
    std::string destination = {}; ///< move
    bool leaveLink = false;       ///< move
};

/// Whether the tree has the item's node as it was when it was planned.
bool isAsPlanned(const PlanItem& item, const FileTree& tree);

/// Whether what is protected is held off.
enum class Guard {
    Up,
    Lifted ///< for this one item, by somebody who was told the reason
};

/// A value: copy it to remember a state for undo.
class Plan {
public:
    /// Puts a node on the plan; one that is on it already gets the new intent. What is below it and was planned before
    /// is swallowed. Fails (Unsupported) with the reason when the node is protected (guard.h), the root of the place,
    /// another mount, or lies below something that is already planned.
    Result<Done> add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard = Guard::Up,
                     const Intent& intent = {});
    /// Puts something on the plan that no node stands for, such as what lies in a trash folder; `item.content` is set.
    /// Replaces an item at the same path. Fails where another item holds it or lies in it.
    Result<Done> addOutside(PlanItem item, const GuardFacts& facts);
    /// Takes a node off; false when it is not on the plan itself.
    bool remove(NodeId node);
    bool remove(const std::string& path);
    void clear() { items_.clear(); }
    enum class IfChanged {
        Drop, ///< what is not what it was comes off
        Keep  ///< only what is gone comes off: a check will say of the rest what changed
    };
    /// Finds the items again, by path, in a newer tree of the same place; returns how many came off.
    std::size_t rebind(const FileTree& tree, IfChanged ifChanged);

    const std::vector<PlanItem>& items() const { return items_; }
    bool empty() const { return items_.empty(); }
    bool operator==(const Plan&) const = default;
    bool has(NodeId node) const { return itemOf(node) != nullptr; }
    const PlanItem* itemOf(NodeId node) const;
    /// The planned node that is `node` or holds it, or noNode.
    NodeId coveringItem(const FileTree& tree, NodeId node) const;

    std::size_t count(Action action) const;
    /// Items that cannot be taken back.
    std::size_t countForGood() const;
    std::uint64_t bytesForGood() const;
    /// Counted bytes of all items, or of those with one action.
    std::uint64_t plannedBytes() const;
    std::uint64_t plannedBytes(Action action) const;
    /// What becomes free once the items are gone for good: a file with further links outside the plan frees nothing.
    std::uint64_t freedBytes(const FileTree& tree) const;
    /// The same of one item alone: a file with further links outside of it frees nothing.
    static std::uint64_t freedBytes(const FileTree& tree, NodeId node);

private:
    void sort();

    std::vector<PlanItem> items_; ///< by what happens, then the largest first
};

} // namespace kurvo
