// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <QTimer>

#include "app/dialogs/help_dialog.h"
#include "app/style/words.h"
#include "app/window_fixture.h"
#include "core/snapshot/catalogue.h"
#include "demo/world.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

TEST_CASE("before anything is open, every stage says what to do", "[window]")
{
    Window w;
    CHECK(w.window->stage() == Stage::Scan);
    const auto says = [&](const QString& words) {
        for (const auto* label : w.window->findChildren<QLabel*>())
            if (label->isVisible() && label->text().contains(words))
                return true;
        return false;
    };
    REQUIRE(Window::until([&] { return !w.window->scanStage()->cards().empty(); }));
    CHECK(says("kept here as a snapshot"));
    CHECK_FALSE(w.child<QPushButton>("startScan")->isEnabled());
    w.key(Qt::Key_2, Qt::ControlModifier);
    CHECK(says("Nothing is open yet"));
    w.key(Qt::Key_Delete); // nothing to plan, nothing happens
    w.key(Qt::Key_W);
    w.key(Qt::Key_5, Qt::ControlModifier);
    CHECK(says("Nothing is planned"));
    CHECK_FALSE(w.child<QPushButton>("carryOut")->isEnabled());
    QTest::mouseClick(w.window->findChild<app::Rail*>()->button(Stage::Scan), Qt::LeftButton);
    CHECK(w.window->stage() == Stage::Scan);
}

TEST_CASE("the rail shows one stage, whatever is pressed", "[window]")
{
    Window w;
    auto* rail = w.window->findChild<app::Rail*>();
    const Stage stages[] = {Stage::Scan, Stage::Explore, Stage::Find, Stage::Clear};
    for (const auto stage : stages)
        for (int twice = 0; twice < 2; ++twice) {
            twice == 0 ? QTest::mouseClick(rail->button(stage), Qt::LeftButton) : rail->button(stage)->toggle();
            QTest::keyClick(rail->button(stage), Qt::Key_Space);
            for (const auto other : stages)
                CHECK(rail->button(other)->isChecked() == (other == w.window->stage()));
        }
}

TEST_CASE("drives are ticked and scanned from their cards", "[window][scan-stage][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    Window w;
    TmpfsMount stick(w.t / "media/FIELD");
    writeAll(stick.path() + "/stills.zip", std::string(500000, 'x'));
    w.window->scanStage()->reload();
    const auto card = [&]() -> app::DriveCard* {
        for (auto* c : w.window->scanStage()->cards())
            if (c->facts().path == stick.path())
                return c;
        return nullptr;
    };
    REQUIRE(Window::until([&] { return card() != nullptr; }));
    CHECK(card()->facts().name == "FIELD");
    CHECK(card()->facts().lastScan == "never scanned");
    // Free space looks free, ticked or not.
    const auto freeEnd = [&] { return card()->grab().toImage().pixel(card()->width() - 24, 16 + 56); };
    const auto unticked = freeEnd();
    card()->setChecked(true);
    CHECK(freeEnd() == unticked);
    card()->setChecked(false);
    CHECK(card()->facts().about.contains("tmpfs · memory"));
    QTest::mouseClick(card(), Qt::LeftButton);
    CHECK(card()->isChecked());
    w.click("startScan");
    w.settle();
    REQUIRE(w.place());
    CHECK(w.place()->wholeDrive);
    CHECK(w.place()->info.filesystem == "tmpfs");
    CHECK(w.place()->tree->apparent(rootNode) == 500000);
    CHECK(w.child<QPushButton>("place")->text().startsWith("FIELD"));
    w.key(Qt::Key_1, Qt::ControlModifier);
    REQUIRE(Window::until([&] { return card() && card()->facts().lastScan.startsWith("last scan today"); }));
}

TEST_CASE("a scan that fails leaves everything as it was and says why", "[window]")
{
    Window w;
    w.scan(w.t.folder("first"));
    const auto* before = w.place();
    w.models().scans.scanFolder(w.t / "gone");
    REQUIRE(Window::until([&] { return w.notice().contains("it is not there"); }));
    w.models().scans.scanFolder(w.t.file("plain-file"));
    REQUIRE(Window::until([&] { return w.notice().contains("it is not a folder"); }));
    CHECK(w.place() == before);
    CHECK(w.models().scans.runningScan() == nullptr);
}

