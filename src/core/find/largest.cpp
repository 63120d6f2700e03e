// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/largest.h"

#include <algorithm>
#include <utility>

namespace kurvo {

std::vector<NodeId> largestFiles(const FileTree& tree, std::size_t count, NodeId top)
{
    using Sized = std::pair<std::uint64_t, NodeId>;
    const auto larger = [&tree](const Sized& a, const Sized& b) {
        return a.first != b.first ? a.first > b.first : tree.store().comparePaths(a.second, b.second) < 0;
    };
    std::vector<Sized> best; // a heap with the smallest of the best on top
    if (count == 0)
        return {};
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node))
            return;
        const Sized candidate{tree.disk(node), node};
        if (best.size() == count) {
            if (!larger(candidate, best.front()))
                return;
            std::pop_heap(best.begin(), best.end(), larger);
            best.pop_back();
        }
        best.push_back(candidate);
        std::push_heap(best.begin(), best.end(), larger);
    });
    std::sort_heap(best.begin(), best.end(), larger);
    std::vector<NodeId> nodes;
    nodes.reserve(best.size());
    for (const auto& [size, node] : best)
        nodes.push_back(node);
    return nodes;
}

NodeId largestHiddenFile(const FileTree& tree, NodeId top)
{
    NodeId found = noNode;
    std::uint64_t size = 0;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node) || !tree.isHidden(node) || tree.disk(node) <= size)
            return;
        found = node;
        size = tree.disk(node);
    });
    return found;
}

} // namespace kurvo
