// SPDX-License-Identifier: GPL-3.0-or-later
// Whole plans: what a check says, that nothing else is touched, and the way back.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <random>

#include "core/act/act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/scan/scanner.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Planned : TwoDrives {
    PlanFile plan;
    GuardFacts guard{t.user(), t / "data", nullptr};

    explicit Planned(const std::string& size = "size=64m") : TwoDrives(size)
    {
        plan.host = "here";
        plan.place = t / "place";
    }
    PlannedItem& add(Action action, const std::string& name, bool link = false)
    {
        const auto tree = scan(t / "place")->tree;
        const auto node = tree->find(t / ("place/" + name));
        REQUIRE(node);
        Plan one;
        REQUIRE(one.add(*tree, *node, guard));
        auto made = planFileOf(one, *tree).items.front();
        made.item.action = action;
        if (action == Action::Move) {
            made.item.destination = other.path();
            made.item.leaveLink = link;
        }
        plan.written = currentTime();
        plan.items.push_back(made);
        return plan.items.back();
    }
    ItemFinding check(std::size_t i = 0) const { return checkPlan(plan, guard, {}, {})[i]; }
    RunResult carryOut()
    {
        auto result = runPlan(logbook, plan, {guard, {}, nullptr, {}});
        INFO((result ? "" : result.error().sentence));
        REQUIRE(result);
        return std::move(*result);
    }
};

} // namespace

TEST_CASE("the check says what is in the way, and only that is held back", "[act][plan][check]")
{
    if (!canMount())
        return;
    Planned p("size=4m");
    p.t.text("place/fine", "fine");
    p.t.file("place/large", 6 << 20);
    p.t.text("place/taken", "mine");
    p.t.text("place/folder/a", "a");
    p.t.text("place/open", "open");
    writeAll(p.other.path() + "/taken", "theirs");
    p.add(Action::Move, "fine");
    p.add(Action::Move, "large");
    p.add(Action::Move, "taken");
    p.add(Action::Delete, "folder");
    p.add(Action::Trash, "open");
    p.t.text("place/folder/b", "new since");
    const UniqueFd held(::open((p.t / "place/open").c_str(), O_RDONLY));
    const pid_t holder = ::fork(); // one's own are not counted
    if (holder == 0) {
        ::pause();
        ::_exit(0);
    }
    const auto findings = checkPlan(p.plan, p.guard, {}, {});
    ::kill(holder, SIGKILL);
    ::waitpid(holder, nullptr, 0);
    REQUIRE(findings.size() == 5);
    CHECK_FALSE(findings[0].blocked);
    CHECK(findings[1].sentence.find("too little") != std::string::npos);
    CHECK(findings[2].sentence.find("not replaced") != std::string::npos);
    CHECK(findings[3].sentence.find("has gained 1 entry") != std::string::npos);
    CHECK_FALSE(findings[4].blocked);
    CHECK(findings[4].sentence.find("In use by") != std::string::npos);
    for (const std::size_t i : {1u, 2u, 3u})
        CHECK(findings[i].blocked);

    const auto result = p.carryOut();
    CHECK(result.done() == 2);
    CHECK(readAll(p.other.path() + "/fine") == "fine");
    CHECK(readAll(p.t / "place/taken") == "mine");
    CHECK(readAll(p.other.path() + "/taken") == "theirs");
    CHECK(readAll(p.t / "place/folder/b") == "new since");
    CHECK_FALSE(exists(p.t / "place/open"));
    CHECK(p.leftovers() == 0);
}

TEST_CASE("a destination on the same drive, gone or read-only; what is protected", "[act][plan][check]")
{
    if (!canMount())
        return;
    Planned p;
    p.t.text("place/x", "x");
    p.t.folder("elsewhere");
    auto& item = p.add(Action::Move, "x").item;
    item.destination = p.t / "elsewhere";
    CHECK(p.check().sentence.find("same drive") != std::string::npos);
    item.destination = p.t / "missing";
    CHECK(p.check().blocked);
    p.t.symlink("elsewhere", "link");
    item.destination = p.t / "link"; // nothing is followed
    CHECK(p.check().blocked);
    item.action = Action::Delete;
    CHECK_FALSE(p.check().blocked);
    p.guard.ownData = p.t / "place";
    CHECK(p.check().sentence.find("Kurvo's own") != std::string::npos);
    item.guardLifted = true;
    p.guard.ownData = p.t / "place/deeper"; // the folder above holds it: that guard cannot be lifted
    item.path = p.t / "place";
    CHECK(p.check().blocked);
}

