// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <random>

#include "core/plan/plan_file.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

PlanFile sample()
{
    PlanFile plan;
    plan.host = "skerry-desk";
    plan.place = "/home";
    plan.written = 1782000000;
    PlannedItem move;
    move.item.path = "/home/warden/Recordings/odd \xff\nname";
    move.item.kind = EntryKind::Folder;
    move.item.device = 0xFE00000001;
    move.item.inode = UINT64_MAX;
    move.item.modified = -5;
    move.item.modifiedNs = 999999999;
    move.item.disk = 12345;
    move.item.action = Action::Move;
    move.item.destination = "/media/skerry-archive";
    move.item.leaveLink = true;
    move.content = {7, 12000, 0xFFFFFFFFFFFFFFF1, 0};
    move.mark = "ask";
    move.note = "Zwölf Bänder?";
    PlannedItem trash;
    trash.item.path = "/home/guest/old.log";
    trash.item.guardLifted = true;
    trash.content.entries = 1;
    trash.item.twin =
        Twin{"/home/guest/\xfe.log", 0xFE00000002, 77, 5000, -1, 999999998, {1, 5000, 0xFFFFFFFFFFFFFFF2, 0}};
    PlannedItem remove = trash;
    remove.item.twin.reset();
    remove.item.path = "/home/guest/core.1";
    remove.item.action = Action::Delete;
    plan.items = {move, trash, remove};
    return plan;
}

} // namespace

TEST_CASE("a plan file gives back what was written, whatever the bytes of a name", "[plan][planfile]")
{
    TestFolder t;
    const auto plan = sample();
    REQUIRE(writePlanFile(t / "plan.json", plan));
    const auto read = readPlanFile(t / "plan.json");
    INFO((read ? "" : read.error().sentence));
    REQUIRE(read);
    CHECK(read->host == plan.host);
    CHECK(read->place == plan.place);
    CHECK(read->written == plan.written);
    REQUIRE(read->items.size() == 3);
    for (std::size_t i = 0; i < 3; ++i) {
        const auto &a = plan.items[i], &b = read->items[i];
        CHECK(a.item.path == b.item.path);
        CHECK(a.item.action == b.item.action);
        CHECK(a.item.kind == b.item.kind);
        CHECK(a.item.device == b.item.device);
        CHECK(a.item.inode == b.item.inode);
        CHECK(a.item.modified == b.item.modified);
        CHECK(a.item.modifiedNs == b.item.modifiedNs);
        CHECK(a.item.destination == b.item.destination);
        CHECK(a.item.leaveLink == b.item.leaveLink);
        CHECK(a.item.guardLifted == b.item.guardLifted);
        CHECK(a.item.twin == b.item.twin);
        CHECK(a.content == b.content);
        CHECK(a.mark == b.mark);
        CHECK(a.note == b.note);
    }
    CHECK(read->count(Action::Delete) == 1);
    CHECK(read->disk(Action::Move) == 12345);
}

TEST_CASE("a damaged or doubtful plan is refused as a whole, with the item that is wrong", "[plan][planfile]")
{
    const auto good = encodePlan(sample());
    const auto refused = [&](const std::string& from, const std::string& to) {
        auto text = good;
        const auto at = text.find(from);
        REQUIRE(at != std::string::npos);
        text.replace(at, from.size(), to);
        const auto read = decodePlan(text, "plan.json");
        REQUIRE_FALSE(read);
        return read.error().sentence;
    };
    CHECK(refused("\"/home/guest/old.log\"", "\"home/guest/old.log\"").find("Item 2 of plan.json") == 0);
    CHECK(refused("\"/home/guest/old.log\"", "\"/home/guest/../../etc/passwd\"").find("whole path") !=
          std::string::npos);
    CHECK(refused("\"/home/guest/old.log\"", "\"/\"").find("whole path") != std::string::npos);
    CHECK(refused("\"/home/guest/old.log\"", "\"/home/guest/core.1\"").find("same path") != std::string::npos);
    CHECK(refused("\"/home/guest/old.log\"", "\"/home/guest/core.1/part\"").find("another planned") !=
          std::string::npos);
    CHECK(refused("\"delete\"", "\"shred\"").find("not known") != std::string::npos);
    CHECK(refused("\"version\": 1", "\"version\": 2").find("newer version") != std::string::npos);
    CHECK(refused("kurvo-plan", "other").find("not a plan") != std::string::npos);
    CHECK(refused("\"modified_ns\": 999999999", "\"modified_ns\": \"x\"").find("not what it should be") !=
          std::string::npos);
    // Without what stays it would go for nothing.
    CHECK(refused("\"path_encoded\": \"/home/guest/%FE.log\"", "\"path\": \"old.log\"").find("Item 2 of") == 0);
    CHECK(refused("\"inode\": 77", "\"inode\": -77").find("inode") != std::string::npos);
    CHECK(refused("\"modified_ns\": 999999998", "\"modified_ns\": 1999999998").find("out of range") !=
          std::string::npos);
    CHECK_FALSE(readPlanFile("/dev/null/none"));
    CHECK_FALSE(readPlanFile("/dev/zero"));
    // Cut anywhere, or with a byte changed: an error or the same plan, never anything else.
    for (std::size_t cut = 0; cut + 1 < good.size(); ++cut) {
        const auto read = decodePlan(good.substr(0, cut), "plan.json");
        CHECK((!read || read->items.size() == 3));
    }
    std::mt19937 random(6);
    for (int round = 0; round < 2000; ++round) {
        auto text = good;
        text[random() % text.size()] = static_cast<char>(random() % 256);
        const auto read = decodePlan(text, "plan.json");
        CHECK((!read || read->items.size() == 3));
    }
}