TEST_CASE("damaged snapshots are refused with a sentence", "[window]")
{
    Window w;
    QStringList said;
    QObject::connect(&w.models().notices, &app::Notices::message, [&said](const QString& text) { said << text; });
    const auto refused = [&](const std::string& path, const QString& words) {
        const auto before = said.size();
        w.models().snapshots.open(path);
        REQUIRE(Window::until([&] { return said.size() > before; }));
        INFO(said.last().toStdString());
        CHECK(said.last().contains(words));
        CHECK(w.notice().endsWith(said.last()));
        CHECK(w.place() == nullptr);
    };
    refused(w.t.text("bad.kurvo", "not a snapshot at all, but long enough"), "is not a Kurvo snapshot");
    refused(w.t.text("bad.kurvo", std::string("KURVOSNP\x01\x00\x00\x00 and rubbish after that", 36)), "is damaged");
    refused(w.t.text("bad.kurvo", std::string("KURVOSNP\x09\x00\x00\x00 and rubbish after that", 36)), "newer version");
    refused(w.t / "gone.kurvo", "it is not there");
    // One among the kept ones is named, and the others still open.
    REQUIRE(makeFolders(w.folders.snapshots()));
    writeAll(w.folders.snapshots() + "/damaged.kurvo", "x");
    w.window->scanStage()->reload();
    const auto named = [&] {
        for (const auto* label : w.window->findChildren<QLabel*>())
            if (label->isVisible() && label->text().contains("1 file cannot be read"))
                return true;
        return false;
    };
    CHECK(Window::until(named));
}

TEST_CASE("two errors at once are both said", "[window]")
{
    Window w;
    w.models().scans.scanFolder(w.t / "gone");
    w.models().snapshots.open(w.t.text("rubbish.kurvo", "no snapshot, but long enough to look at"));
    CHECK(Window::until(
        [&] { return w.notice().contains("it is not there") && w.notice().contains("is not a Kurvo snapshot"); }));
    w.models().notices.say("Good news.");
    CHECK(w.notice().contains("it is not there")); // nor does good news push them out
}

TEST_CASE("a snapshot that cannot be saved is said, and the scan is still shown", "[window]")
{
    Window w;
    w.t.file("place/file", 5000);
    REQUIRE(makeFolders(w.folders.data));
    writeAll(w.folders.snapshots(), "a file where the folder should be");
    w.scan(w.t / "place");
    REQUIRE(Window::until([&] { return w.notice().contains("was not saved"); }));
    CHECK(w.place()->tree->sums(rootNode).files == 1);
}

TEST_CASE("several places are open at once, each with its own plan", "[window]")
{
    Window w;
    w.t.file("one/a", 5000);
    w.t.file("two/b", 5000);
    w.scan(w.t / "one");
    w.models().plan.planTrash(w.node(w.t / "one/a"));
    w.models().scans.scanFolder(w.t / "two");
    w.settle();
    CHECK(w.models().places.places().size() == 2);
    CHECK(w.place()->plan.empty());
    w.models().places.showPlace(0);
    CHECK(w.place()->plan.items().size() == 1);
    CHECK(w.child<QPushButton>("place")->text().startsWith("one"));
    w.models().places.closePlace(0);
    CHECK(w.models().places.places().size() == 1);
    CHECK(w.child<QPushButton>("place")->text().startsWith("two"));
    w.models().places.closePlace(0);
    CHECK(w.place() == nullptr);
    w.window->grab();
}

TEST_CASE("changes to the plan are undone one by one", "[window][plan]")
{
    Window w;
    for (const auto* name : {"a", "b", "c"})
        w.t.file(std::string("place/") + name, 10000);
    w.scan(w.t / "place");
    w.models().cursor.select(w.node(w.t / "place/a"));
    w.key(Qt::Key_Delete);
    w.models().cursor.select(w.node(w.t / "place/b"));
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.items().size() == 2);
    w.key(Qt::Key_Delete); // the same key takes it off again
    CHECK(w.place()->plan.items().size() == 1);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.place()->plan.items().size() == 2);
    w.models().plan.clearPlan();
    CHECK(w.place()->plan.empty());
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.place()->plan.items().size() == 2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.place()->plan.empty());
    CHECK_FALSE(w.models().plan.canUndoPlanChange());
    // and forth again
    w.key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    w.key(Qt::Key_Y, Qt::ControlModifier);
    CHECK(w.place()->plan.items().size() == 2);
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_Z, Qt::ControlModifier);
}

