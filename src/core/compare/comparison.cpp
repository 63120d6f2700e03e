// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/comparison.h"

#include <algorithm>

#include "core/compare/moves.h"
#include "core/scan/exclusion.h"

namespace kurvo {
namespace {

constexpr std::array measures{Measure::Disk, Measure::Apparent, Measure::Files};

/// What is in it cannot be known from this tree.
bool isClosed(const FileTree& tree, NodeId folder)
{
    const auto& s = tree.store();
    return s.has(folder, FlagUnreadable) || s.has(folder, FlagUnfinished) || s.has(folder, FlagDoor);
}

/// Of an entry without what is below it.
std::uint64_t ownMeasured(const FileTree& tree, NodeId node, Measure measure)
{
    if (!tree.isFolder(node))
        return tree.measured(node, measure);
    return measure == Measure::Disk && !tree.store().has(node, FlagDoor) ? tree.store().ownDisk(node) : 0;
}

std::uint64_t distance(std::uint64_t a, std::uint64_t b)
{
    return a > b ? a - b : b - a;
}

} // namespace

const char* changeName(Change change)
{
    constexpr std::array names{"none", "appeared", "vanished", "grew", "shrank", "moved", "moved away", "not seen"};
    return names[static_cast<std::size_t>(change)];
}

void ChangeSums::add(const ChangeSums& other)
{
    grown += other.grown;
    shrunk += other.shrunk;
    movedIn += other.movedIn;
    movedOut += other.movedOut;
    notSeen += other.notSeen;
}

CompareOptions compareOptions(const SnapshotInfo& now, const SnapshotInfo& before)
{
    return {isOneFilesystem(now, before), now.exclude, before.exclude};
}

class ComparisonBuilder {
public:
    using Sides = Comparison::Sides;

    ComparisonBuilder(Comparison& made, const CompareOptions& options, std::stop_token stop)
        : made_(made), options_(options), stop_(std::move(stop)), now_(made.now()), before_(made.before())
    {
    }

    /// False when it was stopped.
    bool build()
    {
        match();
        std::vector<NodeId> appeared, vanished, replaced;
        forEachMatchedFolder([&](NodeId a, NodeId b) {
            now_.forEachChild(a, [&](NodeId child) {
                const auto then = earlier_[child];
                if (then == noNode ? wasSeen(b, child) : isReplaced(child, then))
                    (then == noNode ? appeared : replaced).push_back(child);
            });
            before_.forEachChild(b, [&](NodeId child) {
                if (later_[child] == noNode && isSeen(a, child))
                    vanished.push_back(child);
            });
        });
        if (stop_.stop_requested())
            return false;
        MoveFinder moves(now_, before_, options_.sameDrive, earlier_, later_);
        moves.findReplaced(replaced, appeared, vanished);
        moves.find(appeared, vanished, stop_);
        collect();
        if (stop_.stop_requested())
            return false;
        plant();
        addUp();
        return !stop_.stop_requested();
    }

private:
    /// A folder of the tree of changes while it is made: its entries in `items_`.
    struct Folder {
        Sides sides;
        std::uint32_t first = 0, count = 0; ///< of its entries
        std::uint32_t above = 0;            ///< the folder that it is in
        bool kept = false;                  ///< it or something in it changed
    };
    struct Item {
        Sides sides;
        std::uint32_t folder = 0; ///< into folders_; 0 for what is none, or has nothing in it to be shown
    };

    void match()
    {
        earlier_.resize(now_.extent().nodes, noNode);
        later_.resize(before_.extent().nodes, noNode);
        for (NodeId node = 0; node < earlier_.size(); ++node)
            if (const auto then = made_.matching_->earlier(node); then != noNode) {
                earlier_[node] = then;
                later_[then] = node;
            }
    }

    /// The earlier scan would have met a child of `now` in its folder `then`.
    bool wasSeen(NodeId then, NodeId child) const
    {
        return !isClosed(before_, then) &&
               !isExcluded(options_.excludedBefore, now_.store().nameC(child), [&] { return before_.path(then); });
    }
    /// The same of the later one and a child of `before`.
    bool isSeen(NodeId folder, NodeId child) const
    {
        return !isClosed(now_, folder) &&
               !isExcluded(options_.excludedNow, before_.store().nameC(child), [&] { return now_.path(folder); });
    }

    /// At the path of a file stands another file.
    bool isReplaced(NodeId a, NodeId b) const
    {
        return options_.sameDrive && !now_.isFolder(a) && now_.store().inode(a) != before_.store().inode(b);
    }

