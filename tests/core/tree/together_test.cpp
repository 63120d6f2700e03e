// SPDX-License-Identifier: GPL-3.0-or-later
// Several places as one tree: paths, sums, filters, advice, marks and plans are those of each.
#include <catch2/catch.hpp>

#include "core/advice/tree_advice.h"
#include "core/compare/comparison.h"
#include "core/find/duplicates.h"
#include "core/find/filter.h"
#include "core/find/largest.h"
#include "core/find/questions.h"
#include "core/marks/marks.h"
#include "core/plan/plan_file.h"
#include "core/scan/join.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"
#include "core/tree/find_paths.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Two {
    std::shared_ptr<const FileTree> system = plant(
        folder("/", {folder("home", {folder("warden", {folder(".cache", {folder("thumbnails", {file("a.png", 5000)})}),
                                                       file("film.mkv", 90000)})}),
                     folder("etc", {file("fstab", 700)})}));
    std::shared_ptr<const FileTree> archive =
        plant(folder("/mnt/archive", {folder("films", {file("film.mkv", 90000), file("old.mkv", 50000)})}));
    std::shared_ptr<const FileTree> both = joinTrees("Desk and archive", {system, archive});
    NodeId node(const char* path) const { return both->find(path).value_or(noNode); }
};

} // namespace

TEST_CASE("several places are one tree, with the sums and paths of each", "[tree][together]")
{
    const Two two;
    const auto& both = *two.both;
    CHECK(both.isTogether());
    CHECK_FALSE(two.system->isTogether());
    CHECK(both.label(rootNode) == "Desk and archive");
    REQUIRE(both.places().size() == 2);
    CHECK(both.disk(rootNode) == two.system->disk(rootNode) + two.archive->disk(rootNode));
    CHECK(both.disk(two.node("/")) == two.system->disk(rootNode));
    CHECK(both.disk(two.node("/mnt/archive")) == two.archive->disk(rootNode));
    CHECK(both.sums(rootNode).files == 5);
    for (const char* path : {"/", "/home/warden/film.mkv", "/mnt/archive", "/mnt/archive/films/old.mkv", "/etc"}) {
        INFO(path);
        REQUIRE(two.node(path) != noNode);
        CHECK(both.path(two.node(path)) == path);
    }
    CHECK(both.path(rootNode) == both.name(rootNode));
    CHECK(both.find(both.path(rootNode)) == rootNode);
    CHECK_FALSE(both.find("/mnt"));
    CHECK_FALSE(both.find("relative"));
    CHECK(findPaths(both, {"/etc/fstab", "/mnt/archive/films", "/nowhere", "/", "/mnt/archive"}) ==
          std::vector<NodeId>{two.node("/etc/fstab"), two.node("/mnt/archive/films"), noNode, two.node("/"),
                              two.node("/mnt/archive")});
    CHECK(both.isPlace(two.node("/mnt/archive")));
    CHECK_FALSE(both.isPlace(two.node("/etc")));
    CHECK_FALSE(both.isHidden(two.node("/mnt/archive/films/old.mkv")));
    CHECK(both.isHidden(two.node("/home/warden/.cache/thumbnails/a.png")));
}

TEST_CASE("random places together say of each entry what they said alone", "[tree][together]")
{
    for (std::uint64_t seed = 0; seed < 30; seed += 2) {
        const auto first = randomTree(seed);
        const auto second = plant(folder("/mnt/other", {file("a", seed), folder("b", {file("c", 7)})}));
        const auto both = joinTrees("both", {first, second});
        REQUIRE(both->places().size() == 2);
        CHECK(both->disk(rootNode) == first->disk(rootNode) + second->disk(rootNode));
        CHECK(both->sums(rootNode).files == first->sums(rootNode).files + second->sums(rootNode).files);
        first->forEachBelow(rootNode, [&](NodeId node) {
            const auto found = both->find(first->path(node));
            if (!found || both->disk(*found) != first->disk(node) || both->path(*found) != first->path(node))
                FAIL(first->path(node));
        });
    }
}

TEST_CASE("a place that another has scanned already is not counted twice", "[tree][together]")
{
    const Two two;
    const auto home = plant(folder("/home", {folder("warden", {file("film.mkv", 90000)})}));
    CHECK(joinTrees("x", {two.system, home})->places().size() == 1);
    CHECK(joinTrees("x", {home, two.system})->disk(rootNode) == two.system->disk(rootNode));
    CHECK(joinTrees("x", {two.system, two.system})->places().size() == 1);
}

TEST_CASE("places come to others, leave them, and stand where they are called", "[tree][together]")
{
    const Two two;
    const auto stick = plant(folder("/media/stick", {file("a.iso", 7000)}));
    // Those that are together already, and one more: as if they had been joined at once.
    const auto three = joinTrees("Three", {{two.both, two.node("/")}, {two.both, two.node("/mnt/archive")}, {stick}});
    REQUIRE(three->places().size() == 3);
    CHECK(three->disk(rootNode) == two.both->disk(rootNode) + stick->disk(rootNode));
    CHECK(three->find("/mnt/archive/films/old.mkv"));
    CHECK(three->disk(*three->find("/")) == two.system->disk(rootNode));
    const auto without = joinTrees("Two", {{three, *three->find("/media/stick")}, {three, *three->find("/")}});
    CHECK(without->sums(rootNode).files == 4);
    // An older scan of what was mounted elsewhere.
    const auto older = plant(folder("/run/media/archive", {folder("films", {file("film.mkv", 90000)})}));
    const auto then = joinTrees("Then", {{two.system}, {older, rootNode, "/mnt/archive"}});
    REQUIRE(then->find("/mnt/archive/films/film.mkv"));
    CHECK(then->path(*then->find("/mnt/archive/films")) == "/mnt/archive/films");
    const auto changes = Comparison::make(two.both, then);
    CHECK(changes->net(rootNode, Measure::Apparent) == 50000);
}