TEST_CASE("the order: deletions, moves, trash; and all of it taken back but what was deleted", "[act][plan]")
{
    if (!canMount())
        return;
    Planned p;
    p.t.text("place/a/trash", "t");
    p.t.text("place/a/delete", "d");
    p.t.text("place/a/move/file", "m");
    p.t.text("place/b", "stays");
    p.add(Action::Trash, "a/trash");
    p.add(Action::Move, "a/move", true);
    p.add(Action::Delete, "a/delete");
    const auto moved = everythingOf(p.t / "place/a/move");
    const auto result = p.carryOut();
    REQUIRE(result.steps.size() == 3);
    CHECK(result.steps[0].action == Action::Delete);
    CHECK(result.steps[1].action == Action::Move);
    CHECK(result.steps[2].action == Action::Trash);
    CHECK(result.done() == 3);
    CHECK(result.run.ended >= result.run.began);
    const auto undone = undoRun(p.logbook, result.run.id, {}, {p.guard, {}, nullptr, {}});
    REQUIRE(undone);
    REQUIRE(undone->size() == 3);
    CHECK((*undone)[0].outcome); // the trash, last done first
    CHECK((*undone)[1].outcome);
    CHECK_FALSE((*undone)[2].outcome);
    CHECK(readAll(p.t / "place/a/trash") == "t");
    CHECK(everythingOf(p.t / "place/a/move") == moved);
    CHECK_FALSE(exists(p.t / "place/a/delete"));
    CHECK(p.logbook.unfinished()->empty());
    const auto again = undoRun(p.logbook, result.run.id, {}, {p.guard, {}, nullptr, {}});
    REQUIRE(again);
    CHECK(again->size() == 1); // only what was deleted could still be asked for
    CHECK_FALSE(undoRun(p.logbook, 4711, {}, {p.guard, {}, nullptr, {}}));
}

TEST_CASE("nothing outside of the plan is ever touched: 100 random plans", "[act][plan]")
{
    if (!canMount())
        return;
    std::mt19937 random(100);
    for (int round = 0; round < 100; ++round) {
        Planned p;
        p.t.folder("place");
        std::vector<std::string> folders{""}, all;
        for (int i = 0; i < 24; ++i) {
            const auto above = folders[random() % folders.size()];
            const auto name = above + (above.empty() ? "" : "/") + "e" + std::to_string(i);
            switch (random() % 5) {
            case 0:
                p.t.folder("place/" + name);
                folders.push_back(name);
                break;
            case 1:
                p.t.symlink("../e" + std::to_string(random() % 24), "place/" + name);
                break;
            default:
                p.t.text("place/" + name, std::string(random() % 9000, static_cast<char>('a' + i)));
            }
            all.push_back(name);
        }
        std::vector<std::string> chosen;
        const auto within = [](const std::string& a, const std::string& b) { return isAtOrBelow(a, b); };
        for (int tries = 0; tries < 5; ++tries) {
            const auto& name = all[random() % all.size()];
            if (std::none_of(chosen.begin(), chosen.end(),
                             [&](const auto& other) { return within(name, other) || within(other, name); })) {
                chosen.push_back(name);
                p.add(static_cast<Action>(random() % 3), name, random() % 2 == 0);
            }
        }
        const auto kept = [&](std::map<std::string, std::string> entries) {
            std::erase_if(entries, [&](const auto& entry) {
                return std::any_of(chosen.begin(), chosen.end(),
                                   [&](const auto& name) { return within(entry.first, "/" + name); });
            });
            // A folder that something was taken out of has another time.
            for (auto& [path, what] : entries)
                if (what.starts_with("16877") || what.starts_with("17"))
                    what.clear();
            return entries;
        };
        const auto before = kept(everythingOf(p.t / "place"));
        const auto result = p.carryOut();
        CHECK(result.done() == chosen.size());
        CHECK(kept(everythingOf(p.t / "place")) == before);
        CHECK(p.leftovers() == 0);
        for (const auto& step : result.steps)
            CHECK(isLink(step.path) == (step.action == Action::Move && step.leaveLink));
    }
}

