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

Result<Done> Plan::add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard)
{
    const auto path = tree.path(node);
    if (node == rootNode)
        return refused(path, displayText(path) + " is the place that was scanned. Plan what is inside it instead.");
    if (tree.store().has(node, FlagDoor))
        return refused(path, displayText(path) + " is another mounted filesystem. Scan it as a place of its own.");
    if (const NodeId covering = coveringItem(tree, node); covering != noNode)
        return refused(path, covering == node ? displayText(path) + " is on the plan already."
                                              : displayText(path) + " is on the plan already, as part of " +
                                                    displayText(tree.path(covering)) + ".");
    const auto protection = protectionOf(path, facts);
    if (protection && (guard == Guard::Up || !protection->canBeLifted))
        return refused(path, protection->reason);

    std::erase_if(items_, [&](const PlanItem& item) { return tree.isAtOrBelow(item.node, node); });
    const auto& store = tree.store();
    items_.push_back({node, path, store.kind(node), store.device(node), store.inode(node), store.ownApparent(node),
                      store.modified(node), store.modifiedNs(node), tree.disk(node), protection.has_value()});
    std::sort(items_.begin(), items_.end(), [](const PlanItem& a, const PlanItem& b) {
        return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
    });
    return Done{};
}

bool Plan::remove(NodeId node)
{
    return std::erase_if(items_, [node](const PlanItem& item) { return item.node == node; }) > 0;
}

bool Plan::has(NodeId node) const
{
    return std::any_of(items_.begin(), items_.end(), [node](const PlanItem& item) { return item.node == node; });
}

NodeId Plan::coveringItem(const FileTree& tree, NodeId node) const
{
    for (const auto& item : items_)
        if (tree.isAtOrBelow(node, item.node))
            return item.node;
    return noNode;
}

std::uint64_t Plan::plannedBytes() const
{
    std::uint64_t sum = 0;
    for (const auto& item : items_)
        sum += item.disk;
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

} // namespace kurvo
