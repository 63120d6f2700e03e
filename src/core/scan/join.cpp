// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/join.h"

#include <algorithm>
#include <deque>

#include "core/base/text.h"
#include "core/scan/node_copy.h"

namespace kurvo {
namespace {

/// What is at `path` was scanned as part of that place. Behind a door another drive is mounted.
bool holds(const PlaceRoot& place, const std::string& path)
{
    if (!isAtOrBelow(path, place.path))
        return false;
    std::string_view below = std::string_view(path).substr(place.path.size());
    while (below.starts_with('/'))
        below.remove_prefix(1);
    const auto found = place.tree->find(joinPath(place.tree->path(place.at), below));
    return found && place.tree->isAtOrBelow(*found, place.at) && !place.tree->store().has(*found, FlagDoor);
}

/// Without those that lie in another one, and without the same place again.
std::vector<const PlaceRoot*> outermost(const std::vector<PlaceRoot>& places)
{
    std::vector<const PlaceRoot*> kept;
    for (std::size_t i = 0; i < places.size(); ++i) {
        bool known = false;
        for (std::size_t k = 0; k < places.size() && !known; ++k)
            known = places[k].path == places[i].path ? k < i : holds(places[k], places[i].path);
        if (!known)
            kept.push_back(&places[i]);
    }
    return kept;
}

} // namespace

std::shared_ptr<const FileTree> joinTrees(const std::string& title, const std::vector<PlaceRoot>& places)
{
    auto label = title;
    std::replace(label.begin(), label.end(), '/', '|');
    auto store = std::make_shared<NodeStore>(std::string(NodeStore::togetherMark) + label);
    NodeStore::NameWriter names(*store);
    EntryStat nothing;
    nothing.kind = EntryKind::Folder;
    store->setRoot(nothing, names);
    struct Pending {
        const FileTree* source;
        NodeId from, to;
    };
    std::deque<Pending> pending; // breadth first, as snapshots have it: of equal matches a comparison takes the first
    std::vector<NewNode> group;
    const auto kept = outermost(places);
    for (const auto* place : kept) {
        group.push_back(nodeCopy(place->tree->store(), place->at));
        group.back().name = place->path;
        group.back().flags &= static_cast<std::uint16_t>(~FlagDoor);
    }
    auto first = store->append(rootNode, group, names).first;
    for (std::uint32_t i = 0; i < kept.size(); ++i)
        pending.push_back({kept[i]->tree.get(), kept[i]->at, first + i});
    std::vector<NodeId> children;
    while (!pending.empty()) {
        const auto [source, from, to] = pending.front();
        pending.pop_front();
        group.clear();
        children.clear();
        source->forEachChild(from, [&, &source = source](NodeId child) {
            group.push_back(nodeCopy(source->store(), child));
            children.push_back(child);
        });
        if (group.empty())
            continue;
        first = store->append(to, group, names).first;
        for (std::uint32_t i = 0; i < group.size(); ++i)
            if (group[i].stat.kind == EntryKind::Folder)
                pending.push_back({source, children[i], first + i});
    }
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

} // namespace kurvo
