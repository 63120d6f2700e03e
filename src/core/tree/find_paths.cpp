// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/find_paths.h"

#include <algorithm>
#include <numeric>
#include <unordered_map>

#include "core/base/text.h"

namespace kurvo {
namespace {

/// A path that is looked for, without what was found of it already.
struct Rest {
    std::string_view path; ///< begins with a component
    std::size_t index;     ///< of the answer
};

std::string_view withoutSlashes(std::string_view path)
{
    path.remove_prefix(std::min(path.find_first_not_of('/'), path.size()));
    return path;
}

struct Pending {
    NodeId at;
    std::vector<Rest> rests;
};

/// One step down for all that are looked for in a folder.
void descend(const FileTree& tree, const Pending& here, std::vector<NodeId>& found, std::vector<Pending>& pending)
{
    std::unordered_map<std::string_view, std::vector<Rest>> wanted;
    for (const auto& rest : here.rests) {
        if (rest.path.empty())
            found[rest.index] = here.at;
        else
            wanted[rest.path.substr(0, rest.path.find('/'))].push_back(rest);
    }
    if (wanted.empty() || !tree.isFolder(here.at))
        return;
    tree.forEachChild(here.at, [&](NodeId child) {
        const auto of = wanted.find(tree.name(child));
        if (of == wanted.end())
            return;
        Pending below{child, std::move(of->second)};
        for (auto& rest : below.rests)
            rest.path = withoutSlashes(rest.path.substr(of->first.size()));
        wanted.erase(of);
        pending.push_back(std::move(below));
    });
}

} // namespace

std::vector<NodeId> findPaths(const FileTree& tree, const std::vector<std::string_view>& paths)
{
    std::vector<NodeId> found(paths.size(), noNode);
    std::vector<Pending> pending;
    for (const NodeId root : tree.places())
        pending.push_back({root, {}});
    for (std::size_t i = 0; i < paths.size(); ++i) {
        Pending* inner = nullptr; // of places that hold each other the innermost
        for (auto& place : pending)
            if (isAtOrBelow(paths[i], tree.name(place.at)) &&
                (!inner || tree.name(place.at).size() > tree.name(inner->at).size()))
                inner = &place;
        if (inner)
            inner->rests.push_back({withoutSlashes(paths[i].substr(tree.name(inner->at).size())), i});
        else if (paths[i] == tree.name(rootNode))
            found[i] = rootNode;
    }
    while (!pending.empty()) {
        const auto here = std::move(pending.back());
        pending.pop_back();
        descend(tree, here, found, pending);
    }
    return found;
}

} // namespace kurvo
