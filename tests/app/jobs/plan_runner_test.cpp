// SPDX-License-Identifier: GPL-3.0-or-later
// Work on the plan that cannot be done: it ends, says so, and the plan can be changed again.
#include <catch2/catch.hpp>

#include "app/jobs/memory.h"
#include "app/models_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("when memory runs out while the plan is worked on, the job ends and the plan is not locked", "[model][plan]")
{
    ModelsOf w;
    std::vector<NodeId> nodes;
    for (int i = 0; i < 300; ++i)
        w.t.file("place/" + std::to_string(i), 4096);
    w.scan(w.t / "place");
    w.place()->tree->forEachChild(rootNode, [&](NodeId child) { nodes.push_back(child); });
    w.models.plan.planAll(nodes);
    REQUIRE(ModelsOf::until([&] { return w.place()->plan.items().size() == 300; }));
    w.said.clear();
    largest = 60'000; // what the plan as a file takes
    SECTION("checked")
    {
        w.models.runner.checkPlan();
    }
    SECTION("carried out")
    {
        w.models.runner.carryOutPlan();
    }
    REQUIRE(ModelsOf::until([&] { return !w.models.runner.planJob(); }));
    largest = SIZE_MAX;
    CHECK(w.heard("not enough memory"));
    CHECK_FALSE(w.models.places.isLocked());
    nodes.resize(290); // the rest is enough to be carried out
    w.models.plan.unplan(nodes);
    CHECK(w.place()->plan.items().size() == 10);
    w.models.runner.carryOutPlan();
    w.settle();
    CHECK(w.place()->plan.empty());
    w.agrees();
}
