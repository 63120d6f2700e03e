// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "app/jobs/memory.h"
#include "app/models_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Many : ModelsOf {
    std::string p = t / "place";
    explicit Many(int files)
    {
        for (int i = 0; i < files; ++i)
            t.file("place/files/" + std::to_string(i), 4096);
        scan(p);
    }
    std::vector<NodeId> all()
    {
        std::vector<NodeId> nodes;
        place()->tree->forEachChild(node(p + "/files"), [&](NodeId child) { nodes.push_back(child); });
        return nodes;
    }
};

} // namespace

TEST_CASE("many items are one change of the plan, there and back", "[model][plan]")
{
    const int files = GENERATE(20, 600); // at once, and on another thread
    Many w(files);
    std::size_t planned = 0;
    w.models.plan.planAll(w.all(), {}, [&](std::size_t count) { planned = count; });
    REQUIRE(ModelsOf::until([&] { return planned > 0; }));
    CHECK(planned == static_cast<std::size_t>(files));
    w.models.plan.unplan(w.all());
    CHECK(w.place()->plan.empty());
    w.models.plan.undoPlanChange();
    CHECK(w.place()->plan.items().size() == planned);
    w.models.plan.undoPlanChange();
    CHECK(w.place()->plan.empty());
    CHECK_FALSE(w.models.plan.canUndoPlanChange());
    w.models.plan.redoPlanChange();
    CHECK(w.place()->plan.items().size() == planned);
}

TEST_CASE("what is planned while many are being planned is not lost", "[model][plan]")
{
    Many w(600);
    w.t.file("place/other", 5000);
    w.models.scans.rescan(rootNode);
    w.settle();
    w.models.plan.planAll(w.all());
    w.models.plan.planTrash(w.node(w.p + "/other"));
    w.settle();
    REQUIRE(ModelsOf::until([&] { return w.place()->plan.items().size() == 601; }));
}

TEST_CASE("the totals of a plan are those of its items, whatever is done with it", "[model][plan]")
{
    Many w(50);
    w.t.link("place/files/1", "place/linked");
    w.models.scans.rescan(rootNode);
    w.settle();
    w.models.plan.planAll(w.all());
    CHECK(w.place()->unchecked() == 50);
    CHECK(w.place()->totals.freed == 49 * 4096); // one has a link elsewhere
    w.models.plan.planTrash(w.node(w.p + "/linked"));
    CHECK(w.place()->totals.freed == 50 * 4096);
    w.models.runner.checkPlan();
    w.settle();
    CHECK(w.place()->findings.ready() == 51);
    CHECK(w.place()->unchecked() == 0);
    w.models.plan.unplan(w.p + "/linked");
    CHECK(w.place()->findings.ready() == 50);
    w.models.runner.carryOutPlan();
    w.settle();
    CHECK(w.place()->findings.ready() == 0);
    CHECK(w.place()->totals.freed == 0);
}

TEST_CASE("what came off the plan with a folder, or by going back, counts as checked no more", "[model][plan]")
{
    Many w(3);
    w.models.plan.planAll(w.all());
    w.models.runner.checkPlan();
    w.settle();
    REQUIRE(w.place()->findings.ready() == 3);
    w.models.plan.planTrash(w.node(w.p + "/files"));
    CHECK(w.place()->findings.ready() == 0);
    CHECK(w.place()->unchecked() == 1);
    w.models.plan.undoPlanChange();
    CHECK(w.place()->unchecked() == 3);
    w.models.runner.checkPlan();
    w.settle();
    w.t.file("place/files/1", 9000); // is another one, and comes off
    w.models.scans.rescan(rootNode);
    w.settle();
    CHECK(w.place()->plan.items().size() - w.place()->findings.size() == w.place()->unchecked());
    w.models.plan.clearPlan();
    CHECK(w.place()->findings.empty());
}

