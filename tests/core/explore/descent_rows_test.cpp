// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the descent, which the window and the terminal view share.
#include <catch2/catch.hpp>

#include "core/explore/descent.h"
#include "core/scan/scanner.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Place {
    TestFolder t;
    std::shared_ptr<const FileTree> tree;
    void scanIt()
    {
        auto result = scan(t.path());
        REQUIRE(result);
        tree = result->tree;
    }
    NodeId node(const std::string& below) const { return tree->find(t / below).value_or(noNode); }
    std::vector<std::string> names(const std::vector<DescentRow>& rows) const
    {
        std::vector<std::string> all;
        for (const auto& row : rows)
            all.push_back(row.isRest() ? "rest" : std::string(tree->name(row.node)));
        return all;
    }
};

using Names = std::vector<std::string>;

} // namespace

TEST_CASE("rows of the descent are sorted as wanted, equal ones by name", "[explore][descent]")
{
    Place p;
    p.t.file("b/one", 300'000, 1700000000);
    p.t.file("a/one", 10'000, 1750000000);
    p.t.file("a/two", 10'000, 1740000000);
    p.t.file("c/one", 300'000, 1600000000);
    p.scanIt();
    DescentWish wish{p.tree, rootNode, Measure::Disk, DescentSort::Size, {}, {}};
    CHECK(wish.childCount() == 3);
    CHECK(p.names(descentRows(wish)) == Names{"b", "c", "a"});
    wish.sort = DescentSort::Count;
    CHECK(p.names(descentRows(wish)) == Names{"a", "b", "c"});
    wish.sort = DescentSort::Name;
    CHECK(p.names(descentRows(wish)) == Names{"a", "b", "c"});
    wish.sort = DescentSort::Date;
    CHECK(p.names(descentRows(wish)) == Names{"a", "b", "c"});
    wish.measure = Measure::Files;
    wish.sort = DescentSort::Size;
    const auto rows = descentRows(wish);
    CHECK(rows.front().size == 2);
    CHECK(rows.front().largest == 2);
    CHECK(rows.back().largest == 2); // of the rows beside it
    CHECK(descentRows({}).empty());
}

TEST_CASE("folders that are opened have their children below them", "[explore][descent]")
{
    Place p;
    p.t.file("films/old/long.mkv", 900'000);
    p.t.file("films/short.mkv", 100'000);
    p.t.file("papers/a.pdf", 50'000);
    p.scanIt();
    DescentWish wish{p.tree, rootNode, Measure::Disk, DescentSort::Size, {p.node("films"), p.node("films/old")}, {}};
    const auto rows = descentRows(wish);
    CHECK(p.names(rows) == Names{"films", "old", "long.mkv", "short.mkv", "papers"});
    CHECK(rows[0].opened);
    CHECK(rows[0].level == 0);
    CHECK(rows[2].level == 2);
    CHECK(rows[2].folder == p.node("films/old"));
    CHECK_FALSE(rows[4].opened);
    // A file that is said to be opened is only a file.
    wish.opened = {p.node("films/short.mkv")};
    CHECK(p.names(descentRows(wish)) == Names{"films", "papers"});
}

TEST_CASE("what is small is one row until it is asked for", "[explore][descent]")
{
    Place p;
    for (int i = 0; i < 10; ++i)
        p.t.file("big" + std::to_string(i), 500'000);
    for (int i = 0; i < 40; ++i)
        p.t.file("small" + std::to_string(i), 4'000);
    p.scanIt();
    DescentWish wish{p.tree, rootNode, Measure::Disk, DescentSort::Size, {}, {}};
    const auto rows = descentRows(wish);
    REQUIRE(rows.size() == 13); // the dozen largest, and the rest
    CHECK(rows.back().isRest());
    CHECK(rows.back().restCount == 38);
    std::uint64_t sum = 0;
    for (const auto& row : rows)
        sum += row.size;
    std::uint64_t children = 0;
    p.tree->forEachChild(rootNode, [&](NodeId child) { children += p.tree->disk(child); });
    CHECK(sum == children); // nothing is lost in it
    wish.whole = {rootNode};
    CHECK(descentRows(wish).size() == 50);
}
