// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "core/layout/dial.h"
#include "core/layout/treemap.h"
#include "core/scan/join.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

bool inside(const Rect& inner, const Rect& outer)
{
    constexpr double slack = 1e-6;
    return inner.x >= outer.x - slack && inner.y >= outer.y - slack &&
           inner.x + inner.width <= outer.x + outer.width + slack &&
           inner.y + inner.height <= outer.y + outer.height + slack;
}

bool overlap(const Rect& a, const Rect& b)
{
    constexpr double slack = 1e-6;
    return a.x + slack < b.x + b.width && b.x + slack < a.x + a.width && a.y + slack < b.y + b.height &&
           b.y + slack < a.y + a.height;
}

double aspect(const Rect& r)
{
    return std::max(r.width / r.height, r.height / r.width);
}

} // namespace

TEST_CASE("the example of the paper", "[treemap]")
{
    // Bruls, Huizing, van Wijk: sizes 6 6 4 3 2 2 1 in a rectangle of 6 by 4.
    const auto rects = squarify({6, 6, 4, 3, 2, 2, 1}, {0, 0, 6, 4});
    REQUIRE(rects.size() == 7);
    CHECK(rects[0].width == Approx(3));
    CHECK(rects[0].height == Approx(2));
    CHECK(rects[1].width == Approx(3));
    CHECK(rects[2].width == Approx(12.0 / 7));
    CHECK(rects[2].height == Approx(7.0 / 3));
    CHECK(rects[3].height == Approx(7.0 / 3));
}

TEST_CASE("areas are in proportion, fill the rectangle and do not overlap", "[treemap][property]")
{
    std::mt19937 random(11);
    const auto upTo = [&random](unsigned bound) { return static_cast<double>(random() % bound); };
    for (int round = 0; round < 200; ++round) {
        std::vector<double> sizes;
        for (auto n = 1 + random() % 60; n > 0; --n)
            sizes.push_back(std::pow(10.0, static_cast<double>(random() % 1200) / 100.0));
        std::sort(sizes.rbegin(), sizes.rend());
        const Rect bounds{upTo(50), upTo(50), 1.0 + upTo(1500), 1.0 + upTo(900)};
        const auto rects = squarify(sizes, bounds);
        double total = 0, area = 0;
        for (const double s : sizes)
            total += s;
        for (std::size_t i = 0; i < rects.size(); ++i) {
            const auto& r = rects[i];
            REQUIRE(std::isfinite(r.x + r.y + r.width + r.height));
            CHECK(inside(r, bounds));
            CHECK(r.area() == Approx(sizes[i] / total * bounds.area()).epsilon(1e-6).margin(1e-6));
            area += r.area();
        }
        CHECK(area == Approx(bounds.area()).epsilon(1e-9));
        for (std::size_t i = 0; i < rects.size(); ++i)
            for (std::size_t k = i + 1; k < rects.size(); ++k)
                if (rects[i].area() > 1e-3 && rects[k].area() > 1e-3)
                    CHECK_FALSE(overlap(rects[i], rects[k]));
    }
}

TEST_CASE("equal sizes give tiles that are nearly square", "[treemap]")
{
    for (const auto& r : squarify(std::vector<double>(100, 1.0), {0, 0, 1000, 700}))
        CHECK(aspect(r) < 2.5);
}

TEST_CASE("nothing to draw, or nowhere to draw it", "[treemap]")
{
    CHECK(squarify({}, {0, 0, 10, 10}).empty());
    CHECK(squarify({1, 2}, {0, 0, 0, 10})[0].area() == 0);
    const auto empty = plant(folder("/p", {}));
    const Treemap map(*empty, rootNode, {0, 0, 100, 100});
    CHECK(map.tiles().size() == 1);
    CHECK(map.tileAt(50, 50) == 0);
    CHECK(Treemap().tileAt(1, 1) == -1);
    const auto zero = plant(folder("/p", {file("a", 0), file("b", 0)}));
    CHECK(Treemap(*zero, rootNode, {0, 0, 100, 100}).tiles().size() == 1);
    TreemapOptions byCount;
    byCount.measure = Measure::Files;
    CHECK(Treemap(*zero, rootNode, {0, 0, 100, 100}, byCount).tiles().size() == 3);
    CHECK(Treemap(*zero, rootNode, {0, 0, 1, 1}, byCount).tiles().size() >= 1);
}

