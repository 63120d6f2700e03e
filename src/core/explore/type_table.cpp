// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/explore/type_table.h"

#include <algorithm>
#include <array>
#include <map>

#include "core/tree/stretches.h"

namespace kurvo {
namespace {

constexpr std::size_t typesAtMost = 1024; // the store keeps ten bits
using Figures = std::vector<TypeFigures>;

void addFile(const FileTree& tree, Measure measure, NodeId node, Figures& figures)
{
    auto& own = figures[tree.store().type(node)];
    const auto size = tree.measured(node, measure);
    own.size += size;
    ++own.files;
    own.oldest = std::min(own.oldest, tree.store().modified(node));
    if (own.largest == noNode || size > own.largestSize) {
        own.largest = node;
        own.largestSize = size;
    }
}

/// The whole tree in the order of its rows, in parts side by side.
Figures figuresOfAll(const FileTree& tree, Measure measure)
{
    const auto bounds = stretchesOf(tree.store(), tree.extent().nodes);
    std::vector<Figures> found(bounds.size() - 1, Figures(typesAtMost));
    forEachStretch(bounds, [&](std::size_t part, NodeId from, NodeId to) {
        for (NodeId node = from; node < to; ++node)
            if (!tree.isFolder(node))
                addFile(tree, measure, node, found[part]);
    });
    for (std::size_t part = 1; part < found.size(); ++part)
        for (std::size_t type = 0; type < typesAtMost; ++type)
            found[0][type].add(found[part][type]);
    return std::move(found[0]);
}

} // namespace

void TypeFigures::add(const TypeFigures& more)
{
    size += more.size;
    files += more.files;
    oldest = std::min(oldest, more.oldest);
    if (more.largest != noNode && (largest == noNode || more.largestSize > largestSize)) {
        largest = more.largest;
        largestSize = more.largestSize;
    }
}

TypeTable typeTable(const FileTree& tree, NodeId top, Measure measure)
{
    Figures figures;
    // Rows of a growing tree may lie in folders that it does not show yet.
    if (top == rootNode && tree.removed().empty() && !tree.isGrowing()) {
        figures = figuresOfAll(tree, measure);
    } else {
        figures.resize(typesAtMost);
        tree.forEachBelow(top, [&](NodeId node) {
            if (!tree.isFolder(node))
                addFile(tree, measure, node, figures);
        });
    }
    TypeTable table;
    std::array<FamilyRow, familyCount> rows;
    for (std::size_t type = 0; type < typesAtMost; ++type) {
        if (figures[type].files == 0)
            continue;
        auto& row = rows[static_cast<std::size_t>(typeInfo(static_cast<FileType>(type)).family)];
        row.types.push_back({static_cast<FileType>(type), figures[type]});
        row.figures.add(figures[type]);
        table.total += figures[type].size;
    }
    const auto larger = [](const auto& a, const auto& b) {
        return a.figures.size != b.figures.size ? a.figures.size > b.figures.size : a.figures.files > b.figures.files;
    };
    for (std::size_t f = 0; f < familyCount; ++f) {
        if (rows[f].figures.files == 0)
            continue;
        rows[f].family = static_cast<Family>(f);
        std::stable_sort(rows[f].types.begin(), rows[f].types.end(), larger);
        table.families.push_back(std::move(rows[f]));
    }
    std::stable_sort(table.families.begin(), table.families.end(), larger);
    return table;
}

std::vector<TypeFolder> foldersOfType(const FileTree& tree, NodeId top, FileType type, Measure measure,
                                      std::size_t most)
{
    std::map<NodeId, TypeFolder> found;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node) || tree.store().type(node) != type)
            return;
        const NodeId folder = node == top ? node : tree.parent(node);
        auto& own = found[folder];
        own.folder = folder;
        own.size += tree.measured(node, measure);
        ++own.files;
    });
    std::vector<TypeFolder> folders;
    folders.reserve(found.size());
    for (const auto& [id, folder] : found)
        folders.push_back(folder);
    std::sort(folders.begin(), folders.end(), [](const TypeFolder& a, const TypeFolder& b) {
        return a.size != b.size ? a.size > b.size : a.folder < b.folder;
    });
    if (folders.size() > most)
        folders.resize(most);
    return folders;
}

std::vector<NodeId> largestUnknown(const FileTree& tree, NodeId top, std::size_t most)
{
    std::vector<NodeId> found;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.store().kind(node) == EntryKind::File && tree.store().type(node) == 0 && tree.disk(node) > 0)
            found.push_back(node);
    });
    const auto end = found.begin() + static_cast<std::ptrdiff_t>(std::min(most, found.size()));
    std::partial_sort(found.begin(), end, found.end(), [&tree](NodeId a, NodeId b) {
        return tree.disk(a) != tree.disk(b) ? tree.disk(a) > tree.disk(b) : a < b;
    });
    found.erase(end, found.end());
    return found;
}

} // namespace kurvo
