// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <algorithm>
#include <random>
#include <set>

#include "core/leads/aside.h"
#include "core/leads/leads.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20;
constexpr std::int64_t now = 1'780'000'000;

LeadFacts factsOf(std::shared_ptr<const FileTree> tree)
{
    LeadFacts facts{std::move(tree), {}, std::make_shared<const RuleBook>(RuleBook::builtIn())};
    facts.info.taken = now;
    return facts;
}

std::vector<Lead> allOf(const Leads& found)
{
    auto all = found.leads;
    all.insert(all.end(), found.rest.begin(), found.rest.end());
    return all;
}

const Lead* named(const std::vector<Lead>& leads, const std::string& id)
{
    const auto found = std::find_if(leads.begin(), leads.end(), [&id](const Lead& l) { return l.id == id; });
    return found == leads.end() ? nullptr : &*found;
}

Sapling big(std::string name, std::uint64_t mib, std::int64_t modified = now - 10 * day)
{
    auto made = file(std::move(name), mib * MiB);
    made.modified = modified;
    return made;
}

Sapling home(std::vector<Sapling> entries)
{
    return folder("/", {folder("home", {folder("warden", std::move(entries))})});
}

/// A tree of names that rules speak of, nested as chance has it.
Sapling chance(std::mt19937_64& random, const std::string& name, int depth)
{
    static const char* folders[] = {".cache",  "maps",   "node_modules", "logs",  "target", "debug", "Downloads",
                                    "backups", ".local", "share",        "Trash", "tmp",    "x",     "Copy"};
    static const char* files[] = {"a.iso", "b.log", "c~", "d.qcow2", "e.flac", "f.part", "g.db", "core.12", "h"};
    std::vector<Sapling> below;
    std::set<std::string> used;
    for (std::uint64_t i = 0, n = 1 + random() % 5; i < n; ++i) {
        const bool isFolder = depth > 0 && random() % 2 == 0;
        const std::string child =
            isFolder ? folders[random() % std::size(folders)] : files[random() % std::size(files)];
        if (!used.insert(child).second)
            continue;
        below.push_back(isFolder
                            ? chance(random, child, depth - 1)
                            : big(child, 1 + random() % 400, now - static_cast<std::int64_t>(random() % 900) * day));
        if (!isFolder && random() % 4 == 0) {
            below.back().inode = 5000 + random() % 10;
            below.back().bytes = 9 * MiB;
            below.back().links = 3;
        }
    }
    return folder(name, std::move(below));
}

} // namespace

TEST_CASE("leads: no byte is in two, whatever lies in what", "[leads]")
{
    for (unsigned seed = 0; seed < 150; ++seed) {
        std::mt19937_64 random(seed);
        const auto tree = plant(folder("/", {folder("home", {chance(random, "warden", 6), chance(random, "guest", 4)}),
                                             folder("var", {chance(random, "log", 3), chance(random, "cache", 3)})}));
        const auto leads = allOf(findLeads(factsOf(tree)));
        INFO("seed " << seed);
        std::vector<bool> taken(tree->extent().nodes);
        std::uint64_t bytes = 0;
        std::set<std::string> ids;
        for (const auto& lead : leads) {
            CHECK(ids.insert(lead.id).second);
            CHECK(lead.comesFree <= lead.bytes);
            CHECK(lead.sentence.ends_with('.'));
            CHECK_FALSE(lead.next.empty());
            bytes += lead.bytes;
            for (const NodeId node : lead.nodes)
                tree->forEachBelow(node, [&](NodeId below) { taken[below] = true; });
        }
        std::uint64_t covered = 0;
        tree->forEachBelow(
            rootNode, [&](NodeId node) { covered += taken[node] && !tree->isFolder(node) ? tree->disk(node) : 0; });
        CHECK(bytes <= covered); // what is too small for a lead of its own may lie in a larger one
        CHECK(covered - bytes < tree->disk(rootNode) / 20);
        for (std::size_t i = 1; i < leads.size(); ++i)
            CHECK(leads[i - 1].score >= leads[i].score);
    }
}

TEST_CASE("leads: what has links elsewhere does not come free", "[leads]")
{
    auto inside = big("a.png", 60), outside = big("a.png", 60), alone = big("b.png", 40);
    inside.inode = outside.inode = 77;
    inside.links = outside.links = 2;
    const auto tree = plant(home({folder(".cache", {folder("maps", {inside, alone})}), folder("keep", {outside})}));
    const auto leads = allOf(findLeads(factsOf(tree)));
    const auto* cache = named(leads, "other-program-caches:/home/warden/.cache/maps");
    REQUIRE(cache);
    CHECK(cache->bytes == 100 * MiB);
    CHECK(cache->comesFree == 40 * MiB);
}

TEST_CASE("leads: a thing that may go within one that somebody has to decide on is its own", "[leads]")
{
    const auto tree = plant(folder(
        "/", {folder("data", {folder("backups", {big("a.tar", 500), folder("node_modules", {big("a.js", 300)})})})}));
    const auto leads = allOf(findLeads(factsOf(tree)));
    const auto* backups = named(leads, "other-backups:/data/backups");
    const auto* modules = named(leads, "node-modules:/data/backups/node_modules");
    REQUIRE(backups);
    REQUIRE(modules);
    CHECK(backups->bytes == 500 * MiB);
    CHECK(modules->bytes == 300 * MiB);
    CHECK(modules->step == LeadStep::Plan);
}