TEST_CASE("no item is lost: tiles and rests account for every child", "[treemap][property]")
{
    for (std::uint64_t seed = 1; seed <= 80; ++seed) {
        const auto tree = randomTree(seed);
        const Treemap map(*tree, rootNode, {0, 0, 900, 600});
        const auto& tiles = map.tiles();
        for (std::uint32_t i = 0; i < tiles.size(); ++i) {
            const auto& tile = tiles[i];
            REQUIRE(std::isfinite(tile.rect.area()));
            if (i > 0)
                CHECK(inside(tile.rect, tiles[tile.parent].rect));
            if (tile.kind != CellKind::Folder || tile.end == i + 1)
                continue;
            std::uint64_t drawn = 0, rest = 0, sum = 0;
            for (auto k = i + 1; k < tile.end; k = tiles[k].end) {
                CHECK(tiles[k].parent == i);
                sum += tiles[k].size;
                if (tiles[k].kind == CellKind::Rest)
                    rest += tiles[k].restCount;
                else
                    ++drawn;
            }
            std::uint64_t children = 0, sized = 0, zero = 0;
            tree->forEachChild(tile.node, [&](NodeId child) {
                ++children;
                sized += tree->disk(child);
                zero += tree->disk(child) == 0 ? 1 : 0;
            });
            INFO("seed " << seed << ", " << tree->path(tile.node));
            CHECK(sum == sized);
            CHECK(drawn + std::max(rest, zero) == children);
        }
    }
}

TEST_CASE("hit testing finds the innermost tile", "[treemap][property]")
{
    std::mt19937 random(5);
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        const auto tree = randomTree(seed);
        const Treemap map(*tree, rootNode, {0, 0, 640, 480});
        const auto& tiles = map.tiles();
        for (int probe = 0; probe < 200; ++probe) {
            const double x = static_cast<double>(random() % 640) + 0.37, y = static_cast<double>(random() % 480) + 0.41;
            int expected = -1;
            for (std::size_t i = 0; i < tiles.size();
                 ++i) // the obvious way: the last one in depth-first order that holds it
                if (tiles[i].rect.contains(x, y) &&
                    (expected < 0 || tiles[i].depth > tiles[static_cast<std::size_t>(expected)].depth))
                    expected = static_cast<int>(i);
            CHECK(map.tileAt(x, y) == expected);
        }
        CHECK(map.tileAt(-1, 5) == -1);
        CHECK(map.tileAt(5, 481) == -1);
    }
}

TEST_CASE("each node leads to the tile that shows it", "[treemap]")
{
    const auto tree = plant(folder(
        "/p", {folder("big", {file("a", 60000000), file("b", 50000000), file("tiny", 1)}), file("c", 40000000)}));
    const Treemap map(*tree, rootNode, {0, 0, 400, 300});
    const auto at = [&](const char* path) {
        return map.tiles()[static_cast<std::size_t>(map.tileOf(*tree, *tree->find(path)))];
    };
    CHECK(at("/p/big").node == *tree->find("/p/big"));
    CHECK(at("/p/big/a").node == *tree->find("/p/big/a"));
    CHECK(at("/p/big/tiny").kind == CellKind::Rest);
    CHECK(at("/p/big/tiny").node == *tree->find("/p/big"));
    CHECK(map.tileOf(*tree, rootNode) == 0);
    const Treemap inner(*tree, *tree->find("/p/big"), {0, 0, 400, 300});
    CHECK(inner.tileOf(*tree, *tree->find("/p/c")) == -1);
}

TEST_CASE("a folder too fine to open is drawn as a whole", "[treemap]")
{
    std::vector<Sapling> many;
    for (int i = 0; i < 20000; ++i)
        many.push_back(file("f" + std::to_string(i), 4096));
    const auto tree = plant(folder("/p", {folder("fine", many), file("other", 20000 * 4096)}));
    const Treemap map(*tree, rootNode, {0, 0, 400, 300});
    CHECK(map.tiles().size() == 3);
    const auto fine = map.tileOf(*tree, *tree->find("/p/fine"));
    CHECK(map.tiles()[static_cast<std::size_t>(fine)].kind == CellKind::Leaf);
    const Treemap within(*tree, *tree->find("/p/fine"), {0, 0, 400, 300});
    REQUIRE(within.tiles().size() == 2); // as the focus it shows its rest
    CHECK(within.tiles()[1].kind == CellKind::Rest);
    CHECK(within.tiles()[1].restCount == 20000);
}

