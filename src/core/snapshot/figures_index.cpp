// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/figures_index.h"

#include <xxhash.h>

#include <algorithm>
#include <functional>

#include "core/snapshot/columns.h"
#include "core/snapshot/header.h"

namespace kurvo {

std::uint64_t indexHash(std::string_view pathBelowPlace)
{
    return XXH3_64bits(pathBelowPlace.data(), pathBelowPlace.size());
}

namespace {

std::size_t mostFiles(const FileTree& tree)
{
    const auto& sums = tree.sums(rootNode);
    return std::max<std::size_t>(1000, (std::size_t{sums.files} + sums.folders) / 100);
}

/// The size on disk from which on files are in the index.
std::uint64_t indexedFrom(const FileTree& tree)
{
    const auto most = mostFiles(tree);
    std::vector<std::uint64_t> sizes;
    sizes.reserve(tree.sums(rootNode).files);
    tree.forEachBelow(rootNode, [&](NodeId node) {
        if (!tree.isFolder(node))
            sizes.push_back(tree.disk(node));
    });
    if (sizes.size() <= most)
        return 0;
    const auto last = sizes.begin() + static_cast<std::ptrdiff_t>(most - 1);
    std::nth_element(sizes.begin(), last, sizes.end(), std::greater<>());
    return std::max<std::uint64_t>(1, *last);
}

} // namespace

FiguresIndex makeIndex(const FileTree& tree)
{
    const auto least = indexedFrom(tree);
    std::size_t files = 0;
    const auto most = 2 * mostFiles(tree); // many of one size
    std::vector<std::pair<std::uint64_t, NodeId>> records{{indexHash({}), rootNode}};
    std::vector<std::pair<NodeId, std::string>> pending{{rootNode, {}}};
    std::string path;
    while (!pending.empty()) {
        const auto [folder, base] = std::move(pending.back());
        pending.pop_back();
        tree.forEachChild(folder, [&, &base = base](NodeId child) {
            const bool isFolder = tree.isFolder(child);
            if (!isFolder && (tree.disk(child) < least || ++files > most))
                return;
            path = base;
            if (!path.empty())
                path += '/';
            path += tree.name(child);
            records.emplace_back(indexHash(path), child);
            if (isFolder)
                pending.emplace_back(child, path);
        });
    }
    std::sort(records.begin(), records.end());
    FiguresIndex index;
    ColumnWriter block;
    for (std::size_t i = 0; i < records.size(); ++i) {
        const auto& [hash, node] = records[i];
        if (i % indexBlockRecords == 0)
            index.first.push_back(hash);
        std::string bytes;
        putU64(bytes, hash);
        for (const char c : bytes)
            block.byte(static_cast<std::uint8_t>(c));
        block.varint(tree.disk(node) / 512);
        block.varint(tree.apparent(node));
        block.varint(tree.files(node));
        block.varint(tree.isFolder(node) ? tree.sums(node).folders : 0);
        if (i % indexBlockRecords == indexBlockRecords - 1 || i + 1 == records.size()) {
            index.blocks.push_back(block.bytes());
            index.items.push_back(static_cast<std::uint32_t>(i % indexBlockRecords + 1));
            block.clear();
        }
    }
    return index;
}

std::optional<EntryFigures> findInBlock(std::string_view block, std::uint64_t hash)
{
    ColumnReader reader(block);
    while (!reader.atEnd() && !reader.failed()) {
        std::uint64_t found = 0;
        for (unsigned shift = 0; shift < 64; shift += 8)
            found |= std::uint64_t{reader.byte()} << shift;
        EntryFigures figures;
        figures.disk = reader.varint() * 512;
        figures.apparent = reader.varint();
        figures.files = reader.varint();
        figures.folders = reader.varint();
        if (found == hash && !reader.failed())
            return figures;
        if (found > hash)
            break;
    }
    return std::nullopt;
}

} // namespace kurvo
