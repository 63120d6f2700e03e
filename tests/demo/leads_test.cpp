// SPDX-License-Identifier: GPL-3.0-or-later
// What stands out in the demo world. The stories and their order were written down before there was anything to find
// them.
#include <catch2/catch.hpp>

#include <algorithm>
#include <set>

#include "core/leads/leads.h"
#include "demo/demo_data.h"
#include "demo/world.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t GiB = std::uint64_t{1} << 30;

LeadFacts factsOf(const Snapshot& snapshot)
{
    return {snapshot.tree, snapshot.info, std::make_shared<const RuleBook>(RuleBook::builtIn())};
}

const Leads& june()
{
    static const auto leads = [] {
        auto facts = factsOf(demo::systemDrive(5));
        const TestFolder t;
        for (int month = 0; month < demo::monthCount; ++month) {
            const auto made = demo::systemDrive(month);
            REQUIRE(addSnapshot(t.path(), made.info, *made.tree));
        }
        facts.earlier = snapshotsOf(readCatalogue(t.path()), facts.info);
        REQUIRE(facts.earlier.size() == demo::monthCount);
        return findLeads(facts);
    }();
    return leads;
}

const Lead& lead(const std::string& id)
{
    INFO(id);
    const auto found =
        std::find_if(june().leads.begin(), june().leads.end(), [&id](const Lead& l) { return l.id == id; });
    REQUIRE(found != june().leads.end());
    return *found;
}

std::size_t rank(const std::string& id)
{
    return static_cast<std::size_t>(&lead(id) - june().leads.data());
}

} // namespace

TEST_CASE("the demo's stories are its leads, in a sensible order", "[demo][leads]")
{
    for (const auto& each : june().leads)
        UNSCOPED_INFO(each.id << " | " << each.sentence);
    CHECK(june().leads.size() == Leads::most);
    const auto tiles = "map-tiles:/home/warden/.cache/tide-maps", copies = "copies:/home/warden/Recordings/2025-autumn",
               log = "current-logs:/var/log/recorder.log", oldLog = "rotated-logs:/var/log/recorder.log.1",
               machine = "disk-images:/home/ringing/machines/old-database.qcow2", guest = "account:/home/guest",
               dumps = "core-dumps:/var/lib/dumps",
               held = "held-open:", trash = "trash-home:/home/warden/.local/share/Trash",
               kernels = "old-kernels:", growing = "growing:/home/warden/Nest camera";
    CHECK(rank(tiles) == 0);
    CHECK(rank(copies) <= 2);
    CHECK(rank(oldLog) <= 3);
    CHECK(rank(log) < rank(guest));
    CHECK(rank(machine) < rank(guest));
    CHECK(rank(guest) < rank(held));
    for (const auto* id : {dumps, trash, kernels, growing})
        CHECK(rank(id) > 3);
    CHECK(lead(tiles).level == AdviceLevel::UsuallySafe);
    CHECK(lead(tiles).step == LeadStep::Plan);
    CHECK(lead(tiles).bytes > 80 * GiB);
    REQUIRE(lead(tiles).perMonth);
    CHECK(*lead(tiles).perMonth > 12.0 * GiB);
    CHECK(lead(log).perMonth);
    CHECK(lead(guest).step == LeadStep::Ask);
    CHECK(lead(trash).step == LeadStep::Empty);
    CHECK(lead(kernels).level == AdviceLevel::OwnTool);
    CHECK(lead(kernels).command.find("apt") != std::string::npos);
    CHECK(lead(copies).nodes.size() == 2); // one of three stays
    CHECK(lead(copies).bytes > 40 * GiB);
}

TEST_CASE("the demo's leads say each thing once, and no byte twice", "[demo][leads]")
{
    const auto tree = demo::systemDrive(5).tree;
    std::vector<bool> taken(tree->extent().nodes);
    std::uint64_t all = 0, held = 0;
    std::set<std::string> sentences;
    for (const auto* list : {&june().leads, &june().rest})
        for (const auto& each : *list) {
            CHECK(sentences.insert(each.sentence).second);
            CHECK(each.sentence.ends_with('.'));
            CHECK(each.comesFree <= each.bytes);
            if (each.nodes.empty()) {
                held += each.bytes;
                continue;
            }
            all += each.bytes;
            for (const NodeId node : each.nodes)
                tree->forEachBelow(node, [&](NodeId below) { taken[below] = true; });
        }
    std::uint64_t covered = 0;
    tree->forEachBelow(rootNode, [&](NodeId node) {
        covered += taken[node] ? (tree->isFolder(node) ? tree->store().ownDisk(node) : tree->disk(node)) : 0;
    });
    CHECK(all == covered);
    CHECK(held > 5 * GiB);
    for (std::size_t i = 1; i < june().leads.size(); ++i)
        CHECK(june().leads[i - 1].score >= june().leads[i].score);
}

TEST_CASE("what was put aside stays away, and nothing else takes its place", "[demo][leads]")
{
    auto facts = factsOf(demo::systemDrive(5));
    facts.aside = {"map-tiles:/home/warden/.cache/tide-maps"};
    const auto leads = findLeads(facts);
    for (const auto* list : {&leads.leads, &leads.rest})
        for (const auto& each : *list)
            CHECK(each.where.find("tide-maps") == std::string::npos);
}

TEST_CASE("the sentence of the tide cache reads as a person would say it", "[demo][leads]")
{
    const auto& tiles = june().leads.front();
    CHECK(tiles.sentence.starts_with("A map viewer's cache holds "));
    CHECK(tiles.sentence.find(" GiB in a hidden folder, grows ") != std::string::npos);
    CHECK(tiles.sentence.ends_with(" GiB a month and may usually go."));
}
