// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

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
    CHECK(w.place()->totals.unchecked == 50);
    CHECK(w.place()->totals.freed == 49 * 4096); // one has a link elsewhere
    w.models.plan.planTrash(w.node(w.p + "/linked"));
    CHECK(w.place()->totals.freed == 50 * 4096);
    w.models.runner.checkPlan();
    w.settle();
    CHECK(w.place()->totals.ready == 51);
    CHECK(w.place()->totals.unchecked == 0);
    w.models.plan.unplan(w.p + "/linked");
    CHECK(w.place()->totals.ready == 50);
    w.models.runner.carryOutPlan();
    w.settle();
    CHECK(w.place()->totals.ready == 0);
    CHECK(w.place()->totals.freed == 0);
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
    CHECK(seen == std::vector{ColourBy::Age, ColourBy::Hidden, ColourBy::Owner, ColourBy::Mark, ColourBy::Family});
    CHECK(w.said.isEmpty());
}
