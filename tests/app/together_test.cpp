// SPDX-License-Identifier: GPL-3.0-or-later
// Several places looked at as one: the demo's drives, real mounts of several kinds, one plan over all.
#include <catch2/catch.hpp>

#include <sys/mount.h>

#include <filesystem>

#include <QComboBox>
#include <QContextMenuEvent>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QMenu>
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
    w.window->setStage(Stage::Find);
    // The demo is made first, which takes a while where all is checked.
    REQUIRE(QTest::qWaitFor([&] { return w.window->scanStage()->cards().size() >= 3; }, 120000));
    // Who has gone on meanwhile is not called back to the tour.
    CHECK(w.window->stage() == Stage::Find);
    CHECK_FALSE(w.child<QLabel>("tourWords")->isVisible());
    w.window->setStage(Stage::Scan);
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
    w.clickTile("/media/warden/skerry-archive", true);
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
    CHECK(w.node(onMemory) == noNode);
    // Read again in each place, and so in all of them: the drives' trash folders are on the drives.
    std::uint64_t files = 0;
    REQUIRE(Window::until([&] {
        files = 0;
        for (const auto& open : w.models().places.places())
            files += open->isTogether() ? 0 : open->tree->sums(rootNode).files;
        return w.place()->tree->sums(rootNode).files == files;
    }));
    CHECK(files == 3 + 4);
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

namespace {

app::DriveCard* setCard(Window& w, const QString& name)
{
    for (auto* card : w.window->scanStage()->cards())
        if (card->facts().set && card->facts().name == name)
            return card;
    return nullptr;
}

/// Kept by its key, under a name that is typed.
void keepSet(Window& w, const QString& name)
{
    w.activate();
    w.key(Qt::Key_K, Qt::ControlModifier | Qt::AltModifier);
    auto* ask = w.dialog<QInputDialog>("keepSet");
    auto* line = ask->findChild<QLineEdit*>();
    line->selectAll();
    QTest::keyClicks(line, name);
    QTest::keyClick(line, Qt::Key_Return);
    REQUIRE(w.closed("keepSet"));
    REQUIRE(Window::until([&] { return w.place()->setName == name.toStdString(); }));
    w.settle();
}

} // namespace

