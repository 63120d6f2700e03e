// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <map>
#include <set>

#include "core/tree/file_tree.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t K = 4096;

Sapling linked(std::string name, std::uint64_t inode, std::uint32_t links, std::uint64_t bytes = 10 * K)
{
    auto s = file(std::move(name), bytes);
    s.inode = inode;
    s.links = links;
    return s;
}

std::shared_ptr<const FileTree> house()
{
    return plant(folder("/house", {folder(".cache", {file("tiles.db", 90 * K), folder("deep", {file("x", 5 * K)})}),
                                   folder("papers", {file("a.odt", 10 * K), file(".lock", 1 * K)}),
                                   file("film.mkv", 40 * K), folder("empty", {})}));
}

} // namespace

TEST_CASE("sums are those of everything below", "[tree]")
{
    const auto tree = house();
    const auto& all = tree->sums(rootNode);
    CHECK(all.files == 5);
    CHECK(all.folders == 4);
    CHECK(all.disk == 146 * K);
    CHECK(all.apparent == 146 * K);
    CHECK(all.hiddenFiles == 3);
    CHECK(all.hiddenDisk == 96 * K);
    const auto cache = *tree->find("/house/.cache");
    CHECK(tree->disk(cache) == 95 * K);
    CHECK(tree->files(cache) == 2);
    CHECK(tree->sums(cache).folders == 1);
    CHECK(tree->measured(cache, Measure::Files) == 2);
    CHECK(tree->measured(*tree->find("/house/film.mkv"), Measure::Files) == 1);
    CHECK(tree->sums(*tree->find("/house/empty")).newest == INT64_MIN);
    CHECK(tree->newest(*tree->find("/house/empty")) == 1700000000); // its own
}

TEST_CASE("children are sorted by the measure, equal ones by name", "[tree]")
{
    const auto tree = plant(
        folder("/p", {file("b", 5), file("a", 5), folder("many", {file("1", 0), file("2", 0)}), file("big", 99)}));
    const auto names = [&](Measure measure) {
        std::string all;
        for (const auto child : tree->sortedChildren(rootNode, measure))
            all += std::string(tree->name(child)) + " ";
        return all;
    };
    CHECK(names(Measure::Apparent) == "big a b many ");
    CHECK(names(Measure::Files) == "many a b big ");
}

TEST_CASE("paths are found, and what is not there is not", "[tree]")
{
    const auto tree = house();
    CHECK(tree->find("/house") == rootNode);
    CHECK(tree->path(*tree->find("/house/.cache/deep/x")) == "/house/.cache/deep/x");
    CHECK(tree->find("/house/papers/") == tree->find("/house/papers"));
    CHECK_FALSE(tree->find("/house/none"));
    CHECK_FALSE(tree->find("/house/film.mkv/inside"));
    CHECK_FALSE(tree->find("/houses"));
    CHECK_FALSE(tree->find("/elsewhere"));
    const auto x = *tree->find("/house/.cache/deep/x");
    CHECK(tree->chain(x).size() == 4);
    CHECK(tree->chain(x).front() == rootNode);
    CHECK(tree->isAtOrBelow(x, *tree->find("/house/.cache")));
    CHECK(tree->isAtOrBelow(x, rootNode));
    CHECK_FALSE(tree->isAtOrBelow(x, *tree->find("/house/papers")));
    CHECK_FALSE(tree->isAtOrBelow(rootNode, x));
    CHECK(tree->label(rootNode) == "house");
}

TEST_CASE("a file with several links counts once, at its first path in byte order", "[tree][links]")
{
    const auto tree = plant(folder(
        "/p", {folder("b", {linked("original", 5, 3)}), folder("a", {linked("first", 5, 3)}), linked("zz", 5, 3)}));
    const auto first = *tree->find("/p/a/first"), original = *tree->find("/p/b/original"), last = *tree->find("/p/zz");
    CHECK(tree->disk(rootNode) == 10 * K);
    CHECK(tree->sums(rootNode).files == 3);
    CHECK(tree->disk(first) == 10 * K);
    CHECK(tree->disk(original) == 0);
    CHECK(tree->apparent(last) == 0);
    CHECK(tree->countedAt(original) == first);
    CHECK(tree->countedAt(first) == first);
    CHECK(tree->disk(*tree->find("/p/b")) == 0);
    const auto& set = tree->store().linkSets()[tree->store().linkSetOf(last)];
    CHECK(set.links == 3);
    CHECK(set.count == 3);
}

TEST_CASE("without its counted path a linked file counts at the next", "[tree][links]")
{
    const auto tree = plant(
        folder("/p", {folder("a", {linked("first", 5, 2)}), folder("b", {linked("second", 5, 2)}), file("x", K)}));
    const auto a = *tree->find("/p/a");
    const FileTree without(tree->sharedStore(), {a});
    CHECK(without.disk(*tree->find("/p/b")) == 10 * K);
    CHECK(without.disk(rootNode) == 11 * K);
    CHECK(without.sums(rootNode).files == 2);
    const FileTree neither(tree->sharedStore(), {a, *tree->find("/p/b/second")});
    CHECK(neither.disk(rootNode) == K);
    CHECK(neither.countedAt(*tree->find("/p/b/second")) == noNode);
}