TEST_CASE("a folder whose entries have no size is drawn as a whole", "[treemap]")
{
    const auto tree = plant(folder("/p", {folder("many", {file("a", 0), file("b", 0)}), file("other", 4096)}));
    TreemapOptions options;
    options.measure = Measure::Apparent;
    const Treemap map(*tree, rootNode, {0, 0, 400, 300}, options);
    CHECK(map.tileOf(*tree, *tree->find("/p/many/a")) >= 0);
    for (const auto& tile : map.tiles())
        CHECK((tile.kind != CellKind::Folder || tile.end > 1));
}

TEST_CASE("depth limits how many levels are opened", "[treemap]")
{
    const auto tree = plant(folder("/p", {folder("a", {folder("b", {folder("c", {file("x", 4096)})})})}));
    TreemapOptions options;
    options.depth = 2;
    const Treemap map(*tree, rootNode, {0, 0, 500, 500}, options);
    REQUIRE(map.tiles().size() == 3);
    CHECK(map.tiles()[1].kind == CellKind::Folder);
    CHECK(map.tiles()[2].kind == CellKind::Leaf);
}

TEST_CASE("arrows walk among the tiles of one folder", "[treemap]")
{
    const auto tree = plant(folder("/p", {file("a", 40000), file("b", 40000), file("c", 40000), file("d", 40000)}));
    const Treemap map(*tree, rootNode, {0, 0, 400, 400});
    REQUIRE(map.tiles().size() == 5); // two by two
    const int start = map.tileAt(10, 10);
    const int right = map.neighbour(start, 1, 0);
    CHECK(right == map.tileAt(390, 10));
    CHECK(map.neighbour(right, 0, 1) == map.tileAt(390, 390));
    CHECK(map.neighbour(right, 1, 0) == right); // nothing further
    CHECK(map.neighbour(map.tileAt(390, 390), -1, 0) == map.tileAt(10, 390));
    CHECK(map.neighbour(map.tileAt(10, 390), 0, -1) == start);
    CHECK(map.neighbour(0, 1, 0) == 0);
    CHECK(map.firstInside(0) == 1);
    CHECK(map.firstInside(1) == -1);
    CHECK(map.firstInside(99) == -1);
}

TEST_CASE("several drives are as large as they are, with what each has beside its entries in it", "[treemap][dial]")
{
    const auto full = plant(folder("/", {file("a", 700 * 512)})), empty = plant(folder("/mnt/b", {file("c", 2 * 512)}));
    const auto both = joinTrees("both", {{full}, {empty}});
    const auto first = *both->find("/"), second = *both->find("/mnt/b");
    const auto bytes = [&](NodeId root, std::uint64_t total) {
        return std::pair(root, DriveAreas{0, 0, total - both->disk(root)});
    };
    TreemapOptions options;
    options.areas = {bytes(first, 1000 * 512), bytes(second, 3000 * 512)};
    const Treemap map(*both, rootNode, {0, 0, 1000, 1000}, options);
    const auto& tiles = map.tiles();
    // The empty drive is the largest tile, and mostly free.
    REQUIRE(tiles[1].node == second);
    CHECK(tiles[1].rect.area() == Approx(750000));
    CHECK(tiles[1].size == both->disk(second)); // what is said of it is what is on it
    CHECK(tiles[2].kind == CellKind::Free);
    CHECK(tiles[2].parent == 1);
    const auto other = static_cast<std::size_t>(map.tileOf(*both, first));
    CHECK(tiles[other].rect.area() == Approx(250000));
    CHECK(tiles[static_cast<std::size_t>(map.tileOf(*both, *both->find("/a")))].rect.area() > 150000);
    // Gone into, each fills the picture.
    const Treemap inner(*both, second, {0, 0, 1000, 1000}, options);
    REQUIRE(inner.tiles().size() == 3);
    CHECK(inner.tiles()[1].kind == CellKind::Free);

    DialOptions dialOptions;
    dialOptions.areas = options.areas;
    const Dial dial(*both, rootNode, {0, 0, 600, 600}, dialOptions);
    REQUIRE(dial.arcs()[1].node == second);
    CHECK(dial.arcs()[1].to == Approx(0.75));
    CHECK(dial.rings() == 2);
}