    template <typename Visit>
    void forEachMatchedFolder(Visit&& visit) const
    {
        std::vector<NodeId> pending{rootNode};
        while (!pending.empty() && !stop_.stop_requested()) {
            const auto folder = pending.back();
            pending.pop_back();
            visit(folder, earlier_[folder]);
            now_.forEachChild(folder, [&](NodeId child) {
                if (now_.isFolder(child) && earlier_[child] != noNode)
                    pending.push_back(child);
            });
        }
    }

    /// Both sides of it have the same path below these two folders.
    bool isInPlace(NodeId a, NodeId b, NodeId folder, NodeId then) const
    {
        return now_.parent(a) == folder && before_.parent(b) == then && now_.name(a) == before_.name(b);
    }

    Change ownChange(NodeId a, NodeId b) const
    {
        for (const auto measure : {Measure::Disk, Measure::Apparent}) {
            const auto is = ownMeasured(now_, a, measure), was = ownMeasured(before_, b, measure);
            if (is != was)
                return is > was ? Change::Grew : Change::Shrank;
        }
        return Change::None;
    }

    void put(std::uint32_t folder, const Sides& sides)
    {
        const bool isFolder = sides.now != noNode ? now_.isFolder(sides.now) : before_.isFolder(sides.before);
        const bool isOpen = isFolder && sides.change != Change::MovedAway && sides.change != Change::NotSeen;
        if (!isFolder && sides.change == Change::None)
            return;
        std::uint32_t own = 0;
        if (isOpen) {
            own = static_cast<std::uint32_t>(folders_.size());
            folders_.push_back({sides, 0, 0, folder, sides.change != Change::None});
        }
        items_.push_back({sides, own});
        ++folders_[folder].count;
        folders_[folder].kept = folders_[folder].kept || sides.change != Change::None;
    }

    /// All folders that either tree has, breadth first, with those of their entries that changed or are folders.
    void collect()
    {
        folders_.push_back({{rootNode, rootNode, ownChange(rootNode, rootNode)}, 0, 0, 0, true});
        for (std::uint32_t i = 0; i < folders_.size(); ++i) {
            if (stop_.stop_requested())
                return;
            folders_[i].first = static_cast<std::uint32_t>(items_.size());
            const auto [a, b, change] = folders_[i].sides;
            if (a != noNode)
                now_.forEachChild(a, [&](NodeId child) { putNow(i, child); });
            if (b != noNode)
                before_.forEachChild(b, [&](NodeId child) { putBefore(i, child); });
        }
        for (auto i = folders_.size(); i-- > 1;)
            if (folders_[i].kept)
                folders_[folders_[i].above].kept = true;
    }
    void putNow(std::uint32_t i, NodeId child)
    {
        const auto [a, b, change] = folders_[i].sides;
        const auto then = earlier_[child];
        if (then == noNode)
            put(i, {child, noNode, b != noNode && !wasSeen(b, child) ? Change::NotSeen : Change::Appeared});
        else if (b != noNode && isInPlace(child, then, a, b))
            put(i, {child, then, ownChange(child, then)});
        else
            put(i, {child, then, Change::Moved});
    }
    void putBefore(std::uint32_t i, NodeId child)
    {
        const auto [a, b, change] = folders_[i].sides;
        const auto is = later_[child];
        if (is == noNode)
            put(i, {noNode, child, a != noNode && !isSeen(a, child) ? Change::NotSeen : Change::Vanished});
        else if (a == noNode || !isInPlace(is, child, a, b))
            put(i, {is, child, Change::MovedAway});
    }

    EntryStat statOf(const Sides& sides) const
    {
        const bool hasNow = sides.now != noNode && sides.change != Change::MovedAway;
        const auto& tree = hasNow ? now_ : before_;
        const auto node = hasNow ? sides.now : sides.before;
        const auto& store = tree.store();
        EntryStat stat;
        stat.kind = store.kind(node);
        stat.modified = store.modified(node);
        stat.modifiedNs = store.modifiedNs(node);
        stat.inode = store.inode(node);
        stat.uid = store.owner(node);
        stat.links = 1;
        if (sides.change != Change::MovedAway && sides.change != Change::NotSeen) {
            const auto amount = [&](Measure measure) {
                return distance(hasNow ? ownMeasured(now_, sides.now, measure) : 0,
                                sides.before != noNode ? ownMeasured(before_, sides.before, measure) : 0);
            };
            stat.blocks = amount(Measure::Disk) / 512;
            stat.size = amount(Measure::Apparent);
        }
        return stat;
    }
    std::uint16_t typeOf(const Sides& sides) const
    {
        return sides.now != noNode ? now_.store().type(sides.now) : before_.store().type(sides.before);
    }