TEST_CASE("taking items out leaves ids and everything else as they were", "[tree]")
{
    const auto tree = house();
    const auto cache = *tree->find("/house/.cache"), film = *tree->find("/house/film.mkv"),
               papers = *tree->find("/house/papers");
    const FileTree without(tree->sharedStore(), {cache, film});
    CHECK(without.disk(rootNode) == 11 * K);
    CHECK(without.sums(rootNode).hiddenDisk == K);
    CHECK(without.isRemoved(cache));
    CHECK_FALSE(without.contains(*tree->find("/house/.cache/deep/x")));
    CHECK(without.contains(papers));
    CHECK_FALSE(without.contains(noNode));
    CHECK_FALSE(without.find("/house/.cache"));
    CHECK(without.countChildren(rootNode) == 2);
    CHECK(without.sortedChildren(rootNode, Measure::Disk).front() == papers);
    CHECK(tree->countChildren(rootNode) == 4); // the first tree is untouched
    const FileTree back(without.sharedStore(), {});
    CHECK(back.disk(rootNode) == tree->disk(rootNode));
}

TEST_CASE("sums of random trees agree with an obvious recount, with and without removals", "[tree][property]")
{
    for (std::uint64_t seed = 1; seed <= 60; ++seed) {
        const auto whole = randomTree(seed);
        std::vector<NodeId> removed;
        for (NodeId n = 1; n < whole->store().size(); ++n)
            if ((n * 2654435761u + seed) % 17 == 0 && seed % 2 == 0)
                removed.push_back(n);
        const FileTree tree(whole->sharedStore(), removed);
        // Every reachable file by path; a linked one counts at the smallest path of its inode.
        std::map<std::string, NodeId> files;
        std::set<std::string> folders;
        tree.forEachBelow(rootNode, [&](NodeId n) {
            if (!tree.isFolder(n))
                files[tree.path(n)] = n;
            else
                folders.insert(tree.path(n));
        });
        std::set<std::uint64_t> seen;
        std::map<std::string, std::uint64_t> disk, count;
        for (const auto& [path, n] : files) {
            const bool repeat = tree.store().has(n, FlagLinked) && !seen.insert(tree.store().inode(n)).second;
            for (auto above = path; above != "/random";) {
                above = above.substr(0, above.rfind('/'));
                disk[above] += repeat ? 0 : tree.store().ownDisk(n);
                ++count[above];
            }
        }
        for (const auto& path : folders) {
            const auto n = *tree.find(path);
            INFO("seed " << seed << ", " << path);
            CHECK(tree.disk(n) == disk[path]);
            CHECK(tree.files(n) == count[path]);
        }
    }
}

TEST_CASE("following the weight goes down while one folder holds most", "[tree]")
{
    const auto tree =
        plant(folder("/p", {folder("heavy", {folder("heavier", {file("a", 50 * K), file("b", 45 * K)}), file("c", K)}),
                            file("d", 2 * K)}));
    CHECK(followTheWeight(*tree, rootNode, Measure::Disk) == *tree->find("/p/heavy/heavier"));
    CHECK(followTheWeight(*tree, rootNode, Measure::Disk, 0.98) == rootNode);
    CHECK(followTheWeight(*tree, *tree->find("/p/heavy/heavier"), Measure::Disk) == *tree->find("/p/heavy/heavier"));
    const auto empty = plant(folder("/p", {folder("a", {}), folder("b", {})}));
    CHECK(followTheWeight(*empty, rootNode, Measure::Disk) == rootNode);
}

TEST_CASE("the summary of a content changes with any entry in it", "[tree]")
{
    const auto make = [](const std::function<void(Sapling&)>& change) {
        auto root = folder("/p", {file("a", 10), folder("sub", {file("b", 20)})});
        root.children[0].inode = 11;
        root.children[1].inode = 12;
        root.children[1].children[0].inode = 13;
        change(root);
        return summarize(*plant(root), rootNode);
    };
    const auto same = make([](Sapling&) {});
    CHECK(same == make([](Sapling&) {}));
    CHECK(same == make([](Sapling& s) { std::swap(s.children[0], s.children[1]); })); // order does not matter
    CHECK(same == make([](Sapling& s) { s.children[1].modified += 9; }));             // nor a folder's own time
    CHECK_FALSE(same == make([](Sapling& s) { s.children[0].bytes = 11; }));
    CHECK_FALSE(same == make([](Sapling& s) { s.children[0].modified += 1; }));
    CHECK_FALSE(same == make([](Sapling& s) { s.children[0].inode = 99; }));
    CHECK_FALSE(same == make([](Sapling& s) { s.children[1].children.clear(); }));
    CHECK_FALSE(same == make([](Sapling& s) { s.children.push_back(file("new", 0)); }));
}
