// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>

#include "core/base/figures.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

Error refused(const std::string& path, std::string sentence)
{
    return {ErrorKind::Unsupported, path, 0, std::move(sentence)};
}

} // namespace

int rankOf(Action action)
{
    switch (action) {
    case Action::EmptyTrash:
        return 0;
    case Action::Delete:
        return 1;
    case Action::Move:
        return 2;
    case Action::Trash:
        break;
    }
    return 3;
}

Result<Done> Plan::add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard, const Intent& intent)
{
    const auto path = tree.path(node);
    if (node == rootNode)
        return refused(path, displayText(path) + " is the place that was scanned. Plan what is inside it instead.");
    if (tree.store().has(node, FlagDoor))
        return refused(path, displayText(path) + " is another mounted filesystem. Scan it as a place of its own.");
    const auto* known = itemOf(node);
    const bool same = known && known->action == intent.action && known->destination == intent.destination &&
                      known->leaveLink == intent.leaveLink;
    if (const NodeId covering = coveringItem(tree, node); covering != noNode && (covering != node || same))
        return refused(path, covering == node ? displayText(path) + " is on the plan already."
                                              : displayText(path) + " is on the plan already, as part of " +
                                                    displayText(tree.path(covering)) + ".");
    for (const auto& item : items_)
        if (item.node == noNode && isAtOrBelow(path, item.path))
            return refused(path, displayText(path) + " is on the plan already, as part of " +
                                     displayText(item.path) + ".");
    if (intent.action == Action::Move && isAtOrBelow(intent.destination, path))
        return refused(path, displayText(path) + " cannot be moved into itself.");
    const auto protection = intent.action == Action::EmptyTrash ? std::nullopt : protectionOf(path, facts);
    const bool lifted = guard == Guard::Lifted || (known && known->guardLifted);
    if (protection && !(lifted && protection->canBeLifted))
        return refused(path, protection->reason);

    std::erase_if(items_, [&](const PlanItem& item) {
        return item.node != noNode ? tree.isAtOrBelow(item.node, node) : isAtOrBelow(item.path, path);
    });
    const auto& store = tree.store();
    PlanItem item;
    item.node = node;
    item.path = path;
    item.kind = store.kind(node);
    item.device = store.device(node);
    item.inode = store.inode(node);
    item.size = store.ownApparent(node);
    item.modified = store.modified(node);
    item.modifiedNs = store.modifiedNs(node);
    item.disk = tree.disk(node);
    item.guardLifted = protection.has_value();
    item.action = intent.action;
    if (intent.action == Action::Move) {
        item.destination = intent.destination;
        item.leaveLink = intent.leaveLink;
    }
    items_.push_back(std::move(item));
    sort();
    return Done{};
}

Result<Done> Plan::addOutside(PlanItem item, const GuardFacts& facts)
{
    for (const auto& other : items_)
        if (other.path != item.path && (isAtOrBelow(item.path, other.path) || isAtOrBelow(other.path, item.path)))
            return refused(item.path, displayText(other.path) + " is on the plan already, which " +
                                          (isAtOrBelow(item.path, other.path) ? "holds " : "lies in ") +
                                          displayText(item.path) + ". Take it off first.");
    // The trash folder itself is protected, but not what lies in it; a check sees that it is one.
    const auto protection = item.action == Action::EmptyTrash ? std::nullopt : protectionOf(item.path, facts);
    if (protection && !(item.guardLifted && protection->canBeLifted))
        return refused(item.path, protection->reason);
    remove(item.path);
    item.node = noNode;
    items_.push_back(std::move(item));
    sort();
    return Done{};
}

std::size_t Plan::rebind(const FileTree& tree, IfChanged ifChanged)
{
    return std::erase_if(items_, [&](PlanItem& item) {
        if (item.node == noNode)
            return false;
        const auto node = tree.find(item.path);
        if (!node || *node == rootNode)
            return true;
        item.node = *node;
        return ifChanged == IfChanged::Drop && !isAsPlanned(item, tree);
    });
}

bool isAsPlanned(const PlanItem& item, const FileTree& tree)
{
    const auto& store = tree.store();
    const auto node = item.node;
    return store.kind(node) == item.kind && store.inode(node) == item.inode && store.ownApparent(node) == item.size &&
           tree.disk(node) == item.disk &&
           (item.kind == EntryKind::Folder ||
            (store.modified(node) == item.modified && store.modifiedNs(node) == item.modifiedNs));
}

void Plan::sort()
{
    std::sort(items_.begin(), items_.end(), [](const PlanItem& a, const PlanItem& b) {
        if (rankOf(a.action) != rankOf(b.action))
            return rankOf(a.action) < rankOf(b.action);
        if (a.destination != b.destination)
            return a.destination < b.destination;
        return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
    });
}

bool Plan::remove(NodeId node)
{
    return node != noNode && std::erase_if(items_, [node](const PlanItem& item) { return item.node == node; }) > 0;
}

bool Plan::remove(const std::string& path)
{
    return std::erase_if(items_, [&path](const PlanItem& item) { return item.path == path; }) > 0;
}

const PlanItem* Plan::itemOf(NodeId node) const
{
    const auto found =
        std::find_if(items_.begin(), items_.end(), [node](const PlanItem& item) { return item.node == node; });
    return node == noNode || found == items_.end() ? nullptr : &*found;
}

NodeId Plan::coveringItem(const FileTree& tree, NodeId node) const
{
    for (const auto& item : items_)
        if (item.node != noNode && tree.isAtOrBelow(node, item.node))
            return item.node;
    return noNode;
}

std::size_t Plan::count(Action action) const
{
    return static_cast<std::size_t>(
        std::count_if(items_.begin(), items_.end(), [action](const PlanItem& item) { return item.action == action; }));
}

std::size_t Plan::countForGood() const
{
    return count(Action::Delete) + count(Action::EmptyTrash);
}

std::uint64_t Plan::bytesForGood() const
{
    return plannedBytes(Action::Delete) + plannedBytes(Action::EmptyTrash);
}

std::uint64_t Plan::plannedBytes() const
{
    std::uint64_t sum = 0;
    for (const auto& item : items_)
        sum += item.disk;
    return sum;
}

std::uint64_t Plan::plannedBytes(Action action) const
{
    std::uint64_t sum = 0;
    for (const auto& item : items_)
        sum += item.action == action ? item.disk : 0;
    return sum;
}

std::uint64_t Plan::freedBytes(const FileTree& tree) const
{
    std::uint64_t sum = plannedBytes();
    if (items_.empty())
        return 0;
    const auto& store = tree.store();
    for (const auto& set : store.linkSets()) {
        const auto members = store.linkMembers(set);
        const NodeId counted = tree.countedAt(members.front());
        if (counted == noNode || coveringItem(tree, counted) == noNode)
            continue; // its bytes are not among those planned
        std::uint32_t planned = 0;
        for (const NodeId member : members)
            planned += tree.contains(member) && coveringItem(tree, member) != noNode ? 1 : 0;
        if (planned < set.links)
            sum -= store.ownDisk(counted);
    }
    return sum;
}

std::uint64_t Plan::freedBytes(const FileTree& tree, NodeId node)
{
    Plan alone;
    alone.items_.push_back({});
    alone.items_.back().node = node;
    alone.items_.back().disk = tree.disk(node);
    return alone.freedBytes(tree);
}

} // namespace kurvo