TEST_CASE("places are kept as a set, scanned again by its card, and have a history together",
          "[window][together][sets]")
{
    Window w;
    w.t.file("desk/a.mkv", 900000);
    w.t.file("archive/old.mkv", 500000);
    lookTogether(w, {w.t / "desk", w.t / "archive"});
    CHECK(w.models().together.addable().empty());
    keepSet(w, "Desk and archive");
    CHECK(w.place()->tree->label(rootNode) == "Desk and archive");
    CHECK(w.place()->parts.size() == 2);
    CHECK(w.place()->info.placeName == "Desk and archive");

    // Some time later, in a new window: one double-click scans both.
    QTest::qWait(1100); // times of scans are seconds
    w.t.file("desk/b.mkv", 700000);
    w.open();
    REQUIRE(Window::until([&] { return setCard(w, "Desk and archive") != nullptr; }));
    CHECK(setCard(w, "Desk and archive")->facts().about == "set of desk, archive");
    QTest::mouseDClick(setCard(w, "Desk and archive"), Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.place() && w.place()->isTogether(); }));
    w.settle();
    CHECK(w.models().places.places().size() == 3);
    CHECK(w.place()->tree->sums(rootNode).files == 3);
    CHECK(w.place()->setName == "Desk and archive");

    // What changed since they were looked at before, and how each has grown.
    w.window->setStage(Stage::Compare);
    const auto& comparing = w.window->compareStage()->comparing();
    REQUIRE(Window::until([&] { return comparing.comparison() != nullptr; }));
    REQUIRE(comparing.points().size() == 2);
    CHECK(comparing.points().back().isOpen);
    CHECK(comparing.comparison()->net(rootNode, Measure::Files) == 1);
    REQUIRE(comparing.curves().size() == 2);
    CHECK(comparing.curves()[0].name == "desk");
    CHECK(comparing.curves()[1].sizes.size() == 2);
    CHECK(comparing.curves()[1].sizes[0]);
    // A folder in one of them has a curve beside these.
    w.t.file("desk/in/c.mkv", 300000);
    w.models().places.bringUp(*w.models().places.liveAt(w.t / "desk"));
    w.models().scans.rescan(rootNode);
    w.settle();
    const auto isTogether = [](const auto& place) { return place->isTogether(); };
    const auto& places = w.models().places.places();
    w.models().places.bringUp(**std::find_if(places.begin(), places.end(), isTogether));
    w.settle();
    // What was read again in one of them is there in all of them.
    REQUIRE(w.node(w.t / "desk/in/c.mkv") != noNode);
    REQUIRE(Window::until([&] { return comparing.comparison() && comparing.points().size() == 2; }));
    w.window->compareStage()->comparing().toggleCurve(w.t / "desk/in");
    REQUIRE(Window::until([&] { return comparing.curves().size() == 3 && comparing.curves()[2].sizes.size() == 2; }));
    CHECK(comparing.curves()[2].sizes[0] == std::optional<std::uint64_t>(0)); // it was not there
    CHECK(comparing.curves()[2].sizes[1].value_or(0) >= 300000);
    // Growth is a colour of all of them.
    w.window->setStage(Stage::Explore);
    w.models().view.setColour(ColourBy::Growth);
    REQUIRE(Window::until([&] { return w.place()->earlier != nullptr; }));
    CHECK(w.place()->earlier->earlier(w.node(w.t / "desk/a.mkv")) != noNode);
    CHECK(w.place()->earlier->earlier(w.node(w.t / "desk/b.mkv")) == noNode);

    // Asked for again, it is brought up; F5 reads a folder again in the place itself.
    w.window->setStage(Stage::Scan);
    REQUIRE(Window::until([&] { return setCard(w, "Desk and archive") != nullptr; }));
    QTest::mouseDClick(setCard(w, "Desk and archive"), Qt::LeftButton);
    w.settle();
    REQUIRE(Window::until([&] { return w.place()->isTogether(); }));
    w.settle();
    CHECK(w.models().places.places().size() == 3);
    w.t.file("archive/new.mkv", 1000);
    w.window->setStage(Stage::Explore);
    w.models().cursor.setFocus(w.node(w.t / "archive"));
    w.activate();
    w.key(Qt::Key_F5);
    REQUIRE(Window::until([&] { return w.node(w.t / "archive/new.mkv") != noNode; }));
    std::filesystem::remove(w.t / "archive/new.mkv");
    w.key(Qt::Key_F5);
    REQUIRE(Window::until([&] { return w.node(w.t / "archive/new.mkv") == noNode; }));
}

