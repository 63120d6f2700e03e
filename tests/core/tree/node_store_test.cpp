// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <thread>

#include "core/tree/node_store.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

NewNode node(std::string_view name, EntryKind kind = EntryKind::File)
{
    NewNode n;
    n.name = name;
    n.stat.kind = kind;
    n.stat.links = 1;
    return n;
}

} // namespace

TEST_CASE("a store keeps what it is given", "[tree]")
{
    NodeStore store("/place");
    NodeStore::NameWriter names(store);
    NewNode children[] = {node("file.flac"), node(".hidden", EntryKind::Folder), node("link", EntryKind::SymbolicLink)};
    children[0].stat.size = 12345;
    children[0].stat.blocks = 32;
    children[0].stat.inode = 99;
    children[0].stat.uid = 1000;
    children[0].stat.modified = -5;
    children[0].stat.modifiedNs = 999999999;
    children[0].type = 42;
    children[1].stat.device = 77;
    const auto first = store.append(rootNode, children, names).first;
    const NewNode inside[] = {node("inside")};
    const auto below = store.append(first + 1, inside, names).first;
    store.seal();

    CHECK(store.size() == 5);
    CHECK(store.folderCount() == 2);
    CHECK(store.firstChild(rootNode) == first);
    CHECK(store.childCount(rootNode) == 3);
    CHECK(store.name(first) == "file.flac");
    CHECK(store.ownApparent(first) == 12345);
    CHECK(store.ownDisk(first) == 32 * 512);
    CHECK(store.inode(first) == 99);
    CHECK(store.owner(first) == 1000);
    CHECK(store.modified(first) == -5);
    CHECK(store.modifiedNs(first) == 999999999);
    CHECK(store.type(first) == 42);
    CHECK(store.kind(first + 2) == EntryKind::SymbolicLink);
    CHECK(store.parent(below) == first + 1);
    CHECK(store.has(first + 1, FlagHidden));
    CHECK(store.has(below, FlagHidden)); // an ancestor is
    CHECK_FALSE(store.has(first, FlagHidden));
    CHECK(store.device(first + 1) == 77);
    CHECK(store.device(below) == 77);
    CHECK(store.path(below) == "/place/.hidden/inside");
    CHECK(store.path(rootNode) == "/place");
}

TEST_CASE("the root of the file system joins without a double slash", "[tree]")
{
    const auto tree = plant(folder("/", {folder("home", {file("x", 1)})}));
    CHECK(tree->path(*tree->find("/home/x")) == "/home/x");
    CHECK(tree->find("/") == rootNode);
}

TEST_CASE("numbers too large for the narrow columns are kept exactly", "[tree]")
{
    NodeStore store("/");
    NodeStore::NameWriter names(store);
    const std::int64_t times[] = {INT64_MIN,  -(std::int64_t{1} << 33) - 1, -(std::int64_t{1} << 33), -2147483648, 0,
                                  4102444800, (std::int64_t{1} << 33) - 1,  std::int64_t{1} << 33,    INT64_MAX};
    const std::uint64_t sizes[] = {0, 1, UINT32_MAX, std::uint64_t{UINT32_MAX} + 1, INT64_MAX};
    std::vector<NewNode> children;
    for (const auto time : times)
        for (const auto size : sizes) {
            auto n = node("n");
            n.stat.modified = time;
            n.stat.modifiedNs = 123456789;
            n.stat.size = size;
            n.stat.blocks = size / 512;
            children.push_back(n);
        }
    auto at = store.append(rootNode, children, names).first;
    store.seal();
    for (const auto& child : children) {
        CHECK(store.modified(at) == child.stat.modified);
        CHECK(store.modifiedNs(at) == 123456789);
        CHECK(store.ownApparent(at) == child.stat.size);
        CHECK(store.ownDisk(at) == child.stat.blocks * 512);
        ++at;
    }
}