    /// Makes the tree of what is kept.
    void plant()
    {
        auto store = std::make_shared<NodeStore>(now_.name(rootNode));
        NodeStore::NameWriter names(*store);
        store->setRoot(statOf(folders_[0].sides), names);
        made_.sides_.push_back(folders_[0].sides);
        std::vector<std::pair<std::uint32_t, NodeId>> pending{{0, rootNode}};
        std::vector<NewNode> group;
        std::vector<std::uint32_t> below;
        for (std::size_t i = 0; i < pending.size() && !stop_.stop_requested(); ++i) {
            const auto [from, to] = pending[i];
            group.clear();
            below.clear();
            for (auto k = folders_[from].first; k < folders_[from].first + folders_[from].count; ++k) {
                const auto& item = items_[k];
                if (item.folder != 0 && !folders_[item.folder].kept)
                    continue;
                const bool atBefore = item.sides.now == noNode || item.sides.change == Change::MovedAway;
                group.push_back({atBefore ? before_.name(item.sides.before) : now_.name(item.sides.now),
                                 statOf(item.sides), 0, typeOf(item.sides)});
                below.push_back(item.folder);
                made_.sides_.push_back(item.sides);
            }
            const auto first = store->append(to, group, names).first;
            for (std::uint32_t k = 0; k < below.size(); ++k)
                if (below[k] != 0)
                    pending.emplace_back(below[k], first + k);
        }
        items_ = {};
        folders_ = {};
        for (NodeId node = 0; node < made_.sides_.size(); ++node) {
            const auto& side = made_.sides_[node];
            if (side.now != noNode && side.change != Change::MovedAway)
                made_.byNow_.emplace_back(side.now, node);
            if (side.before != noNode && side.change != Change::Moved)
                made_.byBefore_.emplace_back(side.before, node);
        }
        for (auto* index : {&made_.byNow_, &made_.byBefore_})
            std::sort(index->begin(), index->end());
        store->seal();
        made_.tree_ = std::make_shared<FileTree>(std::move(store));
    }

    void addUp()
    {
        const auto& store = made_.tree_->store();
        for (const auto measure : measures) {
            auto& sums = made_.sums_[static_cast<std::size_t>(measure)];
            sums.resize(store.folderCount());
            for (NodeId node = store.size(); node-- > 0;) {
                auto all = made_.own(node, measure);
                if (store.isFolder(node)) {
                    sums[store.folderIndex(node)].add(all);
                    all = sums[store.folderIndex(node)];
                }
                if (node != rootNode)
                    sums[store.folderIndex(store.parent(node))].add(all);
            }
        }
    }

    Comparison& made_;
    CompareOptions options_;
    std::stop_token stop_;
    const FileTree& now_;
    const FileTree& before_;
    std::vector<NodeId> earlier_, later_;
    std::vector<Folder> folders_;
    std::vector<Item> items_;
};

std::shared_ptr<const Comparison> Comparison::make(std::shared_ptr<const FileTree> now,
                                                   std::shared_ptr<const FileTree> before,
                                                   const CompareOptions& options, std::stop_token stop)
{
    const std::shared_ptr<Comparison> made(new Comparison);
    made->matching_ = std::make_shared<Matching>(std::move(now), std::move(before));
    if (!ComparisonBuilder(*made, options, std::move(stop)).build())
        return nullptr;
    return made;
}

ChangeSums Comparison::own(NodeId node, Measure measure) const
{
    ChangeSums sums;
    const auto& side = sides_[node];
    const auto is = [&] { return ownMeasured(now(), side.now, measure); };
    const auto was = [&] { return ownMeasured(before(), side.before, measure); };
    switch (side.change) {
    case Change::Appeared:
        sums.grown = is();
        return sums;
    case Change::Vanished:
        sums.shrunk = was();
        return sums;
    case Change::MovedAway:
        sums.movedOut = before().measured(side.before, measure);
        return sums;
    case Change::NotSeen:
        sums.notSeen = side.now != noNode ? static_cast<std::int64_t>(now().measured(side.now, measure))
                                          : -static_cast<std::int64_t>(before().measured(side.before, measure));
        return sums;
    case Change::Moved:
        sums.movedIn = before().measured(side.before, measure);
        break;
    case Change::None:
    case Change::Grew:
    case Change::Shrank:
        break;
    }
    const auto a = is(), b = was();
    (a > b ? sums.grown : sums.shrunk) += distance(a, b);
    return sums;
}

ChangeSums Comparison::sums(NodeId node, Measure measure) const
{
    return tree_->isFolder(node) ? sums_[static_cast<std::size_t>(measure)][tree_->store().folderIndex(node)]
                                 : own(node, measure);
}

NodeId Comparison::lookedUp(const std::vector<std::pair<NodeId, NodeId>>& index, NodeId node)
{
    const auto at = std::lower_bound(index.begin(), index.end(), std::pair<NodeId, NodeId>{node, 0});
    return at != index.end() && at->first == node ? at->second : noNode;
}

} // namespace kurvo
