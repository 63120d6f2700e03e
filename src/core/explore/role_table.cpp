// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/explore/role_table.h"

#include <algorithm>
#include <map>

namespace kurvo {

RoleTable roleTable(const FileTree& tree, const TreeAdvice& advice, NodeId top, Measure measure)
{
    std::array<TypeFigures, roleCount> figures;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node))
            return;
        auto& own = figures[static_cast<std::size_t>(advice.roles[node])];
        TypeFigures one;
        one.size = one.largestSize = tree.measured(node, measure);
        one.files = 1;
        one.largest = node;
        one.oldest = tree.store().modified(node);
        own.add(one);
    });
    RoleTable table;
    for (std::size_t role = 0; role < roleCount; ++role)
        if (figures[role].files > 0) {
            table.roles.push_back({static_cast<Role>(role), figures[role]});
            table.total += figures[role].size;
        }
    std::stable_sort(table.roles.begin(), table.roles.end(), [](const RoleRow& a, const RoleRow& b) {
        return a.figures.size != b.figures.size ? a.figures.size > b.figures.size : a.figures.files > b.figures.files;
    });
    return table;
}

std::vector<TypeFolder> foldersOfRole(const FileTree& tree, const TreeAdvice& advice, NodeId top, Role role,
                                      Measure measure, std::size_t most)
{
    std::map<NodeId, TypeFolder> found;
    NodeId folder = noNode, place = noNode; // asked about last
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node) || advice.roles[node] != role)
            return;
        const NodeId above = node == top ? node : tree.parent(node);
        if (above != folder) {
            folder = place = above;
            while (place != top && advice.roles[place] == role && advice.roles[tree.parent(place)] == role)
                place = tree.parent(place);
        }
        auto& own = found[place];
        own.folder = place;
        own.size += tree.measured(node, measure);
        ++own.files;
    });
    std::vector<TypeFolder> folders;
    folders.reserve(found.size());
    for (const auto& [id, one] : found)
        folders.push_back(one);
    std::sort(folders.begin(), folders.end(), [](const TypeFolder& a, const TypeFolder& b) {
        return a.size != b.size ? a.size > b.size : a.folder < b.folder;
    });
    if (folders.size() > most)
        folders.resize(most);
    return folders;
}

std::vector<bool> filesOfRole(const FileTree& tree, const TreeAdvice& advice, Role role)
{
    std::vector<bool> files(tree.extent().nodes);
    for (NodeId node = 0; node < std::min<std::size_t>(files.size(), advice.roles.size()); ++node)
        files[node] = advice.roles[node] == role && !tree.isFolder(node);
    return files;
}

} // namespace kurvo
