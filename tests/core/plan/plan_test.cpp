// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/plan/plan.h"
#include "core/plan/plan_file.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t K = 4096;
const UserFolders warden{"/home/warden", "/home/warden/.local/share", "/home/warden/.config", 1000};
const GuardFacts facts{warden, "/home/warden/.local/share/kurvo"};

std::shared_ptr<const FileTree> place()
{
    return plant(
        folder("/place", {folder("a", {file("x", 30 * K), folder("b", {file("y", 20 * K)})}), file("z", 10 * K)}));
}

} // namespace

TEST_CASE("items are planned once, largest first, and taken off again", "[plan]")
{
    const auto tree = place();
    Plan plan;
    const auto y = *tree->find("/place/a/b/y"), z = *tree->find("/place/z");
    REQUIRE(plan.add(*tree, z, facts));
    REQUIRE(plan.add(*tree, y, facts));
    REQUIRE(plan.items().size() == 2);
    CHECK(plan.items()[0].node == y);
    CHECK(plan.items()[0].path == "/place/a/b/y");
    CHECK(plan.items()[0].disk == 20 * K);
    CHECK(plan.plannedBytes() == 30 * K);
    CHECK(plan.freedBytes(*tree) == 30 * K);
    const auto again = plan.add(*tree, z, facts);
    REQUIRE_FALSE(again);
    CHECK(again.error().sentence.find("already planned") != std::string::npos);
    CHECK(plan.remove(z));
    CHECK_FALSE(plan.remove(z));
    CHECK_FALSE(plan.has(z));
    CHECK(plan.plannedBytes() == 20 * K);
}

TEST_CASE("a parent swallows its children, and a child of something planned is refused", "[plan]")
{
    const auto tree = place();
    Plan plan;
    const auto a = *tree->find("/place/a"), b = *tree->find("/place/a/b"), y = *tree->find("/place/a/b/y");
    REQUIRE(plan.add(*tree, y, facts));
    REQUIRE(plan.add(*tree, *tree->find("/place/a/x"), facts));
    REQUIRE(plan.add(*tree, a, facts));
    CHECK(plan.items().size() == 1);
    CHECK(plan.plannedBytes() == 50 * K);
    CHECK(plan.coveringItem(*tree, y) == a);
    CHECK(plan.coveringItem(*tree, *tree->find("/place/z")) == noNode);
    const auto inside = plan.add(*tree, b, facts);
    REQUIRE_FALSE(inside);
    CHECK(inside.error().sentence == "/place/a/b is already planned, as part of /place/a.");
}

TEST_CASE("the place itself and other mounts cannot be planned", "[plan]")
{
    auto store = std::make_shared<NodeStore>("/place");
    NodeStore::NameWriter names(*store);
    NewNode door;
    door.name = "mounted";
    door.stat.kind = EntryKind::Folder;
    door.flags = FlagDoor;
    store->append(rootNode, {&door, 1}, names);
    store->seal();
    const FileTree tree(store);
    Plan plan;
    CHECK_FALSE(plan.add(tree, rootNode, facts));
    const auto refused = plan.add(tree, *tree.find("/place/mounted"), facts);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("another mounted filesystem") != std::string::npos);
    CHECK(plan.empty());
}

TEST_CASE("a file with further links outside the plan frees nothing", "[plan][links]")
{
    const auto linked = [](std::string name, std::uint64_t inode, std::uint32_t links) {
        auto s = file(std::move(name), 10 * K);
        s.inode = inode;
        s.links = links;
        return s;
    };
    // inode 5: two links, both in the place; inode 6: three links, one of them elsewhere
    const auto tree = plant(folder("/p", {folder("mon", {linked("a", 5, 2), linked("b", 6, 3)}),
                                          folder("tue", {linked("a", 5, 2), linked("b", 6, 3)}), file("c", K)}));
    Plan plan;
    REQUIRE(plan.add(*tree, *tree->find("/p/mon"), facts));
    CHECK(plan.plannedBytes() == 20 * K);
    CHECK(plan.freedBytes(*tree) == 0);
    REQUIRE(plan.add(*tree, *tree->find("/p/tue"), facts));
    CHECK(plan.freedBytes(*tree) == 10 * K); // a goes with both its links, b stays somewhere
    plan.clear();
    REQUIRE(plan.add(*tree, *tree->find("/p/tue"), facts)); // counted at /p/mon
    CHECK(plan.plannedBytes() == 0);
    CHECK(plan.freedBytes(*tree) == 0);
}

