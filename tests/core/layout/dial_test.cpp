// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cmath>
#include <numbers>
#include <random>

#include "core/layout/dial.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr Rect bounds{10, 20, 900, 600};

/// A point in the middle of an arc.
std::pair<double, double> middle(const Dial& dial, const Arc& arc)
{
    const double degrees = Dial::startDegrees + Dial::sweepDegrees * (arc.from + arc.to) / 2;
    const double radius = dial.radiusOf(arc) + dial.ringWidth() / 2, angle = degrees * std::numbers::pi / 180;
    return {dial.centreX() + radius * std::cos(angle), dial.centreY() + radius * std::sin(angle)};
}

} // namespace

TEST_CASE("arcs are in proportion, follow one another without a gap and account for every child", "[dial][property]")
{
    for (std::uint64_t seed = 1; seed <= 80; ++seed) {
        const auto tree = randomTree(seed);
        DialOptions options;
        options.measure = static_cast<Measure>(seed % 3);
        if (seed % 2 == 0)
            options.areas = {{rootNode, {1 + seed * 100000, seed % 4 == 0 ? 0u : 500000u, 7000000 * seed}}};
        const Dial dial(*tree, rootNode, bounds, options);
        const auto& arcs = dial.arcs();
        CHECK(dial.rings() <= options.rings);
        for (std::uint32_t i = 0; i < arcs.size(); ++i) {
            const auto& arc = arcs[i];
            REQUIRE(std::isfinite(arc.from + arc.to));
            if (arc.kind != CellKind::Folder || arc.end == i + 1)
                continue;
            double at = arc.from, whole = 0;
            std::uint64_t drawn = 0, rest = 0;
            for (auto k = i + 1; k < arc.end; k = arcs[k].end)
                whole += static_cast<double>(arcs[k].size);
            for (auto k = i + 1; k < arc.end; k = arcs[k].end) {
                CHECK(arcs[k].from == Approx(at).margin(1e-9));
                CHECK(arcs[k].to - arcs[k].from ==
                      Approx((arc.to - arc.from) * static_cast<double>(arcs[k].size) / whole).margin(1e-9));
                CHECK(arcs[k].depth == arc.depth + 1);
                at = arcs[k].to;
                rest += arcs[k].kind == CellKind::Rest ? arcs[k].restCount : 0;
                drawn += arcs[k].kind <= CellKind::Leaf ? 1 : 0;
            }
            CHECK(at == Approx(arc.to).margin(1e-9));
            std::uint64_t children = 0, zero = 0;
            tree->forEachChild(arc.node, [&](NodeId child) {
                ++children;
                zero += tree->measured(child, options.measure) == 0 ? 1 : 0;
            });
            INFO("seed " << seed << ", " << tree->path(arc.node));
            CHECK(drawn + std::max(rest, zero) == children);
        }
    }
}

TEST_CASE("at a drive's root the dial is its capacity, free space last", "[dial]")
{
    const auto tree = plant(folder("/d", {file("small", 100 * 512), file("large", 300 * 512)}));
    DialOptions options;
    options.areas = {{rootNode, {100 * 512, 50 * 512, 450 * 512}}};
    const Dial dial(*tree, rootNode, bounds, options);
    REQUIRE(dial.arcs().size() == 6);
    const auto& arcs = dial.arcs();
    CHECK(arcs[1].node == *tree->find("/d/large"));
    CHECK(arcs[1].to == Approx(0.3));
    CHECK(arcs[2].to == Approx(0.4));
    CHECK(arcs[3].kind == CellKind::NotSeen);
    CHECK(arcs[4].kind == CellKind::Reserved);
    CHECK(arcs[5].kind == CellKind::Free);
    CHECK(arcs[5].from == Approx(0.55));
    CHECK(arcs[5].to == Approx(1));
    CHECK(dial.neighbour(2, 1, 0) == 2); // what is no entry cannot be walked to
}

TEST_CASE("hit testing finds the arc in whose middle one points", "[dial][property]")
{
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        const auto tree = randomTree(seed);
        const Dial dial(*tree, rootNode, bounds);
        CHECK(dial.arcAt(dial.centreX(), dial.centreY()) == 0);
        CHECK(dial.arcAt(dial.centreX(), dial.centreY() + dial.outerRadius() * 0.9) == -1); // the opening
        CHECK(dial.arcAt(dial.centreX(), dial.centreY() - dial.outerRadius() * 1.01) == -1);
        for (std::size_t i = 1; i < dial.arcs().size(); ++i) {
            const auto [x, y] = middle(dial, dial.arcs()[i]);
            CHECK(dial.arcAt(x, y) == static_cast<int>(i));
            CHECK((x > bounds.x && x < bounds.x + bounds.width && y > bounds.y && y < bounds.y + bounds.height));
        }
    }
}