TEST_CASE("leads: many small things are one, and nothing is said of what is small", "[leads]")
{
    std::vector<Sapling> many;
    for (int i = 0; i < 20000; ++i)
        many.push_back(file("frame-" + std::to_string(i) + ".part", 102400));
    const auto found = findLeads(factsOf(plant(home({folder("work", std::move(many)), big("film.mov", 900)}))));
    CHECK(found.leads.size() <= 2);
    const auto* part = named(found.leads, "partial-downloads:/home/warden/work/*");
    REQUIRE(part);
    CHECK(part->nodes.size() == 20000);
    CHECK(part->sentence.find("20,000 places") != std::string::npos);
    CHECK(findLeads(factsOf(plant(home({file("a.part", 5120)})))).leads.empty());
    CHECK(findLeads(factsOf(plant(folder("/", {})))).leads.empty());
}

TEST_CASE("leads: accounts", "[leads]")
{
    const auto old = now - 500 * day;
    auto tree = plant(folder("/", {folder("home", {folder("guest", {big("a.odt", 40, old)}),
                                                   folder("warden", {big("b.odt", 40), big("c.odt", 60, old)})})}));
    auto leads = allOf(findLeads(factsOf(tree)));
    CHECK(named(leads, "account:/home/guest"));
    CHECK_FALSE(named(leads, "account:/home/warden"));
    const auto* forgotten = named(leads, "old-large:");
    REQUIRE(forgotten);
    CHECK(forgotten->nodes.size() == 1); // the guest's are said already
}

TEST_CASE("leads: copies by their names and sizes, and which one stays", "[leads]")
{
    const auto takes = [](const std::string& name) {
        return folder(name, {big("one.flac", 50), big("two.flac", 70), folder("deep", {big("three.flac", 20)})});
    };
    const auto leads = allOf(findLeads(factsOf(
        plant(home({takes("takes"), folder("to sort", {takes("takes copy")}), big("a.mov", 33), big("b.mov", 34),
                    big("z.raw", 64), folder("s", {big("z.raw", 64)}), folder("r", {big("y.raw", 64)})})))));
    const auto* folders = named(leads, "copies:/home/warden/takes");
    REQUIRE(folders);
    REQUIRE(folders->nodes.size() == 1);
    CHECK(folders->bytes == 140 * MiB);
    CHECK(folders->level == AdviceLevel::YourCall);
    const auto files = std::count_if(leads.begin(), leads.end(), [](const Lead& l) { return l.title == "A copy"; });
    CHECK(files == 2); // the folders, and z.raw; y.raw has a round size that anything may have
}

TEST_CASE("leads: what other package systems keep for nobody, with the commands of their own tools", "[leads]")
{
    auto facts = factsOf(plant(folder(
        "/", {folder("var", {folder("lib", {folder("snapd", {folder("snaps", {big("a_1.snap", 90), big("a_2.snap", 80),
                                                                              big("a_3.snap", 70)})})})}),
              folder("home", {big("film.mov", 400)})})));
    const std::string at = "/var/lib/snapd/snaps/a_";
    for (int i = 1; i <= 3; ++i)
        facts.stores.push_back({"snap",
                                "revision",
                                "a, revision " + std::to_string(i),
                                {at + std::to_string(i) + ".snap"},
                                "sudo snap remove 'a' --revision='" + std::to_string(i) + "'",
                                i == 3,
                                "Old."});
    facts.stores.push_back({"snap", "revision", "gone", {"/var/lib/snapd/snaps/b_1.snap"}, "x", false, "Old."});
    const auto leads = allOf(findLeads(facts));
    const auto* old = named(leads, "stored:snap-revision");
    REQUIRE(old);
    CHECK(old->bytes == 170 * MiB);
    CHECK(old->level == AdviceLevel::OwnTool);
    CHECK(old->sentence.starts_with("2 old snap revisions hold 170 MiB"));
    CHECK(old->command == "sudo snap remove 'a' --revision='1' && sudo snap remove 'a' --revision='2'");
}

TEST_CASE("leads that were put aside are kept for a machine, with odd bytes and all", "[leads][aside]")
{
    const TestFolder t;
    const auto file = t / "data/kurvo/leads-aside.json";
    const AsideLeads here(file, "skerry-desk"), there(file, "other");
    CHECK(here.read()->empty());
    const std::string odd = "hidden:/home/w/\xff\"odd\n";
    REQUIRE(here.putAside({odd, "It holds 5 GiB.", "belongs to the survey", 100}));
    REQUIRE(here.putAside({"trash-home:/home/w", "The trash.", "", 200}));
    REQUIRE(there.putAside({odd, "Theirs.", "", 300}));
    REQUIRE(here.putAside({odd, "It holds 6 GiB.", "still", 400}));
    const auto kept = here.read();
    REQUIRE(kept);
    REQUIRE(kept->size() == 2);
    CHECK((*kept)[0].id == odd);
    CHECK((*kept)[0].note == "still");
    CHECK(idsOf(*there.read()) == std::vector<std::string>{odd});
    REQUIRE(here.bringBack(odd));
    CHECK(here.read()->size() == 1);
    CHECK(there.read()->size() == 1);
    // A damaged file is told, and stays as it is.
    writeAll(file, "{\"aside\": [");
    CHECK(here.read().error().kind == ErrorKind::Damaged);
    CHECK_FALSE(here.putAside({odd, "", "", 1}));
    CHECK(readAll(file) == "{\"aside\": [");
    writeAll(file, "{\"aside\": [5, {}, {\"id\": 3}, {\"id\": \"a%3A\", \"host\": \"skerry-desk\", \"when\": \"x\"}]}");
    CHECK(idsOf(*here.read()) == std::vector<std::string>{"a:"});
}
