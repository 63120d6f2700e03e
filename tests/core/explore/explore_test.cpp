// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <map>

#include "core/explore/scheme.h"
#include "core/explore/type_table.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::int64_t coloured = 2000000000; ///< when

std::shared_ptr<const Scheme> schemeOf(const std::shared_ptr<const FileTree>& tree, ColourBy by)
{
    if (by == ColourBy::Growth)
        return std::make_shared<Scheme>(tree, by, coloured, std::make_shared<Matching>(tree, randomTree(99)));
    return std::make_shared<Scheme>(tree, by, coloured);
}

} // namespace

TEST_CASE("classes of age and of growth", "[explore]")
{
    CHECK(ageClass(coloured, coloured) == AgeClass::Week);
    CHECK(ageClass(coloured + 100 * day, coloured) == AgeClass::Week); // a clock that is wrong
    CHECK(ageClass(coloured - 7 * day, coloured) == AgeClass::Month);
    CHECK(ageClass(coloured - 60 * day, coloured) == AgeClass::Quarter);
    CHECK(ageClass(coloured - 200 * day, coloured) == AgeClass::Year);
    CHECK(ageClass(coloured - 500 * day, coloured) == AgeClass::TwoYears);
    CHECK(ageClass(coloured - 1500 * day, coloured) == AgeClass::FiveYears);
    CHECK(ageClass(0, coloured) == AgeClass::Older);
    CHECK(growthClass(0, 10, true) == GrowthClass::New);
    CHECK(growthClass(0, 0, false) == GrowthClass::Same);
    CHECK(growthClass(1000, 1019, false) == GrowthClass::Same);
    CHECK(growthClass(1000, 1100, false) == GrowthClass::Grew);
    CHECK(growthClass(1000, 2100, false) == GrowthClass::GrewMuch);
    CHECK(growthClass(1000, 900, false) == GrowthClass::Shrank);
    CHECK(growthClass(1000, 400, false) == GrowthClass::ShrankMuch);
}

TEST_CASE("a folder has the class that fills most of it, and the legend adds up", "[explore][property]")
{
    for (std::uint64_t seed = 1; seed <= 25; ++seed) {
        const auto tree = randomTree(seed);
        for (const auto by : {ColourBy::Family, ColourBy::Age, ColourBy::Hidden, ColourBy::Owner, ColourBy::Growth}) {
            const auto scheme = schemeOf(tree, by);
            for (const auto measure : {Measure::Disk, Measure::Apparent, Measure::Files})
                CHECK(mixOf(*tree, *scheme, rootNode, measure).total == tree->measured(rootNode, measure));
            tree->forEachBelow(rootNode, [&](NodeId node) {
                CHECK(scheme->classOf(node) < scheme->classes());
                if (!tree->isFolder(node) || by == ColourBy::Growth || tree->disk(node) == 0)
                    return;
                const auto mix = mixOf(*tree, *scheme, node, Measure::Disk);
                const auto own = scheme->classOf(node);
                CHECK(mix.size[own] == *std::max_element(mix.size.begin(), mix.size.end()));
            });
            // What is lit up in all classes together is everything, and in one what the legend says.
            for (unsigned c = 0; c <= scheme->classes(); ++c) {
                const bool all = c == scheme->classes();
                const Lit lit{by, static_cast<std::uint16_t>(all ? 0xFFFF : 1u << c), 0};
                const auto sums = litSums(*tree, lit, *scheme, Measure::Disk);
                tree->forEachBelow(rootNode, [&](NodeId node) {
                    if (tree->isFolder(node))
                        CHECK(sums[tree->store().folderIndex(node)] ==
                              (all ? tree->disk(node) : mixOf(*tree, *scheme, node, Measure::Disk).size[c]));
                });
            }
        }
    }
}

TEST_CASE("owners by rank, more of them than there are colours", "[explore]")
{
    std::vector<Sapling> files;
    for (std::uint32_t i = 0; i < 14; ++i) {
        auto f = file("f" + std::to_string(i), 512 * (20 - i));
        f.owner = 1000 + i;
        files.push_back(f);
    }
    const auto tree = plant(folder("/p", files));
    const Scheme scheme(tree, ColourBy::Owner, coloured);
    CHECK(scheme.classes() == mostClasses);
    CHECK(scheme.ownerOf(0) == 1000);
    CHECK(scheme.ownerOf(8) == 1008);
    CHECK_FALSE(scheme.ownerOf(9).has_value());
    CHECK(scheme.classOf(*tree->find("/p/f3")) == 3);
    CHECK(scheme.classOf(*tree->find("/p/f13")) == 9);
}

