// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/order.h"

#include <algorithm>
#include <cstdint>
#include <string_view>
#include <system_error>
#include <thread>

namespace kurvo {
namespace {

/// What an entry is sorted by, as one number that orders nearly everything; the rest is compared by `exact`.
struct Key {
    std::uint64_t first = 0;
    std::uint64_t second = 0; ///< of a name: names that begin alike are common
    std::uint64_t size = 0;
    NodeId node = noNode;
};

/// Eight bytes of a name in ASCII lower case, as a number that compares like them.
std::uint64_t eightOf(std::string_view name, std::size_t from)
{
    std::uint64_t key = 0;
    for (std::size_t i = from; i < from + 8; ++i) {
        auto c = i < name.size() ? static_cast<unsigned char>(name[i]) : 0u;
        c = c >= 'A' && c <= 'Z' ? c + ('a' - 'A') : c;
        key = key << 8 | c;
    }
    return key;
}

/// By folder index: the place of each folder when all are listed by path.
std::vector<std::uint32_t> foldersByPath(const FileTree& tree)
{
    std::vector<std::uint32_t> ranks(tree.extent().folders);
    std::vector<NodeId> pending{rootNode}, inside;
    std::uint32_t next = 0;
    while (!pending.empty()) {
        const NodeId folder = pending.back();
        pending.pop_back();
        ranks[tree.store().folderIndex(folder)] = next++;
        inside.clear();
        tree.forEachChild(folder, [&](NodeId child) {
            if (tree.isFolder(child))
                inside.push_back(child);
        });
        std::sort(inside.begin(), inside.end(), [&tree](NodeId a, NodeId b) { return tree.name(a) > tree.name(b); });
        pending.insert(pending.end(), inside.begin(), inside.end());
    }
    return ranks;
}

template <typename Less>
void sortSideBySide(std::vector<Key>& keys, const Less& less)
{
    constexpr std::size_t worthAThread = 50000;
    const auto middle = keys.begin() + static_cast<std::ptrdiff_t>(keys.size() / 2);
    if (keys.size() < worthAThread || std::thread::hardware_concurrency() < 2)
        return std::sort(keys.begin(), keys.end(), less);
    try {
        std::thread other([&] { std::sort(middle, keys.end(), less); });
        std::sort(keys.begin(), middle, less);
        other.join();
        std::inplace_merge(keys.begin(), middle, keys.end(), less);
    } catch (const std::system_error&) { // no thread to be had
        std::sort(keys.begin(), keys.end(), less);
    }
}

} // namespace

void sortFiles(const FileTree& tree, std::vector<NodeId>& files, FileOrder order, bool descending,
               const std::function<std::uint8_t(NodeId)>& given)
{
    const auto& store = tree.store();
    const auto ranks = order == FileOrder::Folder ? foldersByPath(tree) : std::vector<std::uint32_t>{};
    std::vector<Key> keys(files.size());
    constexpr std::uint64_t signBit = std::uint64_t{1} << 63;
    for (std::size_t i = 0; i < files.size(); ++i) {
        const NodeId node = files[i];
        auto& key = keys[i];
        key.node = node;
        key.size = tree.disk(node);
        switch (order) {
        case FileOrder::Name:
            key.first = eightOf(tree.name(node), 0);
            key.second = eightOf(tree.name(node), 8);
            break;
        case FileOrder::Folder:
            key.first = store.parent(node) == noNode ? 0 : ranks[store.folderIndex(store.parent(node))];
            break;
        case FileOrder::Disk:
            key.first = key.size;
            break;
        case FileOrder::Apparent:
            key.first = tree.apparent(node);
            break;
        case FileOrder::Changed:
            key.first = static_cast<std::uint64_t>(store.modified(node)) ^ signBit;
            break;
        case FileOrder::Type: {
            const auto& info = typeInfo(store.type(node));
            key.first = static_cast<std::uint64_t>(info.family) << 32 | store.type(node);
            break;
        }
        case FileOrder::Owner:
            key.first = store.owner(node);
            break;
        case FileOrder::Mark:
        case FileOrder::Advice:
        case FileOrder::Role:
            key.first = given ? given(node) : 0;
            break;
        }
    }
    const auto rest = [](const Key& a, const Key& b) { return a.size != b.size ? a.size > b.size : a.node < b.node; };
    if (order == FileOrder::Name)
        sortSideBySide(keys, [&](const Key& a, const Key& b) {
            if (a.first != b.first)
                return (a.first < b.first) != descending;
            if (a.second != b.second)
                return (a.second < b.second) != descending;
            const auto nameA = tree.name(a.node), nameB = tree.name(b.node);
            if (const int difference = nameA.compare(nameB); difference != 0)
                return (difference < 0) != descending;
            return rest(a, b);
        });
    else
        sortSideBySide(keys, [&](const Key& a, const Key& b) {
            return a.first != b.first ? (a.first < b.first) != descending : rest(a, b);
        });
    std::transform(keys.begin(), keys.end(), files.begin(), [](const Key& key) { return key.node; });
}

} // namespace kurvo
