// SPDX-License-Identifier: GPL-3.0-or-later
// Rules of upkeep: what is a rule and what is none, and which would fight.
#include <catch2/catch.hpp>

#include <unistd.h>

#include "core/advice/rule_book.h"
#include "core/find/filter.h"
#include "core/scan/join.h"
#include "core/upkeep/rule.h"
#include "core/upkeep/rule_of_items.h"
#include "core/upkeep/timer.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

UpkeepRule someRule()
{
    UpkeepRule rule;
    rule.name = "old-films";
    rule.title = "Old films";
    rule.place = "/home/warden";
    rule.filter = "family:video age>90d";
    rule.action = UpkeepAction::Trash;
    rule.olderDays = 90;
    rule.most = std::uint64_t{20} << 30;
    return rule;
}

} // namespace

TEST_CASE("a rule is read as it was written", "[upkeep]")
{
    const TestFolder t;
    auto moving = someRule();
    moving.name = "films-to-archive";
    moving.action = UpkeepAction::Move;
    moving.place = "/home/w\xff"
                   "arden \"x\"";
    moving.to = "/mnt/archive/films";
    moving.toDrive = "0a1b";
    moving.fullerThan = 92.5;
    moving.on = true;
    auto leads = someRule();
    leads.name = "kernels";
    leads.subject = UpkeepSubject::Leads;
    leads.filter.clear();
    leads.kinds = {"old-kernels", "journal"};
    leads.action = UpkeepAction::Tell;
    leads.most = 12345;
    for (const auto& rule : {someRule(), moving, leads}) {
        INFO(rule.name);
        REQUIRE(writeUpkeepRule(t / "upkeep", rule));
        const auto read = readUpkeepRule(t / ("upkeep/" + rule.name + ".toml"));
        REQUIRE(read);
        CHECK(*read == rule);
    }
    CHECK(readUpkeepRules(t / "upkeep").rules.size() == 3);
    CHECK(readUpkeepRules(t / "nowhere").rules.empty());
    REQUIRE(removeUpkeepRule(t / "upkeep", "kernels"));
    CHECK_FALSE(removeUpkeepRule(t / "upkeep", "kernels"));
    CHECK_FALSE(removeUpkeepRule(t / "upkeep", "../upkeep/old-films"));
    CHECK(readUpkeepRules(t / "upkeep").rules.size() == 2);
}

TEST_CASE("the ready rules are rules, name what the advice knows, and are off", "[upkeep]")
{
    const TestFolder t;
    const auto rules = readyUpkeepRules(t.user());
    CHECK(rules.size() == 8);
    const auto* known = &RuleBook::builtIn();
    for (const auto& rule : rules) {
        INFO(rule.name);
        CHECK(problemOf(rule).empty());
        CHECK_FALSE(rule.on);
        CHECK_FALSE(describeRule(rule).empty());
        for (const auto& kind : rule.kinds)
            CHECK((kind == "old-kernels" || std::any_of(known->rules().begin(), known->rules().end(),
                                                        [&](const auto& r) { return r.id == kind; })));
        REQUIRE(writeUpkeepRule(t / "upkeep", rule));
    }
    CHECK(readUpkeepRules(t / "upkeep").problems.empty());
    CHECK(fightsOf(rules).empty());
}