TEST_CASE("items are taken off the plan in Clear by their mark", "[window][plan]")
{
    Window w;
    w.t.file("place/large", 50000);
    w.t.file("place/small", 10000);
    w.scan(w.t / "place");
    w.models().plan.planTrash(w.node(w.t / "place/large"));
    w.models().plan.planTrash(w.node(w.t / "place/small"));
    w.key(Qt::Key_5, Qt::ControlModifier);
    w.settle();
    auto* list = w.window->clearStage()->list();
    const auto row = list->visualRect(list->model()->index(1, 0)); // below the title of its group
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, QPoint(row.right() - 20, row.center().y()));
    REQUIRE(w.place()->plan.items().size() == 1);
    CHECK(w.place()->plan.items()[0].path == w.t / "place/small");
    CHECK(w.text("planTitle").startsWith("1 item planned"));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, row.center());
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.empty());
}

TEST_CASE("protected things are refused with the reason", "[window][plan]")
{
    Window w;
    w.scan(w.t.path());
    w.models().plan.planTrash(w.node(w.folders.user.home));
    CHECK(w.notice().contains("home folder"));
    CHECK(w.place()->plan.empty());
    w.models().plan.planTrash(rootNode);
    CHECK(w.notice().contains("the place that was scanned"));
}

TEST_CASE("where no trash is possible the plan says why and nothing is moved", "[window][plan][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    Window w;
    TmpfsMount drive(w.t / "drive");
    writeAll(drive.path() + "/file", "x");
    REQUIRE(std::system(("mount -o remount,ro '" + drive.path() + "'").c_str()) == 0);
    w.scan(drive.path());
    w.models().plan.planTrash(w.node(drive.path() + "/file"));
    w.key(Qt::Key_5, Qt::ControlModifier);
    w.settle();
    CHECK(w.text("planChecked").endsWith("1 held back"));
    CHECK(w.place()->findings.of(drive.path() + "/file")->sentence.find("read-only") != std::string::npos);
    w.models().runner.carryOutPlan();
    w.settle();
    CHECK(w.notice().contains("read-only"));
    CHECK(exists(drive.path() + "/file"));
    CHECK(w.place()->plan.items().size() == 1);
}

TEST_CASE("folders that could not be read are counted and marked", "[window]")
{
    if (geteuid() == 0) {
        // Root reads everything; a snapshot stands in for a scan by somebody else.
        Window w;
        auto store = std::make_shared<NodeStore>("/place");
        NodeStore::NameWriter names(*store);
        NewNode locked;
        locked.name = "locked";
        locked.stat.kind = EntryKind::Folder;
        locked.stat.blocks = 8;
        locked.flags = FlagUnreadable;
        store->append(rootNode, {&locked, 1}, names);
        store->seal();
        REQUIRE(writeSnapshot(w.t / "s.kurvo", {}, FileTree(store)));
        w.models().snapshots.open(w.t / "s.kurvo");
        REQUIRE(Window::until([&] { return w.place() != nullptr; }));
        w.models().cursor.select(w.node("/place/locked"));
        CHECK(w.text("dossierNote").contains("could not be read"));
        CHECK(w.pointerLine().contains("could not be read"));
        w.window->grab();
    }
}

TEST_CASE("themes, units and measure are remembered", "[window][settings]")
{
    Window w;
    w.t.file("place/file", 1 << 20);
    w.scan(w.t / "place");
    const auto action = [&](const QString& text) {
        for (auto* a : w.window->actions())
            if (a->text() == text)
                return a;
        return static_cast<QAction*>(nullptr);
    };
    const auto light = app::theme().window;
    action("Dark")->trigger();
    CHECK(app::theme().dark);
    CHECK(app::theme().window != light);
    w.window->grab();
    action("Sizes in kB, MB, GB (1000)")->trigger();
    w.models().cursor.select(w.node(w.t / "place/file"));
    CHECK(w.text("dossierSize") == "1.05 MB");
    w.models().view.setMeasure(Measure::Apparent);
    w.window->close();
    w.open();
    CHECK(app::theme().dark);
    CHECK(app::sizeUnits() == SizeUnits::Decimal);
    CHECK(w.models().places.measure() == Measure::Apparent);
    w.window->themeControl().choose(app::ThemeChoice::Light);
    app::setSizeUnits(SizeUnits::Binary);
}

TEST_CASE("the plan of a place is kept from start to start, and what changed meanwhile comes off", "[window][plan]")
{
    Window w;
    w.t.file("place/file", 10000);
    w.t.file("place/other", 20000);
    w.scan(w.t / "place");
    w.models().plan.planTrash(w.node(w.t / "place/file"));
    w.models().plan.planItem(w.node(w.t / "place/other"), {Action::Delete, {}, false});
    CHECK(w.window->close());
    CHECK(w.models().keeper.isRecalled(w.place()->id)); // also when it closes before the plan of last time was found
    const bool changed = GENERATE(false, true);
    if (changed)
        writeAll(w.t / "place/file", "written to");
    w.open();
    w.scan(w.t / "place");
    REQUIRE(Window::until([&] { return !w.place()->plan.empty(); }));
    CHECK(w.place()->plan.items().size() == (changed ? 1 : 2));
    CHECK(w.place()->plan.itemOf(w.node(w.t / "place/other"))->action == Action::Delete);
    CHECK(w.notice().contains(changed ? "changed and came off it" : "as you left it"));
    w.models().plan.clearPlan();
    CHECK(w.window->close());
    w.open();
    w.scan(w.t / "place");
    QTest::qWait(200);
    CHECK(w.place()->plan.empty());
    CHECK(exists(w.t / "place/file"));
}