TEST_CASE("folders and special files have no apparent size", "[tree]")
{
    NodeStore store("/");
    NodeStore::NameWriter names(store);
    for (const auto kind :
         {EntryKind::Folder, EntryKind::Fifo, EntryKind::Socket, EntryKind::BlockDevice, EntryKind::CharacterDevice}) {
        NewNode children[] = {node("n", kind)};
        children[0].stat.size = 4096;
        NodeStore one("/");
        NodeStore::NameWriter writer(one);
        const auto id = one.append(rootNode, children, writer).first;
        CHECK(one.ownApparent(id) == 0);
        CHECK(one.kind(id) == kind);
    }
}

TEST_CASE("more owners than a short index can tell apart", "[tree]")
{
    NodeStore store("/");
    NodeStore::NameWriter names(store);
    std::vector<NewNode> children;
    for (std::uint32_t uid = 0; uid < 66000; ++uid) {
        auto n = node("n");
        n.stat.uid = uid * 7;
        children.push_back(n);
    }
    const auto first = store.append(rootNode, children, names).first;
    store.seal();
    for (const std::uint32_t i : {0u, 1u, 65534u, 65535u, 65536u, 65999u})
        CHECK(store.owner(first + i) == i * 7);
}

TEST_CASE("paths compare as their bytes do", "[tree]")
{
    for (std::uint64_t seed = 1; seed <= 12; ++seed) {
        const auto tree = randomTree(seed);
        const auto& store = tree->store();
        const auto sign = [](int v) { return v < 0 ? -1 : v > 0 ? 1 : 0; };
        const std::uint32_t step = std::max(1u, store.size() / 60);
        for (NodeId a = 0; a < store.size(); a += step)
            for (NodeId b = 0; b < store.size(); b += step) {
                INFO(store.path(a) << " and " << store.path(b));
                CHECK(sign(store.comparePaths(a, b)) == sign(store.path(a).compare(store.path(b))));
            }
    }
    const auto tree = plant(folder("/p", {folder("a", {file("z", 1)}), file("a.b", 1), file("a b", 1)}));
    CHECK(tree->store().comparePaths(*tree->find("/p/a/z"), *tree->find("/p/a.b")) > 0); // '/' sorts after '.'
    CHECK(tree->store().comparePaths(*tree->find("/p/a/z"), *tree->find("/p/a b")) > 0);
    CHECK(tree->store().comparePaths(*tree->find("/p/a"), *tree->find("/p/a/z")) < 0);
}

TEST_CASE("several threads append at once", "[tree][scan]")
{
    NodeStore store("/");
    std::vector<NewNode> folders;
    std::vector<std::string> folderNames;
    for (int i = 0; i < 8; ++i)
        folderNames.push_back("folder-" + std::to_string(i));
    for (const auto& name : folderNames)
        folders.push_back(node(name, EntryKind::Folder));
    NodeStore::NameWriter names(store);
    const auto first = store.append(rootNode, folders, names).first;
    {
        std::vector<std::jthread> team;
        for (std::uint32_t i = 0; i < 8; ++i)
            team.emplace_back([&store, first, i] {
                NodeStore::NameWriter own(store);
                std::vector<std::string> text;
                for (int k = 0; k < 20000; ++k)
                    text.push_back("entry-" + std::to_string(i) + "-" + std::to_string(k));
                std::vector<NewNode> children;
                for (const auto& name : text) {
                    children.push_back(node(name));
                    children.back().stat.uid = i;
                    children.back().stat.links = 1 + (children.size() % 100 == 0 ? 1 : 0);
                    children.back().stat.inode = children.size();
                    children.back().stat.size = children.size() % 50 == 0 ? INT64_MAX : 5;
                }
                store.append(first + i, children, own);
            });
    }
    store.seal();
    CHECK(store.size() == 1 + 8 + 8 * 20000);
    for (std::uint32_t i = 0; i < 8; ++i) {
        const auto at = store.firstChild(first + i);
        CHECK(store.childCount(first + i) == 20000);
        CHECK(store.name(at) == "entry-" + std::to_string(i) + "-0");
        CHECK(store.name(at + 19999) == "entry-" + std::to_string(i) + "-19999");
        CHECK(store.owner(at + 7) == i);
        CHECK(store.ownApparent(at + 49) == INT64_MAX);
    }
    CHECK(store.linkSets().size() == 200); // the same inode in each of the eight folders
    CHECK(store.linkSets()[0].count == 8);
}
