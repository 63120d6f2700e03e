// SPDX-License-Identifier: GPL-3.0-or-later
// Several places looked at as one: the demo's drives, real mounts of several kinds, one plan over all.
#include <catch2/catch.hpp>

#include <sys/mount.h>

#include <QComboBox>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QTreeWidget>

#include "app/dialogs/rule_dialog.h"
#include "app/window_fixture.h"
#include "support/mounts.h"

using namespace kurvo;
using namespace kurvo::test;
using app::PictureKind;
using app::Stage;

namespace {

/// Scans all of them and looks at them together, by its key.
void lookTogether(Window& w, const std::vector<std::string>& places)
{
    for (const auto& place : places)
        w.scan(place);
    w.activate();
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::AltModifier);
    REQUIRE(Window::until([&] { return w.place()->isTogether(); }));
    w.settle();
}

} // namespace

TEST_CASE("the demo's drives are ticked and looked at together, and a lead of theirs becomes a rule",
          "[window][together][upkeep][demo]")
{
    Window w(true);
    w.window->prepareDemo();
    // The demo is made first, which takes a while where all is checked.
    REQUIRE(QTest::qWaitFor([&] { return w.window->scanStage()->cards().size() >= 3; }, 120000));
    const auto card = [&](const QString& name) {
        for (auto* one : w.window->scanStage()->cards())
            if (one->facts().name == name)
                return one;
        return static_cast<app::DriveCard*>(nullptr);
    };
    for (const char* name : {"Skerry system", "skerry-archive"}) {
        REQUIRE(card(name));
        QTest::mouseClick(card(name), Qt::LeftButton);
    }
    w.click("startTogether");
    REQUIRE(QTest::qWaitFor([&] { return w.place() && w.place()->isTogether(); }, 60000));
    w.settle();
    const auto& together = *w.place();
    REQUIRE(w.models().places.places().size() == 3);
    std::uint64_t disk = 0, files = 0, free = 0;
    for (const auto& open : w.models().places.places())
        if (!open->isTogether()) {
            disk += open->tree->disk(rootNode);
            files += open->tree->sums(rootNode).files;
            free += open->capacity.free;
            // Each drive keeps its sums.
            CHECK(together.tree->disk(*together.tree->find(open->info.place)) == open->tree->disk(rootNode));
        }
    CHECK(together.tree->disk(rootNode) == disk);
    CHECK(together.tree->sums(rootNode).files == files);
    CHECK(together.capacity.free == free);
    // Every view has all of it.
    w.window->setStage(Stage::Explore);
    for (const auto kind : {PictureKind::Treemap, PictureKind::Sunburst, PictureKind::Types, PictureKind::Roles}) {
        w.models().view.setPicture(kind);
        w.settle();
        CHECK(w.place()->view.picture == kind);
    }
    w.models().view.setPicture(PictureKind::Treemap);
    REQUIRE(Window::until([&] { return w.models().leads.leads() && !w.models().leads.isWorking(); }));
    CHECK(w.models().leads.leads()->leads.front().title == "A map viewer's cache");
    w.clickTile(w.node("/media/warden/skerry-archive"), true);
    REQUIRE(Window::until([&] { return w.focused() == "/media/warden/skerry-archive"; }));
    w.key(Qt::Key_Backspace);
    CHECK(w.place()->focus == rootNode);
    // The root stands for both, and is nothing that could be planned.
    w.models().cursor.select(w.node("/media/warden/skerry-archive"));
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.empty());
    w.window->setStage(Stage::Find);
    w.window->findStage()->showFiles();
    w.window->findStage()->filter()->setText("under:/media/warden/skerry-archive");
    REQUIRE(Window::until([&] { return w.window->findStage()->isSettled(); }));
    CHECK(w.window->findStage()->model()->files().size() ==
          together.tree->sums(*together.tree->find("/media/warden/skerry-archive")).files);

    // What stands out on one of them, as a rule: seen first, then switched on.
    w.models().places.bringUp(**std::find_if(w.models().places.places().begin(), w.models().places.places().end(),
                                             [](const auto& open) { return open->info.place == "/"; }));
    w.window->setStage(Stage::Explore);
    REQUIRE(QTest::qWaitFor([&] { return w.models().leads.leads() && !w.models().leads.isWorking(); }, 60000));
    w.models().cursor.select(noNode);
    auto* leads = w.window->exploreStage()->leads();
    leads->list()->setCurrentIndex(leads->list()->model()->index(0, 0));
    REQUIRE(Window::until([&] { return leads->current() != nullptr; }));
    w.key(Qt::Key_R, Qt::ControlModifier | Qt::AltModifier);
    auto* dialog = w.dialog<app::RuleDialog>("ruleDialog");
    CHECK(dialog->findChild<QLabel*>("ruleWhat")->text().contains("map-tiles"));
    QTest::mouseClick(dialog->findChild<QPushButton*>("seeRule"), Qt::LeftButton);
    REQUIRE(QTest::qWaitFor([&] { return dialog->items()->rowCount() > 100; }, 60000));
    CHECK(dialog->findChild<QLabel*>("ruleSays")->text().contains("It would ask first")); // it is much
    QTest::mouseClick(dialog->findChild<QPushButton*>("switchRuleOn"), Qt::LeftButton);
    REQUIRE(w.closed("ruleDialog"));
    const auto rules = readUpkeepRules(w.folders.upkeep());
    REQUIRE(rules.rules.size() == 1);
    CHECK(rules.rules[0].on);
}

