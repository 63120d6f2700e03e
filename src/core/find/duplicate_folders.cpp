// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/duplicate_folders.h"

#include <unistd.h>

#include <algorithm>
#include <array>
#include <climits>
#include <map>
#include <unordered_map>

#define XXH_INLINE_ALL
#include <xxhash.h>

namespace kurvo {
namespace {

/// What one child adds to its folder: sums of these do not depend on the order.
std::uint64_t childHash(std::string_view name, std::uint64_t kind, std::uint64_t what, std::uint64_t seed)
{
    const std::uint64_t parts[] = {XXH3_64bits_withSeed(name.data(), name.size(), seed), kind, what};
    return XXH3_64bits_withSeed(parts, sizeof parts, seed);
}

bool isClosed(const NodeStore& store, NodeId folder)
{
    return store.has(folder, FlagUnreadable) || store.has(folder, FlagDoor);
}

} // namespace

DuplicateFolderFinder::DuplicateFolderFinder(const Trees& trees, std::uint64_t smallest,
                                             const std::function<bool(std::uint32_t, NodeId)>& isLeftOut)
    : trees_(trees), shapes_(trees.size()), wanted_(trees.size())
{
    std::unordered_map<std::uint64_t, std::uint32_t> seen;
    for (std::uint32_t t = 0; t < trees.size(); ++t) {
        const auto& tree = *trees[t];
        const auto& store = tree.store();
        auto& shapes = shapes_[t];
        shapes.assign(tree.extent().folders, 0);
        // Children have larger ids: backwards, what is in a folder is known before it.
        for (NodeId node = tree.extent().nodes; node-- > 1;) {
            if (tree.isRemoved(node))
                continue;
            auto& above = shapes[store.folderIndex(store.parent(node))];
            if (!store.isFolder(node)) {
                above += childHash(store.name(node), static_cast<std::uint64_t>(store.kind(node)),
                                   store.ownApparent(node), 1);
                continue;
            }
            auto& own = shapes[store.folderIndex(node)];
            if (isClosed(store, node) || isLeftOut(t, node))
                own = childHash({}, t, node, 3); // like no other
            above += childHash(store.name(node), 99, own, 1);
            if (tree.sums(node).files > 0 && tree.sums(node).apparent >= smallest)
                ++seen[own];
        }
    }
    for (std::uint32_t t = 0; t < trees.size(); ++t) {
        const auto& tree = *trees[t];
        wanted_[t].assign(tree.extent().folders, false);
        for (NodeId node = 1; node < tree.extent().nodes; ++node) {
            if (!tree.isFolder(node) || tree.isRemoved(node))
                continue;
            const auto index = tree.store().folderIndex(node);
            const bool small = tree.sums(node).files == 0 || tree.sums(node).apparent < smallest;
            const auto found = small ? seen.end() : seen.find(shapes_[t][index]);
            // Whatever lies in one that is wanted has to be read as well.
            wanted_[t][index] =
                (found != seen.end() && found->second > 1) ||
                (tree.parent(node) != rootNode && wanted_[t][tree.store().folderIndex(tree.parent(node))]);
        }
    }
}

bool DuplicateFolderFinder::mustRead(std::uint32_t tree, NodeId file) const
{
    const auto above = trees_[tree]->parent(file);
    return above != noNode && wanted_[tree][trees_[tree]->store().folderIndex(above)];
}

std::vector<DuplicateFolders>
DuplicateFolderFinder::find(const std::function<const ContentHash*(std::uint32_t, NodeId)>& hashOf) const
{
    struct Sum {
        std::uint64_t a = 0, b = 0;
        bool known = true;
        auto operator<=>(const Sum&) const = default;
    };
    std::map<std::pair<std::uint64_t, std::uint64_t>, std::vector<DuplicateFile>> same;
    std::vector<std::vector<Sum>> sums(trees_.size());
    for (std::uint32_t t = 0; t < trees_.size(); ++t) {
        const auto& tree = *trees_[t];
        const auto& store = tree.store();
        sums[t].resize(tree.extent().folders);
        for (NodeId node = tree.extent().nodes; node-- > 1;) {
            const auto index = store.folderIndex(store.parent(node));
            if (tree.isRemoved(node) ||
                (!wanted_[t][index] && !(store.isFolder(node) && wanted_[t][store.folderIndex(node)])))
                continue;
            auto& above = sums[t][index];
            ContentHash content;
            std::uint64_t kind = static_cast<std::uint64_t>(store.kind(node));
            if (store.isFolder(node)) {
                const auto& own = sums[t][store.folderIndex(node)];
                const bool known = own.known && !isClosed(store, node);
                if (known && tree.sums(node).files > 0 && wanted_[t][store.folderIndex(node)])
                    same[{own.a, own.b}].push_back({node, t, 0, false});
                above.known &= known;
                content = {own.a, own.b};
            } else if (store.kind(node) == EntryKind::SymbolicLink) {
                std::array<char, PATH_MAX> target;
                const auto length = ::readlink(tree.path(node).c_str(), target.data(), target.size());
                above.known &= length > 0;
                const auto hash = XXH3_128bits(target.data(), static_cast<std::size_t>(std::max<ssize_t>(length, 0)));
                content = {hash.high64, hash.low64};
            } else if (store.kind(node) == EntryKind::File && store.ownApparent(node) > 0) {
                const auto* hash = hashOf(t, node);
                above.known &= hash != nullptr;
                content = hash ? *hash : ContentHash{};
            } else {
                above.known &= store.kind(node) == EntryKind::File;
            }
            above.a += childHash(store.name(node), kind, content.high, 5) ^ content.low;
            above.b += childHash(store.name(node), kind, content.low, 7) ^ content.high;
        }
    }
    std::vector<DuplicateFolders> found;
    const auto sumOf = [&](const DuplicateFile& folder) {
        return sums[folder.tree][trees_[folder.tree]->store().folderIndex(folder.node)];
    };
    for (const auto& [key, folders] : same) {
        if (folders.size() < 2)
            continue;
        // Where all that hold them are the same as well, those are shown.
        const auto within = [&](const DuplicateFile& folder) {
            const auto above = trees_[folder.tree]->parent(folder.node);
            if (above == noNode || above == rootNode)
                return false;
            const auto sum = sumOf({above, folder.tree, 0, false});
            const auto group = sum.known ? same.find({sum.a, sum.b}) : same.end();
            return group != same.end() && group->second.size() > 1;
        };
        if (std::all_of(folders.begin(), folders.end(), within))
            continue;
        DuplicateFolders group;
        std::uint64_t all = 0, most = 0;
        for (const auto& folder : folders) {
            const auto& tree = *trees_[folder.tree];
            std::uint64_t alone = 0; // what no other path holds
            tree.forEachBelow(folder.node, [&](NodeId node) {
                alone += tree.store().has(node, FlagLinked) ? 0 : tree.store().ownDisk(node);
            });
            all += alone;
            most = std::max(most, alone);
        }
        const auto& first = *trees_[folders[0].tree];
        group.files = first.sums(folders[0].node).files;
        group.bytesEach = first.sums(folders[0].node).apparent;
        group.freeable = all - most;
        group.folders = folders; // not moved: those within ask how many there are
        found.push_back(std::move(group));
    }
    return found;
}

} // namespace kurvo
