// SPDX-License-Identifier: GPL-3.0-or-later
// One writer of a tree: whatever comes in while something else is under way, nothing is of another tree.
#include <catch2/catch.hpp>

#include <filesystem>

#include <atomic>
#include <chrono>
#include <thread>

#include "app/models_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Placed : ModelsOf {
    std::string p = t / "place";
    Placed()
    {
        t.file("place/a/one", 100000);
        t.file("place/a/two", 200000);
        t.file("place/b/three", 300000);
        t.file("place/c/four", 400000);
        scan(p);
    }
    /// Carries out what is planned, and leaves the quiet rescan after it held up.
    const app::ScanJob* runAndHold()
    {
        models.runner.carryOutPlan(place()->plan.countForGood());
        REQUIRE(until([this] { return !models.runner.planJob(); }));
        return hold();
    }
};

} // namespace

TEST_CASE("a run is undone while the quiet rescan after it is still to come in", "[model][trees]")
{
    Placed w;
    w.models.plan.planTrash(w.node(w.p + "/a/one"));
    const auto* rescan = w.runAndHold();
    CHECK(w.node(w.p + "/a/one") == noNode);
    // The rescan ends while what was taken out is put back: whoever comes second builds on the first.
    w.models.runner.takeBack(w.models.logbook.history().front().run.id);
    w.models.scans.pauseScan(rescan, false);
    w.settle();
    CHECK(exists(w.p + "/a/one"));
    CHECK(w.node(w.p + "/a/one") != noNode);
    w.agrees();
}

TEST_CASE("a second run is carried out while the rescan after the first is still to come in", "[model][trees]")
{
    Placed w;
    w.models.plan.planTrash(w.node(w.p + "/a/one"));
    const auto* rescan = w.runAndHold();
    w.models.plan.planTrash(w.node(w.p + "/b"));
    w.models.cursor.select(w.node(w.p + "/c/four"));
    w.models.runner.carryOutPlan();
    w.models.scans.pauseScan(rescan, false);
    w.settle();
    CHECK(w.place()->plan.empty());
    CHECK(w.place()->tree->path(w.place()->selection) == w.p + "/c/four");
    w.agrees();
}

TEST_CASE("what was read before comes in after what was read later, and does not take its place", "[model][trees]")
{
    Placed w;
    // The first reading is over before the file comes, and is told only when it may.
    auto readings = std::make_shared<std::atomic<int>>(0);
    auto mayTell = std::make_shared<std::atomic<bool>>(false);
    w.models.scans.setScanner(
        [readings, mayTell](const std::string& path, const ScanOptions& options, std::stop_token stop, ScanProgress*) {
            auto result = kurvo::scan(path, options, std::move(stop), nullptr);
            if (readings->fetch_add(1) == 0)
                while (!mayTell->load())
                    std::this_thread::sleep_for(std::chrono::milliseconds(2));
            return result;
        });
    const auto first = GENERATE(std::string("/a"), std::string());
    w.models.scans.rescan(w.node(w.p + first));
    REQUIRE(ModelsOf::until([&] { return readings->load() == 1; }));
    w.t.file("place/a/new", 50000);
    w.models.scans.rescan(w.node(w.p + "/a"));
    REQUIRE(ModelsOf::until([&] { return w.node(w.p + "/a/new") != noNode; }));
    mayTell->store(true);
    w.settle();
    CHECK(w.node(w.p + "/a/new") != noNode);
    w.agrees();
}

TEST_CASE("marks are of the tree that is shown, also right when it changes", "[model][trees]")
{
    Placed w;
    w.models.view.mark({w.node(w.p + "/c/four")}, "keep");
    w.models.plan.planTrash(w.node(w.p + "/b/three"));
    REQUIRE(ModelsOf::until([&] { return w.place()->marks && w.place()->marks->any(); }));
    bool told = false;
    QObject::connect(&w.models.trees, &app::TreeUpdater::treeChanged, &w.models.trees, [&] {
        told = true;
        REQUIRE(w.place()->marks);
        const auto& tree = *w.place()->tree;
        for (NodeId node = 0; node < tree.extent().nodes; ++node) {
            const auto* own = w.place()->marks->own(node);
            CHECK((own != nullptr) == (tree.path(node) == w.p + "/c/four"));
            CHECK(w.place()->plan.has(node) == (tree.path(node) == w.p + "/b/three"));
        }
    });
    const auto before = w.node(w.p + "/c/four");
    std::filesystem::remove_all(w.p + "/a"); // all ids are others
    for (int i = 0; i < 40; ++i)
        w.t.file("place/b/new-" + std::to_string(i), 5000);
    w.models.scans.rescan(rootNode);
    w.settle();
    CHECK(told);
    CHECK(w.node(w.p + "/c/four") != before);
    w.agrees();
}