TEST_CASE("a second scan of a place replaces it, and its plan goes on with what is unchanged", "[window]")
{
    Window w;
    w.t.file("place/same", 10000);
    w.t.file("place/folder/inside", 10000);
    const auto changed = w.t.file("place/changed", 10000);
    w.scan(w.t / "place");
    for (const auto* name : {"same", "folder", "changed"})
        w.models().plan.planTrash(w.node(w.t / ("place/" + std::string(name))));
    w.t.file("place/new", 20000);
    writeAll(changed, "shorter now");
    w.models().scans.scanFolder(w.t / "place");
    w.settle();
    CHECK(w.models().places.places().size() == 1);
    CHECK(w.node(w.t / "place/new") != noNode);
    CHECK(w.place()->plan.items().size() == 2);
    CHECK_FALSE(w.place()->plan.has(w.node(changed)));
    CHECK(w.notice().contains("1 planned item changed"));
    // the plan refers to the new tree
    CHECK(w.place()->plan.has(w.node(w.t / "place/same")));
    w.models().runner.carryOutPlan();
    REQUIRE(Window::until([&] { return !exists(w.t / "place/same") && !exists(w.t / "place/folder"); }));
    w.settle();
    CHECK(readAll(changed) == "shorter now");
    // Into the user's own trash, and what is protected is so as before.
    CHECK(exists(w.folders.user.data + "/Trash/files/same"));
    CHECK(exists(w.folders.user.data + "/Trash/files/folder/inside"));
    for (const auto& step : w.models().logbook.history().front().steps)
        CHECK(step.trashed.folder.path == w.folders.user.data + "/Trash");
    CHECK(w.place()->guard.user.home == w.folders.user.home);
}

TEST_CASE("opening a snapshot twice shows the one that is open", "[window]")
{
    Window w;
    w.t.file("place/file", 10000);
    REQUIRE(writeSnapshot(w.t / "s.kurvo", {}, *scan(w.t / "place")->tree));
    w.models().snapshots.open(w.t / "s.kurvo");
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    w.models().plan.planTrash(w.node(w.t / "place/file"));
    w.scan(w.t / "place");
    CHECK(w.models().places.places().size() == 2);
    w.models().snapshots.open(w.t / "s.kurvo");
    REQUIRE(Window::until([&] { return w.place()->fromSnapshot; }));
    CHECK(w.models().places.places().size() == 2);
    CHECK(w.place()->plan.items().size() == 1);
}

TEST_CASE("the window holds at its smallest and at large sizes, in both themes", "[window]")
{
    Window w;
    const auto drive = demo::systemDrive(0);
    REQUIRE(writeSnapshot(w.t / "s.kurvo", drive.info, *drive.tree));
    w.models().snapshots.open(w.t / "s.kurvo");
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    for (const auto size : {QSize(1024, 640), QSize(1280, 800), QSize(2560, 1440)}) {
        w.window->resize(size);
        for (const auto choice : {app::ThemeChoice::Dark, app::ThemeChoice::Light}) {
            w.window->themeControl().choose(choice);
            for (const auto stage : {Stage::Scan, Stage::Explore, Stage::Find, Stage::Compare, Stage::Clear}) {
                w.window->setStage(stage);
                const auto picture = w.window->grab().toImage();
                CHECK(picture.size() == size);
            }
        }
    }
    w.window->setStage(Stage::Explore);
    CHECK(w.window->exploreStage()->picture()->picture()->size() > 100);
    w.models().plan.planTrash(w.node("/home/guest/Downloads"));
    CHECK(w.window->findChild<app::Rail*>()->button(Stage::Clear)->accessibleDescription().contains("1"));
}

