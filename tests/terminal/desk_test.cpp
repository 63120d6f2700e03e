// SPDX-License-Identifier: GPL-3.0-or-later
// What one works at in the terminal view, without a screen.
#include <catch2/catch.hpp>

#include <poll.h>

#include <algorithm>
#include <filesystem>

#include "core/base/text.h"
#include "support/test_tree.h"
#include "terminal/desk.h"

using namespace kurvo;
using namespace kurvo::test;
using namespace kurvo::terminal;

namespace {

struct Bench {
    TestFolder t;
    std::string place;
    Work work;
    std::unique_ptr<Desk> desk;
    std::vector<std::string> said;
    int renumberings = 0;

    Bench()
    {
        place = t / "place";
        t.file("place/films/long.mkv", 900'000);
        t.file("place/films/short.mkv", 300'000);
        t.file("place/papers/a.pdf", 90'000);
        DeskWish wish;
        wish.user = t.user();
        wish.data = t / "home/data/kurvo";
        wish.snapshots = wish.data + "/snapshots";
        desk = std::make_unique<Desk>(wish, work);
        desk->changed = [] {};
        desk->opened = [] {};
        desk->say = [this](const std::string& sentence) { said.push_back(sentence); };
        desk->renumbered = [this](const std::function<NodeId(NodeId)>&) { ++renumberings; };
    }
    ~Bench() { work.end(20'000); }

    bool until(const std::function<bool()>& holds)
    {
        for (int i = 0; i < 3000 && !holds(); ++i) {
            pollfd wait{work.descriptor(), POLLIN, 0};
            (void)::poll(&wait, 1, 10);
            work.settle();
            desk->look();
        }
        return holds();
    }
    /// Until nothing is under way.
    void settle()
    {
        REQUIRE(until([this] { return !work.isBusy() && !desk->isScanning() && !desk->isActing(); }));
    }
    void open()
    {
        desk->open(place);
        REQUIRE(until([this] { return desk->hasPlace() && !desk->isScanning(); }));
        settle();
    }
    NodeId node(const std::string& below) { return desk->tree().find(place + "/" + below).value_or(noNode); }
    bool wasSaid(const std::string& part) const
    {
        return std::any_of(said.begin(), said.end(),
                           [&](const std::string& one) { return one.find(part) != std::string::npos; });
    }
};

} // namespace

TEST_CASE("a place is opened, kept, and grows beside the snapshot before", "[desk]")
{
    Bench b;
    b.open();
    CHECK(b.desk->tree().sums(rootNode).files == 3);
    CHECK(b.wasSaid("in 3 files and 2 folders"));
    CHECK(namesIn(b.desk->wish().snapshots).size() == 1);
    CHECK(b.desk->place().leads);
    CHECK(b.desk->place().marks);
    b.desk->open(b.t / "nowhere");
    b.settle();
    CHECK(b.wasSaid("nowhere"));
    CHECK(b.desk->tree().sums(rootNode).files == 3); // what was open stays
}

TEST_CASE("the trail goes back and forward, and survives a rescan by its paths", "[desk]")
{
    Bench b;
    b.open();
    const auto films = b.node("films"), papers = b.node("papers");
    b.desk->setFocus(films);
    b.desk->setFocus(papers);
    b.desk->goBack();
    CHECK(b.desk->place().focus == films);
    b.desk->goForward();
    CHECK(b.desk->place().focus == papers);
    b.desk->goBack();
    b.desk->expand(films, true);
    b.t.file("place/aaa/first.bin", 10'000); // ids move
    b.desk->rescan(rootNode);
    b.settle();
    CHECK(b.renumberings > 0);
    CHECK(b.desk->tree().path(b.desk->place().focus) == b.place + "/films");
    REQUIRE(b.desk->place().opened.size() == 1);
    CHECK(b.desk->tree().path(*b.desk->place().opened.begin()) == b.place + "/films");
    // A focus that is gone falls back to what held it.
    std::filesystem::remove_all(b.place + "/films");
    b.desk->rescan(rootNode);
    b.settle();
    CHECK(b.desk->place().focus == rootNode);
}

TEST_CASE("a place that is read again stays as it is until the scan has ended", "[desk]")
{
    Bench b;
    for (int i = 0; i < 3000; ++i)
        b.t.file("place/many/f" + std::to_string(i), 0);
    b.open();
    const auto before = b.desk->place().tree;
    for (const auto folder : {rootNode, b.node("many")}) {
        b.desk->rescan(folder);
        while (b.desk->isScanning()) { // looks are taken all the while
            REQUIRE_FALSE(b.desk->place().growing);
            REQUIRE(b.desk->tree().sums(rootNode).files == 3003);
            b.desk->look();
            b.work.settle();
        }
        b.settle();
        CHECK(b.desk->tree().sums(rootNode).files == 3003);
        CHECK(b.desk->tree().path(rootNode) == b.place);
    }
    CHECK(b.desk->place().tree != before);
}

TEST_CASE("changes of the plan are undone, redone, and kept for the next start", "[desk]")
{
    Bench b;
    b.open();
    b.desk->planItems({b.node("films/short.mkv")}, {});
    b.desk->planItems({b.node("papers")}, {Action::Delete, {}, false});
    CHECK(b.desk->place().plan.items().size() == 2);
    b.desk->undoPlan();
    CHECK(b.desk->place().plan.items().size() == 1);
    b.desk->redoPlan();
    CHECK(b.desk->place().plan.countForGood() == 1);
    b.desk->undoPlan();
    b.desk->undoPlan();
    b.desk->undoPlan();
    CHECK(b.wasSaid("no change to the plan to undo"));
    b.desk->redoPlan();
    b.settle();
    CHECK(b.desk->freedByPlan() > 0);
    b.desk->planItems({rootNode}, {});
    CHECK(b.desk->place().plan.items().size() == 1); // the root of a place is protected, and why was said
    // Old states have ids of an old tree: they go with it.
    b.desk->clearPlan();
    b.t.file("place/aaa/first.bin", 10'000);
    b.desk->rescan(rootNode);
    b.settle();
    b.desk->undoPlan();
    CHECK(b.desk->place().plan.empty());
    b.desk->planItems({b.node("films/short.mkv")}, {});
    b.settle();
    b.open();
    CHECK(b.wasSaid("1 item was planned earlier"));
    CHECK(b.desk->place().plan.items().size() == 1);
}

TEST_CASE("a plan is checked, carried out and undone, and the tree follows", "[desk][act]")
{
    Bench b;
    b.open();
    b.desk->planItems({b.node("films/short.mkv"), b.node("papers")}, {});
    b.settle();
    b.desk->check();
    b.settle();
    CHECK(b.desk->isChecked());
    b.t.file("place/papers/more.pdf", 5'000); // changed since
    b.desk->carryOut();
    b.settle();
    CHECK_FALSE(exists(b.place + "/films/short.mkv"));
    CHECK(exists(b.place + "/papers/a.pdf"));
    CHECK(b.node("films/short.mkv") == noNode);
    REQUIRE(b.desk->place().plan.items().size() == 1); // held back, and says why
    CHECK(b.desk->place().findings.at(b.place + "/papers").blocked);
    REQUIRE(b.desk->runs().size() == 1);
    b.desk->undo(b.desk->runs()[0].run.id);
    b.settle();
    CHECK(exists(b.place + "/films/short.mkv"));
    CHECK(b.node("films/short.mkv") != noNode);
    CHECK(b.node("papers/more.pdf") == noNode); // only what was touched was read again
    b.desk->rescan(b.node("papers"));
    b.settle();
    CHECK(b.node("papers/more.pdf") != noNode);
}

TEST_CASE("marks and notes go to paths", "[desk]")
{
    Bench b;
    b.open();
    b.desk->mark({b.node("films")}, "keep");
    b.settle();
    REQUIRE(b.desk->place().marks->own(b.node("films")));
    CHECK(b.desk->place().marks->own(b.node("films"))->kind == "keep");
    b.desk->note({b.place + "/films", b.place + "/papers"}, "whose?");
    b.settle();
    CHECK(b.desk->place().marks->own(b.node("films"))->note == "whose?");
    CHECK(b.desk->place().marks->own(b.node("papers"))->kind == "ask");
    b.desk->mark({b.node("films")}, {});
    b.settle();
    CHECK_FALSE(b.desk->place().marks->own(b.node("films")));
}

TEST_CASE("a snapshot is looked at, compared, and not acted on where its files are elsewhere", "[desk]")
{
    Bench b;
    b.open();
    const auto kept = readCatalogue(b.desk->wish().snapshots).entries.front().path;
    auto snapshot = readSnapshot(kept);
    REQUIRE(snapshot);
    auto info = snapshot->info;
    info.host = "elsewhere";
    REQUIRE(writeSnapshot(b.t / "far.kurvo", info, *snapshot->tree));
    b.t.file("place/films/new.mkv", 700'000);
    b.open();
    b.desk->compareWith(kept);
    b.settle();
    REQUIRE(b.desk->comparison());
    CHECK(b.desk->comparison()->net(rootNode, Measure::Disk) > 0);
    b.desk->open(b.t / "far.kurvo");
    b.settle();
    CHECK(b.desk->place().fromSnapshot);
    CHECK_FALSE(b.desk->comparison());
    CHECK(b.desk->place().foreignReason().find("elsewhere") != std::string::npos);
    b.desk->planItems({b.node("films/short.mkv")}, {});
    b.desk->carryOut();
    b.settle();
    CHECK(exists(b.place + "/films/short.mkv"));
    CHECK(b.wasSaid("its files are not on this machine"));
    b.desk->rescan(rootNode);
    CHECK(b.wasSaid("cannot be scanned again"));
}