namespace {

/// A place with so many files, none of which is on a disk.
std::shared_ptr<const FileTree> madeUp(const std::string& path, std::uint32_t files)
{
    std::vector<Sapling> children;
    for (std::uint32_t i = 0; i < files; ++i)
        children.push_back(file("copy " + std::to_string(i), 4096));
    return plant(folder(path, std::move(children)));
}

} // namespace

TEST_CASE("a change of the plan costs no more than in proportion to what is planned", "[model][plan]")
{
    const auto work = [](std::uint32_t files) {
        ModelsOf w;
        const auto path = w.t / "place";
        w.t.folder("place");
        // Made before, and without progress: the place is never shown as one that grows.
        w.models.scans.setScanner([tree = madeUp(path, files)](const std::string& of, const ScanOptions& options,
                                                               std::stop_token stop, ScanProgress*) {
            auto result = scan(of, options, stop, nullptr);
            if (result)
                result->tree = tree;
            return result;
        });
        w.scan(path);
        const auto all = w.place()->tree->sortedChildren(rootNode, Measure::Disk);
        REQUIRE(all.size() == files);
        std::vector<std::size_t> steps;
        const auto count = [&](const auto& change) {
            const auto before = pieces;
            change();
            steps.push_back(pieces - before);
            w.settle();
        };
        count([&] { w.models.plan.planAll(all); });
        count([&] { w.models.plan.unplan(std::vector{all[files / 2]}); });
        count([&] { w.models.plan.planTrash(all[files / 2]); });
        for (int i = 0; i < 20; ++i)
            w.models.plan.planItem(all[0], {i % 2 != 0 ? Action::Trash : Action::Delete, {}, false});
        count([&] { w.models.plan.undoPlanChange(); });
        count([&] { w.models.plan.redoPlanChange(); });
        count([&] { w.models.plan.setFindings(w.place()->id, {}, 1); });
        count([&] { w.models.plan.unplan(all); });
        CHECK(w.place()->totals.freed == 0);
        return steps;
    };
    const auto some = work(1'500), more = work(6'000);
    for (std::size_t i = 0; i < some.size(); ++i) {
        INFO("step " << i << ": " << some[i] << " and " << more[i]);
        CHECK(more[i] < some[i] * 6 + 200);
    }
}

TEST_CASE("a check of what is new leaves no planned item out", "[model][plan]")
{
    Many w(30);
    const auto all = w.all();
    const auto checkNew = [&] {
        w.models.runner.checkPlan(app::PlanRunner::Check::New);
        w.settle();
        CHECK(w.place()->unchecked() == 0);
        CHECK(w.place()->findings.ready() == w.place()->plan.items().size());
    };
    w.models.plan.planAll({all.begin(), all.begin() + 20});
    checkNew();
    w.models.plan.planTrash(all[20]);
    w.models.plan.planTrash(all[21]);
    w.models.plan.unplan(std::vector{all[20], all[3]});
    w.models.plan.undoPlanChange(); // two come back
    w.models.plan.planItem(all[5], {Action::Delete, {}, false});
    CHECK(w.place()->unchecked() == 4);
    checkNew();
    w.models.plan.planAll({all.begin(), all.end()}); // with those that came on before
    w.models.plan.planTrash(all[5]);
    checkNew();
    w.models.plan.planTrash(w.node(w.p + "/files"));
    checkNew();
    CHECK(w.place()->plan.items().size() == 1);
}

TEST_CASE("the next colour passes over growth where nothing is there to tell it from", "[model][view]")
{
    ModelsOf w;
    w.t.file("place/a", 10000);
    w.scan(w.t / "place");
    std::vector<ColourBy> seen;
    for (std::size_t i = 0; i < colourSchemes - 1; ++i) {
        const auto before = w.place()->view.colour;
        w.models.view.nextColour();
        REQUIRE(ModelsOf::until([&] { return w.place()->view.colour != before; }));
        seen.push_back(w.place()->view.colour);
    }
    CHECK(seen == std::vector{ColourBy::Age, ColourBy::Hidden, ColourBy::Owner, ColourBy::Mark, ColourBy::Role,
                              ColourBy::Family});
    CHECK(w.said.isEmpty());
}