TEST_CASE("all actions stand in the menu with their keys", "[window]")
{
    Window w;
    QStringList keys;
    const auto walk = [&keys](const QMenu* menu, const auto& self) -> void {
        for (const auto* action : menu->actions()) {
            if (action->menu())
                self(action->menu(), self);
            for (const auto& key : action->shortcuts())
                keys << key.toString();
        }
    };
    for (const auto* menu : w.window->findChildren<QMenu*>(Qt::FindDirectChildrenOnly))
        walk(menu, walk);
    for (const auto* key : {"Ctrl+O", "Ctrl+Shift+O", "Backspace", "Alt+Left", "Alt+Right", "W", "H", "L", "Del",
                            "Ctrl+Z", "Ctrl+1", "Ctrl+2", "Ctrl+3", "Ctrl+5", "Ctrl+F", "F1"})
        CHECK(keys.contains(key));
    CHECK(keys.size() == QSet<QString>(keys.begin(), keys.end()).size()); // no key means two things
    w.key(Qt::Key_F1, Qt::ControlModifier);
    auto* box = w.window->findChild<app::HelpDialog*>();
    REQUIRE(box);
    CHECK(box->text().contains("Follow the weight"));
    box->close();
    REQUIRE(w.closed("helpDialog"));
    w.activate();
    w.key(Qt::Key_F1);
    auto* guide = w.dialog<app::HelpDialog>("helpDialog");
    CHECK(guide->text().contains("The drive is full"));
    const auto picture =
        guide->findChild<QTextBrowser*>()->loadResource(QTextDocument::ImageResource, QUrl("screenshots/find.png"));
    CHECK_FALSE(picture.value<QImage>().isNull());
    CHECK(picture.value<QImage>().width() <= guide->width());
    guide->close();
}

TEST_CASE("sample data and other machines' snapshots are never acted on", "[window][plan]")
{
    Window w;
    const auto real = w.t.text("place/file", "x");
    const auto scanned = scan(w.t / "place");
    for (const bool sample : {true, false}) {
        SnapshotInfo info;
        info.sample = sample;
        info.host = sample ? hostName() : "skerry-desk";
        REQUIRE(writeSnapshot(w.t / "s.kurvo", info, *scanned->tree));
        w.models().snapshots.open(w.t / "s.kurvo");
        REQUIRE(Window::until([&] { return w.place() && w.place()->info.sample == sample; }));
        w.models().plan.planTrash(w.node(real));
        w.key(Qt::Key_5, Qt::ControlModifier);
        REQUIRE(Window::until([&] { return w.text("planChecked").endsWith("1 held back"); }));
        CHECK_FALSE(w.child<QPushButton>("carryOut")->isEnabled());
        w.models().runner.carryOutPlan();
        CHECK(w.notice().contains(sample ? "sample data" : "skerry-desk"));
        CHECK(readAll(real) == "x");
        w.models().places.closePlace(0);
    }
}

TEST_CASE("undo still works after the place was scanned again", "[window][plan]")
{
    Window w;
    const auto path = w.t.file("place/file", 1 << 20);
    w.t.file("place/other", 1 << 20);
    w.scan(w.t.path()); // the trash lies in it, under home/
    w.models().plan.planTrash(w.node(path));
    w.models().runner.carryOutPlan();
    REQUIRE(Window::until([&] { return w.place()->bytesInTrash() > 0; }));
    w.settle();
    const auto sum = [&](app::GaugeBar::Fill fill) {
        std::uint64_t bytes = 0;
        for (const auto& s : app::gaugeSegments(*w.place()))
            bytes += s.fill == fill ? s.bytes : 0;
        return bytes;
    };
    CHECK(sum(app::GaugeBar::Fill::Trash) == 1 << 20);
    REQUIRE(Window::until([&] { return w.models().scans.scans().empty(); }));
    w.models().scans.scanFolder(w.t.path());
    w.settle();
    REQUIRE(w.place()->runs.size() == 1);
    CHECK(sum(app::GaugeBar::Fill::Trash) == 1 << 20); // seen in the trash now, and not counted twice
    CHECK(sum(app::GaugeBar::Fill::Seen) + (1 << 20) == w.place()->tree->disk(rootNode));
    w.models().runner.takeBack(w.models().logbook.history().front().run.id);
    REQUIRE(Window::until([&] { return exists(path); }));
    w.settle();
    CHECK(w.notice() == "1 item back in place.");
    CHECK(Window::until([&] { return w.node(path) != noNode; })); // the folder was read again by itself
    CHECK(w.node(w.t / "place/other") != noNode);
}

TEST_CASE("no text of a stage is measured anew when one of another stage changes", "[window]")
{
    Window w;
    auto* stages = w.window->scanStage()->parentWidget();
    // What a layout above them would ask, for each label that is set anywhere.
    CHECK_FALSE(stages->hasHeightForWidth());
    CHECK(stages->minimumSizeHint() == QSize(0, 0));
}