TEST_CASE("where one is, the way back and what is highlighted come along to the ids of a rescan", "[model][trees]")
{
    Placed w;
    w.models.cursor.setFocus(w.node(w.p + "/a"));
    w.models.cursor.setFocus(w.node(w.p + "/c"));
    w.models.cursor.selectAll(w.node(w.p + "/c/four"), {w.node(w.p + "/b/three")});
    std::filesystem::remove_all(w.p + "/a");
    for (int i = 0; i < 10; ++i)
        w.t.file("place/b/new-" + std::to_string(i), 5000);
    SECTION("of some folders")
    {
        w.models.scans.rescan(rootNode);
    }
    SECTION("of the whole place: it stays the same place")
    {
        const auto id = w.place()->id;
        w.models.scans.scanFolder(w.p);
        w.settle();
        CHECK(w.place()->id == id);
        CHECK(w.models.places.places().size() == 1);
    }
    w.settle();
    const auto& tree = *w.place()->tree;
    CHECK(tree.path(w.place()->focus) == w.p + "/c");
    CHECK(tree.path(w.place()->selection) == w.p + "/c/four");
    REQUIRE(w.place()->alsoSelected.size() == 1);
    CHECK(tree.path(w.place()->alsoSelected[0]) == w.p + "/b/three");
    w.models.cursor.goBack(); // over what is gone
    CHECK(w.place()->focus == rootNode);
    w.agrees();
}

TEST_CASE("states of the plan to go back to follow the tree as well", "[model][trees]")
{
    Placed w;
    w.models.plan.planTrash(w.node(w.p + "/c/four"));
    w.models.plan.planTrash(w.node(w.p + "/b/three"));
    w.models.plan.clearPlan();
    for (int i = 0; i < 10; ++i)
        w.t.file("place/a/new-" + std::to_string(i), 5000);
    std::filesystem::remove(w.p + "/b/three");
    w.models.scans.rescan(rootNode);
    w.settle();
    w.models.plan.undoPlanChange();
    REQUIRE(w.place()->plan.items().size() == 1); // the other is gone
    CHECK(w.place()->plan.has(w.node(w.p + "/c/four")));
    w.models.plan.undoPlanChange();
    w.models.plan.undoPlanChange();
    CHECK(w.place()->plan.empty());
    w.agrees();
}

TEST_CASE("of two updates that come at once the second builds on the first", "[model][trees]")
{
    Placed w;
    w.t.file("place/a/new", 5000);
    const auto fresh = scan(w.p + "/a");
    REQUIRE(fresh);
    std::filesystem::remove(w.p + "/b/three");
    int over = 0;
    const auto count = [&](bool done) { over += done ? 1 : 0; };
    w.models.trees.takeOut(w.place()->id, {w.p + "/b/three"}, count);
    w.models.trees.putIn(w.place()->id, {{w.p + "/a", fresh->tree, {}}}, Plan::IfChanged::Drop, false, count);
    REQUIRE(ModelsOf::until([&] { return over == 2; }));
    CHECK(w.node(w.p + "/b/three") == noNode);
    CHECK(w.node(w.p + "/a/new") != noNode);
    CHECK(w.place()->tree->files(rootNode) == 4);
}

TEST_CASE("what is planned while an update is made is on the plan of the new tree", "[model][trees]")
{
    Placed w;
    w.t.file("place/a/new", 5000);
    const auto fresh = scan(w.p + "/a");
    REQUIRE(fresh);
    bool over = false;
    w.models.trees.putIn(w.place()->id, {{w.p + "/a", fresh->tree, {}}}, Plan::IfChanged::Drop, false,
                         [&](bool) { over = true; });
    w.models.plan.planTrash(w.node(w.p + "/c/four")); // the update was begun without it
    REQUIRE(ModelsOf::until([&] { return over; }));
    REQUIRE(w.place()->plan.items().size() == 1);
    CHECK(w.place()->plan.has(w.node(w.p + "/c/four")));
    CHECK(w.node(w.p + "/a/new") != noNode);
    w.agrees();
}

TEST_CASE("a place that is closed lets go of what waits for it", "[model][trees]")
{
    Placed w;
    bool over = false, done = true;
    w.models.places.setLocked(true); // so that it waits
    w.models.trees.putIn(w.place()->id, {{w.p + "/a", nullptr, {}}}, Plan::IfChanged::Keep, false,
                         [&](bool did) { over = true, done = did; });
    w.models.places.drop(w.place()->id);
    w.models.places.setLocked(false);
    REQUIRE(ModelsOf::until([&] { return over; }));
    CHECK_FALSE(done);
    CHECK_FALSE(w.place());
}