TEST_CASE("a mistaken rule is told with its file and line, and the others work", "[upkeep]")
{
    const TestFolder t;
    REQUIRE(writeUpkeepRule(t / "upkeep", someRule()));
    const auto problem = [&](const std::string& text) {
        t.text("upkeep/wrong.toml", text);
        const auto rules = readUpkeepRules(t / "upkeep");
        CHECK(rules.rules.size() == 1);
        REQUIRE(rules.problems.size() == 1);
        CHECK(rules.problems[0].find("wrong.toml:") != std::string::npos);
        return rules.problems[0];
    };
    const auto says = [&](const std::string& text, const std::string& words) {
        const auto sentence = problem(text);
        INFO(sentence);
        CHECK(sentence.find(words) != std::string::npos);
    };
    const std::string good = "place = \"/home/warden\"\nfilter = \"*.iso\"\ndo = \"trash\"\nmost = \"5G\"\n";
    says("", "does not say of what");
    says("this is no rule", "wrong.toml:1:");
    says(good + "oldr-than-days = 30\n", "wrong.toml:5: \"oldr-than-days\" is not known");
    says(good, "from when on");
    says(good + "older-than-days = -1\n", "number of days");
    says(good + "older-than-days = \"30\"\n", "number of days");
    says(good + "older-than-days = 30\ntrash = true\n", "one at a time");
    says(good + "older-than-days = 30\nfuller-than = 120\n", "between 0 and 100");
    says("place = \"/home\"\nfilter = \"sise>5\"\ndo = \"tell\"\n", "filter is wrong");
    says("place = \"/home\"\nfilter = \" \"\ndo = \"tell\"\n", "find everything");
    says("place = \"/home\"\nfilter = \"\"\ndo = \"tell\"\n", "\"filter\" takes a text");
    says("place = \"/home\"\nfilter = \"change:grew\"\ndo = \"tell\"\n", "knows nothing");
    says("place = \"home\"\nfilter = \"*.iso\"\ndo = \"tell\"\n", "whole path");
    says("place = \"/home\"\nfilter = \"*.iso\"\nolder-than-days = 3\ndo = \"trash\"\n", "\"most\" is missing");
    says("place = \"/home\"\nfilter = \"*.iso\"\ndo = \"shred\"\n", "\"do\" takes");
    says("place = \"/home\"\nfilter = \"*.iso\"\ndo = \"move\"\nmost = \"5G\"\nolder-than-days = 3\n", "needs \"to\"");
    says("place = \"/home\"\nfilter = \"*.iso\"\ndo = \"move\"\nto = \"/home/warden/x\"\nmost = "
         "\"5G\"\nolder-than-days = 3\n",
         "again and again");
    says("place = \"/home\"\ntrash = true\nolder-than-days = 3\ndo = \"trash\"\nmost = \"5G\"\n", "can be deleted");
    says(std::string(100'000, '#'), "");
}

TEST_CASE("a rule that somebody else wrote is not carried out", "[upkeep]")
{
    if (::geteuid() != 0)
        return;
    const TestFolder t;
    REQUIRE(writeUpkeepRule(t / "upkeep", someRule()));
    REQUIRE(::chown((t / "upkeep/old-films.toml").c_str(), 65534, 65534) == 0);
    const auto rules = readUpkeepRules(t / "upkeep");
    CHECK(rules.rules.empty());
    REQUIRE(rules.problems.size() == 1);
    CHECK(rules.problems[0].find("somebody else's") != std::string::npos);
}

TEST_CASE("rules that would move the same to and fro are found, also by way of a third", "[upkeep]")
{
    const auto moves = [](const char* name, const char* place, const char* to) {
        auto rule = someRule();
        rule.name = name;
        rule.action = UpkeepAction::Move;
        rule.place = place;
        rule.to = to;
        rule.on = true;
        return rule;
    };
    const auto away = moves("away", "/home/warden", "/mnt/archive/films");
    const auto back = moves("back", "/mnt/archive", "/home/warden/films");
    CHECK(fightsOf({away}).empty());
    REQUIRE(fightsOf({away, back}).size() == 1);
    CHECK(fightsOf({away, back})[0].find("\"away\" and \"back\"") != std::string::npos);
    auto off = back;
    off.on = false;
    CHECK(fightsOf({away, off}).empty());
    CHECK(fightsOf({away, off}, &off).size() == 1); // before it is switched on
    const auto on = moves("on", "/mnt/archive", "/mnt/third");
    CHECK(fightsOf({away, on}).empty());
    CHECK_FALSE(fightsOf({away, on, moves("home", "/mnt", "/home/warden/back")}).empty());
    auto itself = moves("itself", "/mnt/archive/films", "/mnt/archive");
    CHECK_FALSE(problemOf(itself).empty());
}

TEST_CASE("a rule gets a name that is free", "[upkeep]")
{
    UpkeepRules rules;
    CHECK(freeRuleName("Old films, and *more*!", rules) == "old-films-and-more");
    rules.rules.push_back(someRule());
    CHECK(freeRuleName("Old films", rules) == "old-films-2");
    CHECK(freeRuleName("\xc3\xa4\xc3\xb6", rules) == "rule");
}

TEST_CASE("the units run kurvoctl wherever it is", "[upkeep]")
{
    const auto service = upkeepService("/opt/a \"b\" 100%/$x/kurvoctl");
    CHECK(service.find("ExecStart=\"/opt/a \\\"b\\\" 100%%/$$x/kurvoctl\" upkeep run --by-timer\n") !=
          std::string::npos);
    CHECK(upkeepTimer().find("Persistent=true") != std::string::npos);
    CHECK(upkeepCronLine("/opt/it's 100%/kurvoctl").find("100\\%") != std::string::npos);
    const TestFolder t;
    CHECK_FALSE(upkeepTimerIsOn(t.user()));
}

TEST_CASE("a rule of things that have nothing in common finds what is like them where they lie", "[upkeep][filter]")
{
    const auto tree =
        plant(folder("/home/w", {folder("Videos (old), \"x\"", {file("a.mkv", 5), file("b.MKV", 5), file("c.txt", 5)}),
                                 folder("iso", {file("x.iso", 5), folder("deep", {file("y.iso", 5)})}),
                                 folder("cache", {file("t", 5)})}));
    const auto node = [&](const char* path) { return *tree->find(path); };
    const auto found = [&](const UpkeepRule& rule) {
        const auto filter = Filter::parse(rule.filter);
        INFO(rule.filter);
        REQUIRE(std::holds_alternative<Filter>(filter));
        std::vector<std::string> names;
        auto bound = std::get<Filter>(filter).bind(*tree, {});
        tree->forEachBelow(rootNode, [&](NodeId one) {
            if (!tree->isFolder(one) && bound.matches(one))
                names.emplace_back(tree->name(one));
        });
        std::sort(names.begin(), names.end());
        return names;
    };
    UpkeepRule rule;
    rule.name = rule.title = "some";
    speakOfItems(rule, *tree,
                 {node("/home/w/Videos (old), \"x\"/a.mkv"), node("/home/w/iso/x.iso"), node("/home/w/cache")});
    CHECK(rule.place == "/home/w");
    CHECK(found(rule) == std::vector<std::string>{"a.mkv", "b.MKV", "t", "x.iso", "y.iso"});
    CHECK(problemOf(rule) == "");
    // One folder is all that is large in it; what lies in one folder is looked for there.
    speakOfItems(rule, *tree, {node("/home/w/iso")});
    CHECK(rule.place == "/home/w/iso");
    CHECK(rule.filter == "size>1M");
    speakOfItems(rule, *tree, {node("/home/w/iso/deep/y.iso")});
    CHECK(rule.place == "/home/w/iso/deep");
    CHECK(rule.filter.find("type:iso") != std::string::npos);
    // What has no type, or too many of them, is told by its size.
    speakOfItems(rule, *tree, {node("/home/w/cache/t"), node("/home/w/iso/x.iso")});
    CHECK(rule.place == "/home/w");
    CHECK(rule.filter == "size>1M");

    // Of several drives a rule has one.
    const std::shared_ptr<const FileTree> both =
        joinTrees("both", {{tree}, {plant(folder("/mnt/b", {file("z.iso", 5)}))}});
    speakOfItems(rule, *both, {*both->find("/home/w/iso/x.iso"), *both->find("/mnt/b/z.iso")});
    CHECK(rule.place == "/home/w/iso");
}
