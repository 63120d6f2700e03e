// SPDX-License-Identifier: GPL-3.0-or-later
// Folders that were read again, put into the tree of the place.
#include <catch2/catch.hpp>

#include <filesystem>

#include "core/scan/graft.h"
#include "core/scan/scanner.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

std::shared_ptr<const FileTree> scanned(const std::string& path)
{
    auto result = scan(path);
    REQUIRE(result);
    return result->tree;
}

} // namespace

TEST_CASE("a tree without grafts is copied as it is", "[scan]")
{
    for (std::uint64_t seed = 1; seed <= 10; ++seed) {
        const auto tree = randomTree(seed);
        const auto copy = graft(*tree, {});
        CHECK(describe(*copy.tree) == describe(*tree));
        for (NodeId node = 0; node < tree->extent().nodes; ++node) {
            REQUIRE(copy.idOf(*tree, node) != noNode);
            CHECK(copy.tree->path(copy.idOf(*tree, node)) == tree->path(node));
        }
    }
}

TEST_CASE("grafting a folder that was read again gives what a scan of the whole place gives", "[scan]")
{
    TestFolder t;
    t.file("place/keep/a.txt", 9000);
    t.file("place/keep/deep/b.wav", 90000);
    t.file("place/change/old.log", 50000);
    t.file("place/change/grown.log", 10000);
    t.file("place/change/.hidden/x", 7000);
    t.link("place/keep/a.txt", "place/change/linked.txt");
    const auto place = t / "place";
    const auto before = scanned(place);

    std::filesystem::remove(t / "place/change/old.log");
    t.file("place/change/grown.log", 800000);
    t.file("place/change/new/er/file", 30000);
    t.link("place/keep/deep/b.wav", "place/change/b-again.wav");
    const auto at = before->find(place + "/change");
    REQUIRE(at);
    const auto after = graft(*before, {{*at, scanned(place + "/change")}});
    CHECK(describe(*after.tree) == describe(*scanned(place)));

    SECTION("whoever held an id finds his entry again, or learns that it is gone")
    {
        const auto follow = [&](const std::string& path) {
            return after.idOf(*before, before->find(place + path).value_or(noNode));
        };
        CHECK(after.tree->path(follow("/keep/deep/b.wav")) == place + "/keep/deep/b.wav");
        CHECK(after.tree->path(follow("/change/grown.log")) == place + "/change/grown.log");
        CHECK(after.tree->path(follow("/change")) == place + "/change");
        CHECK(follow("/change/old.log") == noNode);
        CHECK(after.idOf(*before, noNode) == noNode);
    }
    SECTION("several at once, and the whole place")
    {
        const auto keep = *before->find(place + "/keep");
        const auto both = graft(*before, {{*at, scanned(place + "/change")}, {keep, scanned(place + "/keep")}});
        CHECK(describe(*both.tree) == describe(*scanned(place)));
        const auto whole = graft(*before, {{rootNode, scanned(place)}});
        CHECK(describe(*whole.tree) == describe(*scanned(place)));
    }
    SECTION("a folder that is gone")
    {
        std::filesystem::remove_all(t / "place/change");
        const auto without = graft(*before, {{*at, nullptr}});
        CHECK_FALSE(without.tree->find(place + "/change"));
        CHECK(without.tree->sums(rootNode).files == 2);
        CHECK(without.idOf(*before, *before->find(place + "/change/grown.log")) == noNode);
    }
}

TEST_CASE("what was taken out of a tree stays out when another folder is grafted", "[scan]")
{
    TestFolder t;
    t.file("place/gone/file", 5000);
    t.file("place/read/file", 5000);
    const auto place = t / "place";
    const auto whole = scanned(place);
    const FileTree without(whole->sharedStore(), {*whole->find(place + "/gone")});
    const auto grafted = graft(without, {{*whole->find(place + "/read"), scanned(place + "/read")}});
    CHECK_FALSE(grafted.tree->find(place + "/gone"));
    CHECK(grafted.tree->find(place + "/read/file"));
}