TEST_CASE("one plan over real drives of several kinds is carried out and undone", "[window][together][mount]")
{
    if (!canMount())
        return;
    Window w;
    const TmpfsMount memory(w.t / "memory", "size=64m");
    const LoopMount disk(w.t / "disk", "mkfs.ext4 -q", 64);
    const LoopMount other(w.t / "other", "mkfs.btrfs -q", 128);
    w.t.file("first/films/long.mkv", 900000);
    const auto onMemory = w.t.file("memory/copy/long.mkv", 900000), onDisk = w.t.file("disk/old/big.iso", 3000000);
    w.t.file("disk/keep/a.odt", 1000);
    w.t.file("other/b.odt", 2000);
    lookTogether(w, {w.t / "first", memory.path(), disk.path(), other.path()});
    REQUIRE(w.place()->parts.size() == 4);
    CHECK(w.place()->tree->sums(rootNode).files == 5);
    w.window->setStage(Stage::Explore);
    for (const auto& path : {onMemory, onDisk}) {
        w.models().cursor.reveal(w.node(path));
        w.key(Qt::Key_Delete, Qt::ShiftModifier);
    }
    CHECK(w.place()->plan.items().size() == 2);
    // Each drive has its own "after".
    const auto tip = w.child<QLabel>("free")->toolTip();
    CHECK(tip.count(QStringLiteral("→")) == 2);
    w.models().plan.clearPlan();
    for (const auto& path : {onMemory, onDisk}) {
        w.models().cursor.reveal(w.node(path));
        w.key(Qt::Key_Delete);
    }
    w.models().runner.carryOutPlan();
    w.settle();
    CHECK_FALSE(exists(onMemory));
    CHECK_FALSE(exists(onDisk));
    CHECK(w.place()->isTogether());
    CHECK(w.place()->tree->sums(rootNode).files == 3);
    w.models().runner.takeBack(w.models().logbook.history().front().run.id);
    w.settle();
    CHECK(exists(onMemory));
    CHECK(exists(onDisk));
    REQUIRE(Window::until([&] { return w.place()->tree->sums(rootNode).files == 5; }));

    SECTION("what the emptiest drive has already goes from the others")
    {
        w.window->setStage(Stage::Find);
        w.window->findStage()->showPage(w.window->findStage()->duplicates());
        w.child<QComboBox>("duplicateSmallest")->setCurrentIndex(0);
        w.click("duplicateSearch");
        auto* groups = w.child<QTreeWidget>("duplicateGroups");
        REQUIRE(Window::until([&] { return groups->topLevelItemCount() == 1; }));
        auto* menu = w.child<QPushButton>("planDuplicates")->menu();
        emit menu->aboutToShow();
        const auto actions = menu->actions();
        const auto keep = std::find_if(actions.begin(), actions.end(),
                                       [](const QAction* action) { return action->text().contains("most room"); });
        REQUIRE(keep != actions.end());
        CHECK((*keep)->isVisible());
        (*keep)->trigger();
        REQUIRE(Window::until([&] { return w.place()->plan.items().size() == 1 || !w.notice().isEmpty(); }));
    }
    SECTION("a drive is taken out of what is looked at")
    {
        w.models().cursor.setFocus(w.node(disk.path()));
        w.models().cursor.select(noNode);
        w.models().together.takeOutCurrent();
        w.settle();
        CHECK(w.place()->parts.size() == 3);
        CHECK(w.node(disk.path()) == noNode);
        CHECK(w.place()->tree->sums(rootNode).files == 3);
        w.models().cursor.setFocus(w.node(other.path()));
        w.models().together.takeOutCurrent();
        w.settle();
        w.models().cursor.setFocus(w.node(memory.path()));
        w.models().together.takeOutCurrent(); // two are the fewest
        CHECK(w.place()->parts.size() == 2);
    }
    SECTION("a drive that is gone holds up only what is on it")
    {
        w.window->setStage(Stage::Explore);
        for (const auto& path : {onMemory, w.t / "first/films/long.mkv"}) {
            w.models().cursor.reveal(w.node(path));
            w.key(Qt::Key_Delete);
        }
        REQUIRE(::umount2(memory.path().c_str(), MNT_DETACH) == 0);
        w.models().runner.carryOutPlan();
        w.settle();
        CHECK_FALSE(exists(w.t / "first/films/long.mkv"));
        CHECK(w.place()->plan.items().size() == 1); // it stays planned, and the window says why
        CHECK(w.notice().contains("1"));
    }
}

TEST_CASE("places of which one holds another are not counted twice, and one is not enough", "[window][together]")
{
    Window w;
    w.t.file("place/a/film.mkv", 900000);
    w.scan(w.t / "place");
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::AltModifier);
    CHECK_FALSE(w.place()->isTogether());
    w.scan(w.t / "place/a");
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::AltModifier);
    REQUIRE(Window::until([&] { return w.notice().contains("holds the others"); }));
    CHECK_FALSE(w.place()->isTogether());
}
