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
