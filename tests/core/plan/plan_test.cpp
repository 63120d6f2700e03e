// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/plan/plan.h"
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
    CHECK(again.error().sentence.find("on the plan already") != std::string::npos);
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
    CHECK(inside.error().sentence == "/place/a/b is on the plan already, as part of /place/a.");
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