TEST_CASE("arrows walk along a ring, outwards and inwards", "[dial]")
{
    const auto tree = plant(
        folder("/p", {folder("a", {file("a1", 4000000), file("a2", 3000000)}), folder("b", {file("b1", 5000000)})}));
    const Dial dial(*tree, rootNode, bounds);
    const auto arc = [&](const char* path) { return dial.arcOf(*tree, *tree->find(path)); };
    CHECK(dial.neighbour(arc("/p/a"), 1, 0) == arc("/p/b"));
    CHECK(dial.neighbour(arc("/p/b"), -1, 0) == arc("/p/a"));
    CHECK(dial.neighbour(arc("/p/a/a2"), 1, 0) == arc("/p/b/b1")); // over the edge of the folder
    CHECK(dial.neighbour(arc("/p/a"), 0, -1) == arc("/p/a/a1"));
    CHECK(dial.neighbour(arc("/p/b/b1"), 0, 1) == arc("/p/b"));
    CHECK(dial.neighbour(arc("/p/b"), 0, 1) == arc("/p/b")); // the centre is the focus itself
    CHECK(dial.neighbour(arc("/p/b/b1"), 0, -1) == arc("/p/b/b1"));
}

TEST_CASE("odd folders in both pictures: no crash, nothing that is no number, nothing lost", "[dial][treemap]")
{
    std::vector<Sapling> many;
    for (int i = 0; i < 200000; ++i)
        many.push_back(file("f" + std::to_string(i), 4096));
    Sapling deep = file("bottom", 4096);
    for (int i = 0; i < 300; ++i)
        deep = folder(std::string(255, static_cast<char>('a' + i % 26)), {deep});
    const Sapling cases[] = {folder("/p", {}), folder("/p", {file("one", 5000000)}), folder("/p", many),
                             folder("/p", {deep}),
                             folder("/p", {file("\xff\xfe\x01", 4096), file("tiny", 1), file("huge", 1ull << 63)})};
    for (const auto& sapling : cases) {
        const auto tree = plant(sapling);
        for (const auto& at : {bounds, Rect{0, 0, 3, 3}, Rect{0, 0, 0, 0}}) {
            const Dial dial(*tree, rootNode, at);
            const Treemap map(*tree, rootNode, at);
            for (const auto& arc : dial.arcs())
                CHECK((std::isfinite(arc.from) && arc.from <= arc.to && arc.to <= 1));
            for (const auto& tile : map.tiles())
                CHECK((std::isfinite(tile.rect.area()) && tile.rect.width >= 0 && tile.rect.height >= 0));
            dial.arcAt(1, 1);
            tree->forEachChild(rootNode, [&](NodeId child) {
                CHECK(dial.arcOf(*tree, child) >= 0);
                CHECK(map.tileOf(*tree, child) >= 0);
            });
        }
    }
}

TEST_CASE("what a drive has beside its entries are tiles too", "[treemap]")
{
    const auto tree = plant(folder("/d", {file("a", 300 * 512), folder("b", {file("c", 100 * 512)})}));
    TreemapOptions options;
    options.areas = {{rootNode, {100 * 512, 0, 500 * 512}}};
    const Treemap map(*tree, rootNode, {0, 0, 1000, 1000}, options);
    double free = 0, notSeen = 0, entries = 0;
    for (std::size_t i = 1; i < map.tiles().size(); i = map.tiles()[i].end) {
        const auto& tile = map.tiles()[i];
        (tile.kind == CellKind::Free ? free : tile.kind == CellKind::NotSeen ? notSeen : entries) += tile.rect.area();
        CHECK(tile.kind != CellKind::Reserved);
        CHECK(tile.isEntry() == (tile.node != noNode));
    }
    CHECK(free == Approx(500000));
    CHECK(notSeen == Approx(100000));
    CHECK(entries == Approx(400000));
    const Treemap inner(*tree, *tree->find("/d/b"), {0, 0, 100, 100});
    CHECK(inner.tiles().size() == 2);
}
