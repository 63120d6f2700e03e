// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/graft.h"

#include <algorithm>
#include <map>
#include <string>
#include <unordered_map>

#include "core/scan/node_copy.h"
#include "core/tree/matching.h"

namespace kurvo {
namespace {

/// Links of files, by device and inode, as the fresh scans found them: a file outside the grafts may have become one
/// with several links since it was scanned.
using LinkCounts = std::map<std::pair<std::uint64_t, std::uint64_t>, std::uint32_t>;

LinkCounts freshLinks(const std::vector<Graft>& grafts)
{
    LinkCounts counts;
    for (const auto& graft : grafts) {
        if (!graft.fresh)
            continue;
        const auto& store = graft.fresh->store();
        for (const auto& set : store.linkSets()) {
            const NodeId member = store.linkMembers(set).front();
            auto& links = counts[{store.device(member), store.inode(member)}];
            links = std::max(links, set.links);
        }
    }
    return counts;
}

/// What was below a graft is found again by its name, folder after folder.
void followBelow(const FileTree& old, const std::vector<Graft>& grafts, Grafted& result)
{
    ChildMatcher children(*result.tree, old);
    for (const auto& graft : grafts) {
        std::vector<std::pair<NodeId, NodeId>> pending;
        if (graft.fresh && result.newIds[graft.at] != noNode)
            pending.emplace_back(result.newIds[graft.at], graft.at);
        while (!pending.empty()) {
            const auto [now, then] = pending.back();
            pending.pop_back();
            children.match(now, then, [&](NodeId here, NodeId there) {
                result.newIds[there] = here;
                if (old.isFolder(there))
                    pending.emplace_back(here, there);
            });
        }
    }
}

} // namespace

NodeId Grafted::idOf(const FileTree& old, NodeId node) const
{
    return node == noNode || node >= newIds.size() || !old.contains(node) ? noNode : newIds[node];
}

Grafted graft(const FileTree& tree, const std::vector<Graft>& grafts)
{
    std::unordered_map<NodeId, const FileTree*> replaced;
    for (const auto& g : grafts)
        replaced.emplace(g.at, g.fresh.get());
    const auto sourceOf = [&](const FileTree& source, NodeId node) {
        const auto found = &source == &tree ? replaced.find(node) : replaced.end();
        return found == replaced.end() ? std::pair{&source, node} : std::pair{found->second, rootNode};
    };

    const auto links = freshLinks(grafts);
    Grafted result;
    result.newIds.resize(tree.extent().nodes, noNode);
    auto store = std::make_shared<NodeStore>(tree.name(rootNode));
    NodeStore::NameWriter names(*store);
    const auto [rootTree, rootSource] = sourceOf(tree, rootNode);
    const auto root = nodeCopy(rootTree->store(), rootSource);
    store->setRoot(root.stat, names);
    store->addFlags(rootNode, root.flags);
    result.newIds[rootNode] = rootNode;

    struct Pending {
        const FileTree* source;
        NodeId from;
        NodeId to;
    };
    std::vector<Pending> pending{{rootTree, rootSource, rootNode}};
    std::vector<NewNode> group;
    std::vector<std::pair<const FileTree*, NodeId>> sources;
    std::vector<NodeId> olds;
    while (!pending.empty()) {
        const auto [source, from, to] = pending.back();
        pending.pop_back();
        group.clear();
        sources.clear();
        olds.clear();
        source->forEachChild(from, [&, &source = source](NodeId child) {
            const auto origin = sourceOf(*source, child);
            if (!origin.first)
                return; // gone
            group.push_back(nodeCopy(origin.first->store(), origin.second));
            group.back().name = source->name(child); // the root of a fresh scan is named by its path
            if (auto& stat = group.back().stat; !links.empty() && stat.kind != EntryKind::Folder)
                if (const auto now = links.find({stat.device, stat.inode}); now != links.end())
                    stat.links = std::max(stat.links, now->second);
            sources.push_back(origin);
            olds.push_back(source == &tree ? child : noNode);
        });
        const auto first = store->append(to, group, names).first;
        for (std::uint32_t i = 0; i < group.size(); ++i) {
            if (olds[i] != noNode)
                result.newIds[olds[i]] = first + i;
            if (group[i].stat.kind == EntryKind::Folder)
                pending.push_back({sources[i].first, sources[i].second, first + i});
        }
    }
    store->seal();
    result.tree = std::make_shared<FileTree>(std::move(store));
    followBelow(tree, grafts, result);
    return result;
}

} // namespace kurvo
