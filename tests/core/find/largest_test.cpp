// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <algorithm>

#include "core/find/largest.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("the largest files of random trees, in order, whatever the count", "[find][property]")
{
    for (std::uint64_t seed = 1; seed <= 40; ++seed) {
        const auto tree = randomTree(seed);
        std::vector<std::pair<std::uint64_t, std::string>> all;
        tree->forEachBelow(rootNode, [&](NodeId n) {
            if (!tree->isFolder(n))
                all.emplace_back(tree->disk(n), tree->path(n));
        });
        std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
            return a.first != b.first ? a.first > b.first : a.second < b.second;
        });
        for (const std::size_t count : {std::size_t{0}, std::size_t{1}, std::size_t{7}, all.size(), all.size() + 5}) {
            const auto found = largestFiles(*tree, count);
            REQUIRE(found.size() == std::min(count, all.size()));
            for (std::size_t i = 0; i < found.size(); ++i)
                CHECK(tree->path(found[i]) == all[i].second);
        }
    }
}

TEST_CASE("among very many equal files the first by path are taken", "[find]")
{
    std::vector<Sapling> folders;
    for (int i = 0; i < 40; ++i) {
        std::vector<Sapling> inside;
        for (int k = 0; k < 30; ++k)
            inside.push_back(file("f" + std::to_string(k * 7 % 30), 0));
        folders.push_back(folder("d" + std::to_string(i * 11 % 40), inside));
        folders.push_back(file("d" + std::to_string(i * 11 % 40) + ".x", 0)); // sorts before what is in d..
    }
    folders.push_back(file("big", 4096));
    const auto tree = plant(folder("/p", folders));
    std::vector<std::string> paths;
    tree->forEachBelow(rootNode, [&](NodeId n) {
        if (!tree->isFolder(n) && tree->disk(n) == 0)
            paths.push_back(tree->path(n));
    });
    std::sort(paths.begin(), paths.end());
    const auto found = largestFiles(*tree, 501);
    REQUIRE(found.size() == 501);
    CHECK(tree->name(found[0]) == "big");
    for (std::size_t i = 1; i < found.size(); ++i)
        CHECK(tree->path(found[i]) == paths[i - 1]);
}

TEST_CASE("only what lies below is looked at", "[find]")
{
    const auto tree = plant(folder("/p", {file("huge", 99999), folder("in", {file("a", 10), file(".b", 20000)}),
                                          folder(".h", {file("c", 50000)})}));
    const auto in = *tree->find("/p/in");
    CHECK(tree->path(largestFiles(*tree, 1, in)[0]) == "/p/in/.b");
    CHECK(tree->path(largestHiddenFile(*tree)) == "/p/.h/c");
    CHECK(tree->path(largestHiddenFile(*tree, in)) == "/p/in/.b");
    const auto open = plant(folder("/p", {file("a", 10)}));
    CHECK(largestHiddenFile(*open) == noNode);
}
