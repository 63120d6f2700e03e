// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>
#include <unordered_set>
#include <utility>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/tree/find_paths.h"

namespace kurvo {
namespace {

Error refused(const std::string& path, std::string sentence)
{
    return {ErrorKind::Unsupported, path, 0, std::move(sentence)};
}

/// As the plan lists them.
bool before(const PlanItem& a, const PlanItem& b)
{
    if (rankOf(a.action) != rankOf(b.action))
        return rankOf(a.action) < rankOf(b.action);
    if (a.destination != b.destination)
        return a.destination < b.destination;
    if (a.leaveLink != b.leaveLink)
        return b.leaveLink;
    return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
}

bool ptrBefore(const PlanItemPtr& a, const PlanItemPtr& b)
{
    return before(*a, *b);
}

Twin twinOf(const FileTree& tree, NodeId node)
{
    const auto& store = tree.store();
    return {tree.path(node),      store.device(node),     store.inode(node),    store.ownApparent(node),
            store.modified(node), store.modifiedNs(node), summarize(tree, node)};
}

/// What lies in a folder, in a map by path: from there on, as long as the paths begin so.
std::string inside(std::string_view folder)
{
    return std::string(folder) + (folder.ends_with('/') ? "" : "/");
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

const KeptState& Plan::nothing()
{
    static const auto none = std::make_shared<const PlanState>();
    return none;
}

PlanState& Plan::Items::edit()
{
    if (shared_)
        items_ = std::make_shared<PlanState>(*items_);
    shared_ = false;
    return const_cast<PlanState&>(*items_); // it is only this one's
}

Result<PlanItemPtr> Plan::newItem(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard,
                                  const Intent& intent) const
{
    auto path = tree.path(node);
    if (tree.isPlace(node))
        return refused(path, displayText(path) + " is the place that was scanned. Plan what is inside it instead.");
    if (tree.store().has(node, FlagDoor))
        return refused(path, displayText(path) + " is another mounted filesystem. Scan it as a place of its own.");
    const auto* known = itemOf(node);
    const bool same = known && known->action == intent.action && known->destination == intent.destination &&
                      known->leaveLink == intent.leaveLink;
    if (const NodeId covering = coveringItem(tree, node); covering != noNode && (covering != node || same))
        return refused(path, covering == node ? displayText(path) + " is already planned."
                                              : displayText(path) + " is already planned, as part of " +
                                                    displayText(tree.path(covering)) + ".");
    if (outside_ > 0)
        if (const auto* holds = covering(path); holds && holds->node == noNode)
            return refused(path,
                           displayText(path) + " is already planned, as part of " + displayText(holds->path) + ".");
    if (intent.action == Action::Move && isAtOrBelow(intent.destination, path))
        return refused(path, displayText(path) + " cannot be moved into itself.");
    const auto protection = intent.action == Action::EmptyTrash ? std::nullopt : protectionOf(path, facts);
    const bool lifted = guard == Guard::Lifted || (known && known->guardLifted);
    if (protection && !(lifted && protection->canBeLifted))
        return refused(path, protection->reason);

    const auto& store = tree.store();
    auto item = std::make_shared<PlanItem>();
    item->node = node;
    item->path = std::move(path);
    item->kind = store.kind(node);
    item->device = store.device(node);
    item->inode = store.inode(node);
    item->size = store.ownApparent(node);
    item->modified = store.modified(node);
    item->modifiedNs = store.modifiedNs(node);
    item->disk = tree.disk(node);
    item->guardLifted = protection.has_value();
    item->action = intent.action;
    if (intent.action == Action::Move) {
        item->destination = intent.destination;
        item->leaveLink = intent.leaveLink;
    } else {
        item->twin = intent.twin || !known ? intent.twin : known->twin;
    }
    return PlanItemPtr(std::move(item));
}

void Plan::index(const PlanItem& item)
{
    if (item.node != noNode)
        byNode_[item.node] = &item;
    else
        ++outside_;
    withTwin_ += item.twin ? 1 : 0;
    byPath_[item.path] = &item;
    auto& sum = sums_[static_cast<std::size_t>(item.action)];
    ++sum.count;
    sum.bytes += item.disk;
}

void Plan::unindex(const PlanItem& item)
{
    if (item.node != noNode)
        byNode_.erase(item.node);
    else
        --outside_;
    withTwin_ -= item.twin ? 1 : 0;
    byPath_.erase(item.path);
    auto& sum = sums_[static_cast<std::size_t>(item.action)];
    --sum.count;
    sum.bytes -= item.disk;
}

/// What is at the item's path or below it goes out of the indices.
void Plan::swallow(const PlanItem& item, Gone& gone)
{
    if (const auto* same = itemAt(item.path))
        unindex(*same, gone);
    const auto below = inside(item.path);
    for (auto at = byPath_.lower_bound(below); at != byPath_.end() && at->first.starts_with(below);)
        unindex(*(at++)->second, gone);
}

PlanState Plan::takeFrom(PlanState& items, Gone& gone)
{
    PlanState off;
    if (gone.empty())
        return off;
    std::sort(gone.begin(), gone.end());
    std::erase_if(items, [&](const PlanItemPtr& item) {
        const bool isGone = std::binary_search(gone.begin(), gone.end(), item.get());
        if (isGone)
            off.push_back(item);
        return isGone;
    });
    return off;
}

PlanState Plan::takeOut(Gone& gone)
{
    return gone.empty() ? PlanState() : takeFrom(items_.edit(), gone);
}

void Plan::insert(PlanItemPtr item)
{
    index(*item);
    auto& items = items_.edit();
    items.insert(std::upper_bound(items.begin(), items.end(), item, ptrBefore), std::move(item));
}

Result<PlanState> Plan::add(const FileTree& tree, NodeId node, const GuardFacts& facts, Guard guard,
                            const Intent& intent)
{
    auto item = newItem(tree, node, facts, guard, intent);
    if (!item)
        return item.error();
    Gone gone;
    swallow(**item, gone);
    auto off = takeOut(gone);
    insert(std::move(*item));
    return off;
}

Plan::Added Plan::addAll(const FileTree& tree, const std::vector<NodeId>& nodes, const GuardFacts& facts,
                         const Intent& intent, const Twins& twins)
{
    Added added;
    PlanState fresh;
    Gone gone;
    std::unordered_map<NodeId, Twin> summed; // one stays for several
    for (const NodeId node : nodes) {
        if (!tree.contains(node))
            continue;
        const auto* known = itemOf(node);
        if (known && known->action == intent.action && known->destination == intent.destination)
            continue; // as it is wanted
        auto own = intent;
        if (const auto twin = twins.find(node); twin != twins.end() && tree.contains(twin->second)) {
            auto& one = summed[twin->second];
            if (one.path.empty())
                one = twinOf(tree, twin->second);
            own.twin = one;
        }
        auto item = newItem(tree, node, facts, Guard::Up, own);
        if (!item) {
            if (added.problem.empty())
                added.problem = item.error().sentence;
            continue;
        }
        swallow(**item, gone);
        index(**item);
        fresh.push_back(std::move(*item));
        ++added.count;
    }
    added.off = takeOut(gone);
    takeFrom(fresh, gone); // swallowed by a later one
    std::sort(fresh.begin(), fresh.end(), ptrBefore);
    auto& items = items_.edit();
    const auto middle = static_cast<std::ptrdiff_t>(items.size());
    items.insert(items.end(), std::make_move_iterator(fresh.begin()), std::make_move_iterator(fresh.end()));
    std::inplace_merge(items.begin(), items.begin() + middle, items.end(), ptrBefore);
    return added;
}

Result<PlanState> Plan::addOutside(PlanItem item, const GuardFacts& facts)
{
    const auto* other = covering(item.path);
    const bool holds = other && other->path != item.path;
    if (!holds) {
        const auto below = inside(item.path);
        const auto at = byPath_.lower_bound(below);
        other = at != byPath_.end() && at->first.starts_with(below) ? at->second : nullptr;
    }
    if (other)
        return refused(item.path, displayText(other->path) + " is already planned, which " +
                                      (holds ? "holds " : "lies in ") + displayText(item.path) +
                                      ". Take it off first.");
    // The trash folder itself is protected, but not what lies in it; a check sees that it is one.
    const auto protection = item.action == Action::EmptyTrash ? std::nullopt : protectionOf(item.path, facts);
    if (protection && !(item.guardLifted && protection->canBeLifted))
        return refused(item.path, protection->reason);
    auto off = removeAll({item.path});
    item.node = noNode;
    insert(std::make_shared<PlanItem>(std::move(item)));
    return off;
}

PlanState Plan::rebind(const FileTree& tree, IfChanged ifChanged)
{
    const auto before = items_.share();
    std::vector<std::string_view> paths;
    paths.reserve(before->size());
    for (const auto& item : *before)
        paths.push_back(item->path);
    const auto nodes = findPaths(tree, paths);
    PlanState kept, off;
    kept.reserve(before->size());
    for (std::size_t i = 0; i < before->size(); ++i) {
        const auto& known = (*before)[i];
        if (known->node == noNode) {
            kept.push_back(known);
            continue;
        }
        if (nodes[i] == noNode || nodes[i] == rootNode) {
            off.push_back(known);
            continue;
        }
        auto item = std::make_shared<PlanItem>(*known);
        item->node = nodes[i];
        if (ifChanged == IfChanged::Keep || isAsPlanned(*item, tree))
            kept.push_back(std::move(item));
        else
            off.push_back(known);
    }
    restore(std::make_shared<const PlanState>(std::move(kept)));
    return off;
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

void Plan::restore(KeptState state)
{
    *this = {};
    items_.keep(std::move(state));
    byNode_.reserve(items_.get().size());
    for (const auto& item : items_.get())
        index(*item);
}

Plan::Difference Plan::become(KeptState state)
{
    // Both are in the plan's order: what only one of them has is seen by going along both.
    const auto before = items_.share();
    items_.keep(std::move(state));
    const auto &was = *before, &now = items_.get();
    Difference difference;
    auto& [off, on] = difference;
    for (std::size_t i = 0, j = 0; i < was.size() || j < now.size();) {
        if (i < was.size() && j < now.size() && was[i] == now[j])
            ++i, ++j;
        else if (j == now.size() || (i < was.size() && ptrBefore(was[i], now[j])))
            off.push_back(was[i++]);
        else
            on.push_back(now[j++]);
    }
    for (const auto& item : off)
        unindex(*item);
    for (const auto& item : on)
        index(*item);
    return difference;
}

bool Plan::operator==(const Plan& other) const
{
    const auto &mine = items_.get(), &others = other.items_.get();
    return std::equal(mine.begin(), mine.end(), others.begin(), others.end(),
                      [](const PlanItemPtr& a, const PlanItemPtr& b) { return a == b || *a == *b; });
}

bool Plan::remove(NodeId node)
{
    const auto* item = itemOf(node);
    return item && remove(std::string(item->path));
}

bool Plan::remove(const std::string& path)
{
    return !removeAll({path}).empty();
}

PlanState Plan::removeAll(const std::vector<std::string>& paths)
{
    Gone gone;
    for (const auto& path : paths)
        if (const auto* item = itemAt(path))
            unindex(*item, gone);
    return takeOut(gone);
}

const PlanItem* Plan::itemOf(NodeId node) const
{
    const auto found = byNode_.find(node);
    return node == noNode || found == byNode_.end() ? nullptr : found->second;
}

const PlanItem* Plan::itemAt(std::string_view path) const
{
    const auto found = byPath_.find(path);
    return found == byPath_.end() ? nullptr : found->second;
}

NodeId Plan::coveringItem(const FileTree& tree, NodeId node) const
{
    if (byNode_.empty())
        return noNode;
    for (; node != noNode; node = tree.parent(node))
        if (byNode_.contains(node))
            return node;
    return noNode;
}

const PlanItem* Plan::covering(std::string_view path) const
{
    for (;;) {
        if (const auto* item = itemAt(path))
            return item;
        if (path.size() <= 1)
            return nullptr;
        const auto slash = path.rfind('/');
        if (slash == std::string_view::npos)
            return nullptr;
        path = path.substr(0, std::max<std::size_t>(slash, 1));
    }
}

std::uint64_t Plan::plannedBytes() const
{
    std::uint64_t sum = 0;
    for (const auto& one : sums_)
        sum += one.bytes;
    return sum;
}

std::uint64_t Plan::freedBytes(const FileTree& tree) const
{
    auto sum = plannedBytes();
    if (empty())
        return sum;
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

std::unordered_map<NodeId, std::uint64_t> Plan::heldByLinks(const FileTree& tree) const
{
    std::unordered_map<NodeId, std::uint64_t> held;
    const auto& store = tree.store();
    for (const auto& set : store.linkSets()) {
        const auto members = store.linkMembers(set);
        const NodeId counted = tree.countedAt(members.front());
        const NodeId item = counted == noNode ? noNode : coveringItem(tree, counted);
        if (item == noNode)
            continue;
        std::uint32_t within = 0;
        for (const NodeId member : members)
            within += tree.contains(member) && coveringItem(tree, member) == item ? 1 : 0;
        if (within < set.links)
            held[item] += store.ownDisk(counted);
    }
    return held;
}

std::uint64_t Plan::freedBytes(const FileTree& tree, NodeId node)
{
    return freedBytes(tree, std::vector<NodeId>{node});
}

std::uint64_t Plan::freedBytes(const FileTree& tree, const std::vector<NodeId>& nodes)
{
    PlanState items;
    for (const NodeId node : nodes) {
        auto item = std::make_shared<PlanItem>();
        item->node = node;
        item->path = std::to_string(node); // only to be told from the others
        item->disk = tree.disk(node);
        items.push_back(std::move(item));
    }
    Plan alone;
    alone.restore(std::make_shared<const PlanState>(std::move(items)));
    return alone.freedBytes(tree);
}

PlanState StateRebinder::operator()(const PlanState& state)
{
    std::vector<std::string_view> paths;
    PlanState unknown;
    for (const auto& item : state)
        if (item->node != noNode && !known_.contains(item)) {
            unknown.push_back(item);
            paths.push_back(item->path);
        }
    const auto nodes = findPaths(tree_, paths);
    for (std::size_t i = 0; i < unknown.size(); ++i) {
        PlanItemPtr now;
        if (nodes[i] != noNode && nodes[i] != rootNode) {
            auto item = std::make_shared<PlanItem>(*unknown[i]);
            item->node = nodes[i];
            now = std::move(item);
        }
        known_.emplace(unknown[i], std::move(now));
    }
    PlanState rewritten;
    rewritten.reserve(state.size());
    for (const auto& item : state) {
        const auto& now = item->node == noNode ? item : known_.find(item)->second;
        if (now)
            rewritten.push_back(now);
    }
    return rewritten;
}

} // namespace kurvo