TEST_CASE("what shall happen can be changed, and decides the order", "[plan]")
{
    const auto tree = place();
    Plan plan;
    const auto x = *tree->find("/place/a/x"), y = *tree->find("/place/a/b/y"), z = *tree->find("/place/z");
    REQUIRE(plan.add(*tree, x, facts));
    REQUIRE(plan.add(*tree, y, facts, Guard::Up, {Action::Move, "/media/archive", true}));
    REQUIRE(plan.add(*tree, z, facts, Guard::Up, {Action::Delete, {}, false}));
    REQUIRE(plan.items().size() == 3);
    CHECK(plan.items()[0].node == z);
    CHECK(plan.items()[1].node == y);
    CHECK(plan.items()[2].node == x);
    CHECK(plan.countForGood() == 1);
    CHECK(plan.bytesForGood() == 10 * K);
    CHECK(plan.plannedBytes(Action::Trash) == 30 * K);
    REQUIRE(plan.add(*tree, x, facts, Guard::Up, {Action::Delete, {}, false})); // another intent for the same
    CHECK(plan.items().size() == 3);
    CHECK(plan.itemOf(x)->action == Action::Delete);
    CHECK_FALSE(plan.add(*tree, x, facts, Guard::Up, {Action::Delete, {}, false}));
    REQUIRE(plan.add(*tree, y, facts)); // and back to the trash: nothing of the move is left
    CHECK(plan.itemOf(y)->destination.empty());
    const auto into = plan.add(*tree, *tree->find("/place/a"), facts, Guard::Up, {Action::Move, "/place/a/b", false});
    REQUIRE_FALSE(into);
    CHECK(into.error().sentence.find("into itself") != std::string::npos);
}

TEST_CASE("what goes because the same stays elsewhere keeps that in mind", "[plan][twin]")
{
    const auto tree = place();
    const auto x = *tree->find("/place/a/x"), b = *tree->find("/place/a/b"), z = *tree->find("/place/z");
    Plan plan;
    CHECK(plan.addAll(*tree, {x, z}, facts, {}, {{x, b}}).count == 2);
    CHECK(plan.withTwin() == 1);
    CHECK_FALSE(plan.itemOf(z)->twin);
    const auto twin = plan.itemOf(x)->twin;
    REQUIRE(twin);
    CHECK(twin->path == "/place/a/b");
    CHECK(twin->content == summarize(*tree, b));
    // For good instead of into the trash: all the more so. Moved it is not lost.
    REQUIRE(plan.add(*tree, x, facts, Guard::Up, {Action::Delete, {}, false, {}}));
    CHECK(plan.itemOf(x)->twin == twin);
    const auto kept = plan.state();
    Plan restored;
    CHECK(restorePlan(planFileOf(plan, *tree), *tree, facts, restored) == 0);
    CHECK(restored.itemOf(x)->twin == twin);
    REQUIRE(plan.add(*tree, x, facts, Guard::Up, {Action::Move, "/media/archive", false, {}}));
    CHECK_FALSE(plan.itemOf(x)->twin);
    CHECK(plan.withTwin() == 0);
    plan.restore(kept);
    CHECK(plan.withTwin() == 1);
    CHECK(plan.rebind(*place(), Plan::IfChanged::Drop).empty());
    CHECK(plan.itemOf(x)->twin == twin);
    plan.remove(x);
    CHECK(plan.withTwin() == 0);
}

TEST_CASE("what lies outside of the place is planned by its path", "[plan]")
{
    const auto tree = place();
    Plan plan;
    PlanItem item;
    item.path = "/home/warden/.local/share/Trash";
    item.kind = EntryKind::Folder;
    item.disk = 7 * K;
    item.action = Action::EmptyTrash;
    item.content = ContentSummary{5, 100, 42, 0};
    REQUIRE(plan.addOutside(item, facts));
    REQUIRE(plan.addOutside(item, facts)); // planned anew, it replaces what was read before
    CHECK(plan.items().size() == 1);
    CHECK(plan.coveringItem(*tree, *tree->find("/place/z")) == noNode);
    CHECK(plan.freedBytes(*tree) == 7 * K);
    auto inside = item;
    inside.path += "/files/old";
    inside.action = Action::Delete;
    CHECK_FALSE(plan.addOutside(inside, facts)); // it would be removed twice
    inside.path = "/usr/bin/env";
    const auto refused = plan.addOutside(inside, facts);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("/usr/bin/env") != std::string::npos);
    CHECK(plan.rebind(*tree, Plan::IfChanged::Drop).empty()); // no tree says anything about it
    CHECK(plan.remove(item.path));
    CHECK(plan.empty());
}

TEST_CASE("a plan finds its items again in a newer tree, and from a file", "[plan]")
{
    const auto tree = place();
    Plan plan;
    for (const auto* path : {"/place/a/x", "/place/a/b", "/place/z"})
        REQUIRE(plan.add(*tree, *tree->find(path), facts));
    // x is another size by now, z is gone.
    const auto newer = plant(
        folder("/place", {folder("new", {}), folder("a", {file("x", 50 * K), folder("b", {file("y", 20 * K)})})}));
    auto kept = plan, dropped = plan;
    CHECK(kept.rebind(*newer, Plan::IfChanged::Keep).size() == 1);
    CHECK(kept.items().size() == 2);
    CHECK(kept.itemOf(*newer->find("/place/a/x"))->disk == 30 * K); // as planned: a check will say what changed
    dropped.rebind(*newer, Plan::IfChanged::Drop);
    CHECK_FALSE(dropped.itemOf(*newer->find("/place/a/x")));

    const auto file = planFileOf(plan, *tree);
    Plan restored;
    CHECK(restorePlan(file, *tree, facts, restored) == 0);
    CHECK(restored.items().size() == 3);
    Plan partly;
    CHECK(restorePlan(file, *newer, facts, partly) >= 2);
    CHECK(planPathFor("/data", "host", "/place") != planPathFor("/data", "host", "/place2"));
    CHECK(planPathFor("/data", "host", "/place").starts_with("/data/"));
}
