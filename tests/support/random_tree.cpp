// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/random_tree.h"

#include <algorithm>
#include <random>

#include "core/types/file_types.h"

namespace kurvo::test {
namespace {

void append(NodeStore& store, NodeStore::NameWriter& names, NodeId node, const Sapling& sapling, std::uint64_t& inode)
{
    std::vector<NewNode> group;
    for (const auto& child : sapling.children) {
        NewNode entry;
        entry.name = child.name;
        entry.stat.kind = child.folder ? EntryKind::Folder : EntryKind::File;
        entry.stat.inode = child.inode != 0 ? child.inode : ++inode;
        entry.stat.device = 7;
        entry.stat.links = child.links;
        entry.stat.size = child.bytes;
        entry.stat.blocks = child.folder ? 0 : (child.bytes + 511) / 512;
        entry.stat.modified = child.modified;
        entry.stat.uid = child.owner;
        entry.type = child.folder ? FileType{0} : typeOfName(child.name);
        group.push_back(entry);
    }
    const auto first = store.append(node, group, names).first;
    for (std::uint32_t i = 0; i < sapling.children.size(); ++i)
        if (sapling.children[i].folder)
            append(store, names, first + i, sapling.children[i], inode);
}

Sapling randomFolder(std::mt19937_64& random, std::string name, int depth)
{
    static constexpr const char* endings[] = {".jpg", ".flac", ".log", "", ".tar.gz", ".so.2", ".\xff\xfe", " .txt"};
    Sapling result = folder(std::move(name), {});
    const auto count = random() % 12;
    for (std::uint64_t i = 0; i < count; ++i) {
        const auto own = (random() % 6 == 0 ? "." : "") + std::string("n") + std::to_string(i);
        if (depth < 6 && random() % 3 == 0) {
            result.children.push_back(randomFolder(random, own, depth + 1));
            continue;
        }
        std::uint64_t size = random() % 5 == 0 ? 0 : random() % 1000000;
        if (random() % 40 == 0)
            size = std::uint64_t{1} << (30 + random() % 20);
        auto leaf = file(own + endings[random() % std::size(endings)], size);
        if (random() % 10 == 0) {
            leaf.inode = 1 + random() % 5; // shared with others of the same number
            leaf.links = 2 + static_cast<std::uint32_t>(random() % 3);
            leaf.bytes = 4096 * leaf.inode;
        }
        leaf.modified = static_cast<std::int64_t>(random() % 2000000000);
        leaf.owner = static_cast<std::uint32_t>(1000 + random() % 14);
        result.children.push_back(std::move(leaf));
    }
    return result;
}

} // namespace

Sapling file(std::string name, std::uint64_t bytes)
{
    Sapling s;
    s.name = std::move(name);
    s.bytes = bytes;
    return s;
}

Sapling folder(std::string name, std::vector<Sapling> children)
{
    Sapling s;
    s.name = std::move(name);
    s.children = std::move(children);
    s.folder = true;
    return s;
}

std::shared_ptr<const FileTree> plant(const Sapling& root)
{
    auto store = std::make_shared<NodeStore>(root.name);
    NodeStore::NameWriter names(*store);
    EntryStat stat;
    stat.kind = EntryKind::Folder;
    stat.device = 7;
    stat.inode = 2;
    store->setRoot(stat, names);
    std::uint64_t inode = 1000;
    append(*store, names, rootNode, root, inode);
    store->seal();
    return std::make_shared<FileTree>(std::move(store));
}

std::shared_ptr<const FileTree> randomTree(std::uint64_t seed)
{
    std::mt19937_64 random(seed);
    return plant(randomFolder(random, "/random", 0));
}

std::string describe(const FileTree& tree)
{
    std::vector<std::string> lines;
    const auto& s = tree.store();
    tree.forEachBelow(rootNode, [&](NodeId n) {
        auto line = tree.path(n);
        for (const auto number :
             {static_cast<std::uint64_t>(s.kind(n)), tree.disk(n), tree.apparent(n), s.ownDisk(n), s.ownApparent(n),
              s.inode(n), static_cast<std::uint64_t>(s.modified(n)), std::uint64_t{s.modifiedNs(n)},
              std::uint64_t{s.owner(n)}, s.device(n), std::uint64_t{s.flags(n)}, std::uint64_t{s.type(n)}})
            line += " " + std::to_string(number);
        if (s.has(n, FlagLinked) && !s.isFolder(n))
            line += " links " + std::to_string(s.linkSets()[s.linkSetOf(n)].links);
        lines.push_back(line);
    });
    std::sort(lines.begin(), lines.end());
    std::string all;
    for (const auto& line : lines)
        all += line + "\n";
    return all;
}

} // namespace kurvo::test