TEST_CASE("a set is renamed and removed by its menu, and says what of it is not here", "[window][together][sets]")
{
    Window w;
    for (const char* file : {"one/a", "two/b", "three/c"})
        w.t.file(file, 5000);
    lookTogether(w, {w.t / "one", w.t / "two", w.t / "three"});
    keepSet(w, "All");
    w.window->setStage(Stage::Scan);
    REQUIRE(Window::until([&] { return setCard(w, "All") != nullptr; }));
    const auto menu = [&](const QString& name, const QString& entry) {
        auto* card = setCard(w, name);
        const auto at = card->rect().center();
        QContextMenuEvent event(QContextMenuEvent::Keyboard, at, card->mapToGlobal(at));
        QApplication::sendEvent(card, &event);
        QMenu* shown = nullptr;
        REQUIRE(Window::until([&] { return (shown = w.window->findChild<QMenu*>("setMenu")) != nullptr; }));
        for (auto* action : shown->actions())
            if (action->text().remove('&') == entry) {
                shown->setActiveAction(action);
                QTest::keyClick(shown, Qt::Key_Return);
                return;
            }
        FAIL("no such entry");
    };
    menu("All", "Rename the set…");
    auto* ask = w.dialog<QInputDialog>("renameSet");
    ask->setTextValue("Three of them");
    ask->accept();
    REQUIRE(Window::until([&] { return setCard(w, "Three of them") != nullptr; }));

    // One is gone from the machine, another as well, with its snapshot.
    std::filesystem::remove_all(w.t / "two");
    std::filesystem::remove_all(w.t / "three");
    for (const auto& entry : readCatalogue(w.folders.snapshots()).entries)
        if (entry.info.place == w.t / "three")
            REQUIRE(removeSnapshot(entry.path));
    w.open();
    REQUIRE(Window::until([&] { return setCard(w, "Three of them") != nullptr; }));
    CHECK(setCard(w, "Three of them")->facts().lastScan.contains("not all of it"));
    auto* card = setCard(w, "Three of them");
    card->setFocus();
    QTest::keyClick(card, Qt::Key_Return);
    REQUIRE(Window::until([&] { return w.place() && w.place()->isTogether(); }));
    CHECK(w.notice().contains("no snapshot of it: three"));
    REQUIRE(w.place()->parts.size() == 2);
    CHECK(w.place()->parts[0].live);
    CHECK_FALSE(w.place()->parts[1].live); // its snapshot
    w.window->setStage(Stage::Scan);
    REQUIRE(Window::until([&] { return setCard(w, "Three of them") != nullptr; }));
    menu("Three of them", "Remove the set");
    REQUIRE(Window::until([&] { return setCard(w, "Three of them") == nullptr; }));
    CHECK(readSets(w.folders.snapshots())->empty());
    CHECK(readCatalogue(w.folders.snapshots()).entries.size() >= 2); // snapshots stay
}

TEST_CASE("a place comes to those one looks at, and what is planned there stays", "[window][together]")
{
    Window w;
    const auto film = w.t.file("one/films/a.mkv", 900000);
    w.t.file("two/b", 5000);
    w.t.file("three/c", 5000);
    lookTogether(w, {w.t / "one", w.t / "two"});
    const auto id = w.place()->id;
    w.models().cursor.setFocus(w.node(w.t / "one/films"));
    w.models().cursor.select(w.node(film));
    w.models().plan.planItem(w.node(film), {});
    w.scan(w.t / "three");
    w.models().places.bringUp(*w.models().places.placeOf(id));
    REQUIRE(w.models().together.addable().size() == 1);
    w.models().together.add(w.models().together.addable().front());
    w.settle();
    CHECK(w.place()->parts.size() == 3);
    CHECK(w.place()->tree->sums(rootNode).files == 3);
    CHECK(w.focused() == w.t / "one/films");
    CHECK(w.selected() == film);
    REQUIRE(w.place()->plan.items().size() == 1);
    CHECK(w.place()->plan.items()[0].node == w.node(film));
    // Carried out here, it is gone in the place itself as well, and what is written there comes in here.
    w.models().runner.carryOutPlan();
    w.settle();
    CHECK_FALSE(exists(film));
    REQUIRE(Window::until([&] { return w.models().places.liveAt(w.t / "one")->tree->sums(rootNode).files == 0; }));
    CHECK(w.node(film) == noNode);
    CHECK(w.place()->parts.size() == 3);
}

TEST_CASE("what cannot be scanned does not keep the others from being looked at together", "[window][together]")
{
    Window w;
    w.t.file("one/a", 5000);
    w.t.file("two/b", 5000);
    w.models().together.joinOnceOpen({w.t / "one", w.t / "gone", w.t / "two"});
    for (const char* name : {"one", "gone", "two"})
        w.models().scans.scanFolder(w.t / name);
    REQUIRE(Window::until([&] { return w.place() && w.place()->isTogether(); }));
    CHECK(w.place()->parts.size() == 2);
}