TEST_CASE("growth against an earlier scan, by path", "[explore][compare]")
{
    const auto before = plant(folder("/old", {folder("logs", {file("a", 1000 * 512), file("gone", 50 * 512)}),
                                              file("same", 700 * 512), file("was-file", 512)}));
    const auto after = plant(folder("/new", {file("same", 700 * 512), folder("was-file", {file("x", 512)}),
                                             folder("logs", {file("b", 10 * 512), file("a", 3000 * 512)})}));
    const auto matching = std::make_shared<Matching>(after, before);
    const auto at = [&](const char* path) { return *after->find(path); };
    CHECK(matching->growth(*after, rootNode, Measure::Disk) == (10 + 2000 - 50) * 512);
    CHECK(matching->growth(*after, at("/new/logs"), Measure::Disk) == (10 + 2000 - 50) * 512);
    CHECK(matching->growth(*after, at("/new/logs/a"), Measure::Disk) == 2000 * 512);
    CHECK(matching->growth(*after, at("/new/same"), Measure::Disk) == 0);
    CHECK(matching->earlier(at("/new/was-file")) == noNode);
    CHECK(before->path(matching->earlier(at("/new/logs/a"))) == "/old/logs/a");
    const Scheme scheme(after, ColourBy::Growth, coloured, matching);
    CHECK(scheme.classOf(at("/new/logs/a")) == static_cast<unsigned>(GrowthClass::GrewMuch));
    CHECK(scheme.classOf(at("/new/logs")) == static_cast<unsigned>(GrowthClass::GrewMuch));
    CHECK(scheme.classOf(at("/new/logs/b")) == static_cast<unsigned>(GrowthClass::New));
    CHECK(scheme.classOf(at("/new/same")) == static_cast<unsigned>(GrowthClass::Same));
}

TEST_CASE("a tree matched with itself: nothing grew", "[compare][property]")
{
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        const auto tree = randomTree(seed);
        const Matching same(tree, randomTree(seed));
        tree->forEachBelow(rootNode, [&](NodeId node) {
            REQUIRE(same.earlier(node) != noNode);
            CHECK(same.growth(*tree, node, Measure::Disk) == 0);
            CHECK(same.before().path(same.earlier(node)) == tree->path(node));
        });
    }
}

TEST_CASE("the table of types agrees with a straight count", "[explore][property]")
{
    for (std::uint64_t seed = 1; seed <= 40; ++seed) {
        const auto whole = randomTree(seed);
        // Also a tree from which something was taken out.
        NodeId out = noNode;
        whole->forEachChild(rootNode, [&](NodeId child) { out = child; });
        const auto less =
            out == noNode ? whole : std::make_shared<FileTree>(whole->sharedStore(), std::vector<NodeId>{out});
        for (const auto& tree : {whole, std::shared_ptr<const FileTree>(less)}) {
            for (const auto measure : {Measure::Disk, Measure::Files}) {
                const auto table = typeTable(*tree, rootNode, measure);
                std::map<FileType, TypeFigures> counted;
                tree->forEachBelow(rootNode, [&](NodeId node) {
                    if (tree->isFolder(node))
                        return;
                    auto& f = counted[tree->store().type(node)];
                    f.size += tree->measured(node, measure);
                    ++f.files;
                    f.largestSize = std::max(f.largestSize, tree->measured(node, measure));
                    f.oldest = std::min(f.oldest, tree->store().modified(node));
                });
                CHECK(table.total == tree->measured(rootNode, measure));
                std::size_t types = 0;
                for (const auto& family : table.families) {
                    TypeFigures sum;
                    for (const auto& row : family.types) {
                        ++types;
                        CHECK(typeInfo(row.type).family == family.family);
                        const auto& right = counted.at(row.type);
                        CHECK(row.figures.size == right.size);
                        CHECK(row.figures.files == right.files);
                        CHECK(row.figures.largestSize == right.largestSize);
                        CHECK(row.figures.oldest == right.oldest);
                        CHECK(tree->measured(row.figures.largest, measure) == right.largestSize);
                        sum.add(row.figures);
                        std::uint64_t inFolders = 0, files = 0;
                        for (const auto& f : foldersOfType(*tree, rootNode, row.type, measure, 100000)) {
                            inFolders += f.size;
                            files += f.files;
                        }
                        CHECK(inFolders == right.size);
                        CHECK(files == right.files);
                    }
                    CHECK(sum.size == family.figures.size);
                    CHECK(sum.files == family.figures.files);
                }
                CHECK(types == counted.size());
            }
        }
    }
}

TEST_CASE("the largest files of unknown type", "[explore]")
{
    const auto tree = plant(folder(
        "/p", {file("blob", 9000), folder("d", {file("odd.qqq", 20000)}), file("known.jpg", 90000), file("empty", 0)}));
    const auto found = largestUnknown(*tree, rootNode, 5);
    REQUIRE(found.size() == 2);
    CHECK(tree->name(found[0]) == "odd.qqq");
    CHECK(tree->name(found[1]) == "blob");
    CHECK(largestUnknown(*tree, rootNode, 1).size() == 1);
}
