// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <algorithm>
#include <random>

#include "core/tree/matching.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// The same names in another order, some gone, some new.
Sapling shuffled(Sapling tree, std::mt19937& random)
{
    std::shuffle(tree.children.begin(), tree.children.end(), random);
    std::erase_if(tree.children, [&](const Sapling&) { return random() % 7 == 0; });
    for (auto& child : tree.children)
        child = shuffled(std::move(child), random);
    if (tree.folder && random() % 3 == 0)
        tree.children.insert(tree.children.begin() + static_cast<std::ptrdiff_t>(random() % (tree.children.size() + 1)),
                             random() % 2 == 0 ? file("new" + std::to_string(random() % 50), 512)
                                               : folder("new" + std::to_string(random() % 50), {}));
    return tree;
}

Sapling grown(std::mt19937& random, int depth)
{
    auto made = folder("f" + std::to_string(random()), {});
    for (auto i = random() % 12; i > 0; --i)
        made.children.push_back(file("n" + std::to_string(random() % 100000), 512));
    if (depth > 0)
        for (auto i = random() % 5; i > 0; --i)
            made.children.push_back(grown(random, depth - 1));
    return made;
}

} // namespace

TEST_CASE("entries are matched by their paths, in whatever order folders list them", "[tree][matching]")
{
    for (unsigned seed = 1; seed <= 100; ++seed) {
        std::mt19937 random(seed);
        auto sapling = grown(random, 4);
        sapling.name = "/top";
        const auto before = plant(sapling);
        const auto now = plant(shuffled(sapling, random));
        const Matching matching(now, before);
        INFO("seed " << seed);
        std::size_t wrong = 0, matched = 0;
        now->forEachBelow(rootNode, [&](NodeId node) {
            auto expected = before->find(now->path(node));
            if (expected && before->isFolder(*expected) != now->isFolder(node))
                expected.reset();
            // Two of one name are not told apart here.
            if (expected && matching.earlier(node) != noNode) {
                ++matched;
                wrong += before->path(matching.earlier(node)) == now->path(node) ? 0 : 1;
            } else {
                wrong += expected.has_value() == (matching.earlier(node) != noNode) ? 0 : 1;
            }
        });
        CHECK(wrong == 0);
        CHECK(matched > 0);
        CHECK(matching.earlier(noNode) == noNode);
    }
}

TEST_CASE("a file and a folder of one name are not the same", "[tree][matching]")
{
    const auto before = plant(folder("/p", {file("x", 512), folder("y", {})}));
    const auto now = plant(folder("/p", {folder("x", {}), file("y", 512)}));
    const Matching matching(now, before);
    CHECK(matching.earlier(*now->find("/p/x")) == noNode);
    CHECK(matching.earlier(*now->find("/p/y")) == noNode);
    CHECK(matching.growth(*now, *now->find("/p/y"), Measure::Disk) == 512);
    CHECK(matching.growth(*now, rootNode, Measure::Disk) == 0);
}