TEST_CASE("what goes because the same stays elsewhere goes only while that is there", "[act][plan][twin]")
{
    if (!canMount())
        return;
    Planned p;
    p.t.text("place/film", "the same film");
    p.t.text("place/copies/film", "the same film");
    p.t.text("place/season/one", "one");
    p.t.text("place/season-copy/one", "one");
    const auto twinOf = [&](const std::string& name) {
        const auto tree = scan(p.t / "place")->tree;
        const auto node = *tree->find(p.t / ("place/" + name)), other = *tree->find(p.t / "place/copies");
        Plan one;
        one.addAll(*tree, {other}, p.guard, {}, {{other, node}});
        return *one.items()[0].twin;
    };
    const bool folders = GENERATE(false, true);
    const std::string goes = folders ? "season-copy" : "film", stays = folders ? "season" : "copies/film";
    const auto inIt = "place/" + stays + (folders ? "/one" : "");
    p.add(GENERATE(Action::Trash, Action::Delete), goes).item.twin = twinOf(stays);
    const auto leftAlone = [&](const std::string& why) {
        const auto finding = p.check();
        CHECK(finding.blocked);
        INFO(finding.sentence);
        CHECK(finding.sentence.find("as the copy that was to stay " + why + ": ") != std::string::npos);
        CHECK(finding.sentence.ends_with("/place/" + stays + "."));
        const auto result = p.carryOut();
        CHECK(exists(p.t / ("place/" + goes)));
        for (std::size_t i = 0; i < result.steps.size(); ++i)
            if (result.steps[i].path == p.t / ("place/" + goes)) {
                CHECK(result.steps[i].state == StepState::Failed);
                CHECK(result.findings[i].sentence == finding.sentence);
            }
        return result.done();
    };
    SECTION("it is there")
    {
        CHECK_FALSE(p.check().blocked);
        CHECK(p.carryOut().done() == 1);
        CHECK_FALSE(exists(p.t / ("place/" + goes)));
        CHECK(exists(p.t / inIt));
    }
    SECTION("it is gone")
    {
        std::filesystem::remove_all(p.t / ("place/" + stays));
        CHECK(leftAlone("is no longer there") == 0);
    }
    SECTION("it was written to")
    {
        p.t.text(inIt, "another");
        CHECK(leftAlone("is no longer what it was") == 0);
    }
    SECTION("one of them was written to by a program that puts the time back")
    {
        if (folders)
            return;
        const auto* name = GENERATE("place/film", "place/copies/film");
        const auto when = std::filesystem::last_write_time(p.t / name);
        writeAll(p.t / name, "another film!");
        std::filesystem::last_write_time(p.t / name, when);
        CHECK(leftAlone("is no longer the same") == 0);
    }
    SECTION("it was touched, and is the same")
    {
        std::filesystem::permissions(p.t / inIt, std::filesystem::perms::owner_all);
        CHECK(p.carryOut().done() == 1);
        CHECK(exists(p.t / inIt));
    }
    SECTION("something else stands there")
    {
        std::filesystem::remove_all(p.t / ("place/" + stays));
        p.t.symlink(p.t / ("place/" + goes), "place/" + stays);
        CHECK(leftAlone("is no longer what it was") == 0);
    }
    SECTION("it is planned as well, and goes")
    {
        p.add(Action::Trash, folders ? "season" : "copies");
        CHECK_FALSE(p.check(1).blocked);
        CHECK(leftAlone("is planned as well") == 1);
        CHECK_FALSE(exists(p.t / inIt));
    }
    SECTION("each for the sake of the other")
    {
        p.add(Action::Trash, stays).item.twin = twinOf(goes);
        CHECK(leftAlone("is planned as well") == 0);
        CHECK(exists(p.t / inIt));
    }
}

TEST_CASE("two plans at once: the second waits its turn", "[act][plan]")
{
    if (!canMount())
        return;
    Planned p;
    p.t.text("place/x", "x");
    p.add(Action::Delete, "x");
    Logbook other(p.t / "data/logbook.db");
    const auto turn = other.takeTurn();
    REQUIRE(turn);
    const auto refused = runPlan(p.logbook, p.plan, {p.guard, {}, nullptr, {}});
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("Another Kurvo") != std::string::npos);
    CHECK(readAll(p.t / "place/x") == "x");
}