TEST_CASE("there is no snapshot of several places, and none that says it is one", "[tree][together][snapshot]")
{
    TestFolder t;
    const auto forged = plant(folder("//forged", {folder("home", {file("x", 1)})}));
    REQUIRE(writeSnapshot(t / "forged.kurvo", {}, *forged));
    const auto read = readSnapshot(t / "forged.kurvo");
    REQUIRE_FALSE(read);
    CHECK(read.error().kind == ErrorKind::Damaged);
}

TEST_CASE("a drive that is mounted in another is a place beside it", "[tree][together][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    t.file("place/a", 5000);
    const TmpfsMount other(t / "place/drive");
    t.file("place/drive/b", 7000);
    const auto outer = scan(t / "place"), inner = scan(t / "place/drive");
    REQUIRE(outer);
    REQUIRE(inner);
    const auto both = joinTrees("both", {outer->tree, inner->tree});
    REQUIRE(both->places().size() == 2);
    CHECK(both->sums(rootNode).files == 2);
    CHECK(both->disk(rootNode) == outer->tree->disk(rootNode) + inner->tree->disk(rootNode));
    // What is below it is found there, and not behind the door.
    const auto b = both->find(t / "place/drive/b");
    REQUIRE(b);
    CHECK(both->path(*b) == t / "place/drive/b");
    CHECK(both->isPlace(*both->find(t / "place/drive")));
    CHECK(findPaths(*both, {t / "place/drive/b"})[0] == *b);
}

TEST_CASE("filters, advice, questions and marks work over several places", "[tree][together][filter]")
{
    const Two two;
    const auto found = [&](const char* text) {
        FilterContext context;
        context.now = 1800000000;
        context.advice = std::make_shared<const TreeAdvice>(adviseTree(RuleBook::builtIn(), *two.both));
        std::vector<std::string> paths;
        for (const NodeId node :
             matchingFiles(*two.both, std::get<Filter>(Filter::parse(text)).bind(*two.both, context)))
            paths.push_back(two.both->path(node));
        std::sort(paths.begin(), paths.end());
        return paths;
    };
    CHECK(found("*.mkv").size() == 3);
    CHECK(found("under:/mnt/archive").size() == 2);
    CHECK(found("/mnt/archive/*").size() == 2);
    CHECK(found("/home/*") ==
          std::vector<std::string>{"/home/warden/.cache/thumbnails/a.png", "/home/warden/film.mkv"});
    CHECK(found("path:archive/films").size() == 2);
    CHECK(found("role:cache") == std::vector<std::string>{"/home/warden/.cache/thumbnails/a.png"});
    CHECK(found("is:hidden").size() == 1);
    const auto largest = largestFiles(*two.both, 1);
    REQUIRE(largest.size() == 1);
    CHECK(two.both->name(largest[0]) == "film.mkv");
    const auto alone = adviseTree(RuleBook::builtIn(), *two.system);
    const auto together = adviseTree(RuleBook::builtIn(), *two.both);
    two.system->forEachBelow(rootNode, [&](NodeId node) {
        const auto here = *two.both->find(two.system->path(node));
        CHECK(together.levels[here] == alone.levels[node]);
        CHECK(together.roles[here] == alone.roles[node]);
    });
    auto book = std::make_shared<MarkBook>();
    book->marks["/mnt"] = {"/mnt", "keep", "", 1}; // above one of them
    book->marks["/home/warden"] = {"/home/warden", "ask", "", 1};
    const TreeMarks marks(two.both, book);
    CHECK(marks.of(two.node("/mnt/archive/films/old.mkv")).mark->kind == "keep");
    CHECK_FALSE(marks.own(two.node("/mnt/archive")));
    CHECK(marks.of(two.node("/home/warden/film.mkv")).mark->kind == "ask");
    CHECK_FALSE(marks.of(two.node("/etc/fstab")).mark);
}

TEST_CASE("one plan goes over several places, but not over the places themselves", "[tree][together][plan]")
{
    const Two two;
    Plan plan;
    GuardFacts guard;
    for (const char* place : {"/", "/mnt/archive"})
        CHECK_FALSE(plan.add(*two.both, two.node(place), guard));
    CHECK_FALSE(plan.add(*two.both, rootNode, guard));
    REQUIRE(plan.add(*two.both, two.node("/home/warden/film.mkv"), guard));
    REQUIRE(plan.add(*two.both, two.node("/mnt/archive/films"), guard));
    const auto file = planFileOf(plan, *two.both);
    REQUIRE(file.items.size() == 2);
    Plan again;
    CHECK(restorePlan(file, *two.both, guard, again) == 0);
    CHECK(again.has(two.node("/mnt/archive/films")));
    CHECK(plan.freedBytes(*two.both) == plan.plannedBytes());
}
