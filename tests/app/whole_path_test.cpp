// SPDX-License-Identifier: GPL-3.0-or-later
// From a full place to freed space and back, by mouse and key, on the real files of the practice folder.
#include <catch2/catch.hpp>

#include <fcntl.h>

#include <QClipboard>
#include <QRadioButton>

#include "app/dialogs/empty_trash_dialog.h"
#include "app/window_fixture.h"
#include "core/snapshot/catalogue.h"
#include "demo/demo_data.h"
#include "demo/practice.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

/// A window in demo mode with the practice folder made, but without the snapshots, which these tests do not need.
struct PracticeWindow : Window {
    std::string practice;
    PracticeWindow() : Window(true)
    {
        practice = demo::demoFolders(folders.data).practice;
        REQUIRE(makeFolders(folders.data));
        REQUIRE(demo::makePracticeFolder(practice));
    }
};

} // namespace

TEST_CASE("the whole path: scan, follow the weight, plan the largest hidden file, carry out, undo", "[window]")
{
    PracticeWindow w;
    w.click("scanHome");
    w.settle();
    REQUIRE(w.place());
    CHECK(w.window->stage() == Stage::Explore);
    CHECK(w.focused() == w.practice);
    const auto before = w.place()->tree->disk(rootNode);
    CHECK(before > 250ull << 20);

    // Follow the weight, back, and on to the largest hidden file.
    QTest::mouseClick(w.window->exploreStage()->descent()->chain(), Qt::LeftButton); // somewhere in the chain
    w.models().cursor.setFocus(w.node(w.practice + "/warden/.cache"));
    w.key(Qt::Key_W);
    CHECK(w.focused() == w.practice + "/warden/.cache/tide-maps");
    CHECK(w.text("passed").contains(">tide-maps</a>"));
    w.key(Qt::Key_Left, Qt::AltModifier);
    CHECK(w.focused() == w.practice + "/warden/.cache");
    w.key(Qt::Key_Backspace);
    CHECK(w.focused() == w.practice + "/warden");
    CHECK(w.selected() == w.practice + "/warden/.cache");
    w.key(Qt::Key_H);
    const auto hidden = w.practice + "/warden/.cache/tide-maps/sheets.mbtiles";
    REQUIRE(Window::until([&] { return w.selected() == hidden; }));
    CHECK(w.text("dossierName") == "sheets.mbtiles");
    CHECK(w.text("dossierSize") == "84.0 MiB");
    CHECK(w.pointerLine().contains("hidden, in .cache"));

    w.key(Qt::Key_Delete);
    REQUIRE(w.place()->plan.items().size() == 1);
    CHECK(w.child<QPushButton>("planTrash")->text().startsWith("Take off the plan"));
    CHECK(w.text("free").contains("→"));
    CHECK(exists(hidden)); // planned, not touched

    w.key(Qt::Key_5, Qt::ControlModifier);
    CHECK(w.window->stage() == Stage::Clear);
    w.settle();
    CHECK(w.text("planTitle") == "1 item planned, 84.0 MiB");
    CHECK(w.text("planChecked").endsWith("1 ready"));
    w.click("carryOut");
    REQUIRE(Window::until([&] { return w.place()->plan.empty(); }));
    w.settle();

    // The gauge tells the truth: in the trash, not free yet.
    CHECK_FALSE(exists(hidden));
    CHECK(w.text("freeNote").contains("84.0 MiB in the trash, not free yet"));
    CHECK(w.child<QPushButton>("emptyTrash")->isVisible());
    const auto& after = *w.place()->tree;
    CHECK(after.disk(rootNode) == before - (84ull << 20));
    CHECK_FALSE(after.find(hidden));
    CHECK(exists(w.folders.user.data + "/Trash/files/sheets.mbtiles"));
    const auto segments = app::gaugeSegments(*w.place());
    const auto& capacity = w.place()->capacity;
    std::uint64_t sum = 0, trash = 0;
    for (const auto& s : segments) {
        sum += s.bytes;
        trash += s.fill == app::GaugeBar::Fill::Trash ? s.bytes : 0;
    }
    CHECK(trash == 84ull << 20);
    CHECK(sum == std::max(capacity.used, after.disk(rootNode) + trash) + capacity.reserved + capacity.free);

    // The result says why nothing came free yet, and has the way back, everywhere.
    CHECK(w.text("proof").contains("84.0 MiB of it is in the trash"));
    w.click("undoRun");
    REQUIRE(Window::until([&] { return exists(hidden); }));
    w.settle();
    CHECK(w.place()->tree->disk(rootNode) == before);
    CHECK(w.place()->tree->find(hidden));
    CHECK_FALSE(w.child<QPushButton>("emptyTrash")->isVisible());
    CHECK(w.notice() == "1 item back in place.");
    CHECK(namesIn(w.folders.user.data + "/Trash/info").empty());
}

TEST_CASE("emptying the trash goes by the plan, takes only what was chosen, and must be held to happen", "[window]")
{
    PracticeWindow w;
    // Something that was in the trash before.
    const auto other = w.t.text("home/other", "from before");
    EntryStat s;
    REQUIRE(statEntry(AT_FDCWD, other.c_str(), s, StatSync::Fresh) == 0);
    REQUIRE(moveToTrash(other, s, w.folders.user));

    w.scan(w.practice);
    w.models().plan.planTrash(w.node(w.practice + "/var/log/recorder.log"));
    w.window->setStage(Stage::Clear);
    w.settle();
    w.click("carryOut");
    REQUIRE(Window::until([&] { return w.place()->bytesInTrash() > 0; }));
    w.settle();
    const auto inTrash = [&] { return namesIn(w.folders.user.data + "/Trash/files").size(); };
    w.click("emptyTrash");
    auto* dialog = w.dialog<QDialog>("emptyTrashDialog");
    CHECK(dialog->findChild<QRadioButton*>("onlyOurs")->isChecked());
    CHECK(dialog->findChild<QRadioButton*>("everything")->text().contains("2 items"));
    QTest::keyClick(dialog, Qt::Key_Return); // the default keeps everything
    REQUIRE(w.closed("emptyTrashDialog"));
    CHECK(w.place()->plan.empty());

    const auto name = GENERATE(std::string("onlyOurs"), std::string("everything"));
    w.click("emptyTrash");
    dialog = w.dialog<QDialog>("emptyTrashDialog");
    dialog->findChild<QRadioButton*>(QString::fromStdString(name))->setChecked(true);
    QTest::mouseClick(dialog->findChild<QPushButton*>("remove"), Qt::LeftButton);
    const bool planned = Window::until([&] { return w.place()->plan.items().size() == 1; });
    INFO(w.notice().toStdString());
    REQUIRE(planned);
    w.settle();
    CHECK(inTrash() == 2); // planned, not done
    CHECK_FALSE(w.text("freeNote").contains("in the trash"));

    // A click and keys by habit do nothing; the tick for the count and a press do.
    w.click("carryOut");
    auto* confirm = w.dialog<QDialog>("confirmDialog");
    auto* hold = confirm->findChild<QPushButton*>("confirm");
    CHECK(hold->text().startsWith("Hold to delete 1 item"));
    QTest::mouseClick(hold, Qt::LeftButton);
    QTest::keyClick(hold, Qt::Key_Return);
    QTest::keyClick(hold, Qt::Key_Space);
    QTest::qWait(50);
    CHECK(confirm->isVisible());
    CHECK(inTrash() == 2);
    auto* tick = confirm->findChild<QCheckBox*>("confirmCount");
    CHECK(tick->text().contains("1 item"));
    QTest::keyClick(tick, Qt::Key_Space);
    QTest::keyClick(hold, Qt::Key_Return);
    REQUIRE(Window::until([&] { return w.place()->bytesInTrash() == 0; }));
    w.settle();
    CHECK(namesIn(w.folders.user.data + "/Trash/files") ==
          (name == "onlyOurs" ? std::vector<std::string>{"other"} : std::vector<std::string>{}));
    CHECK(namesIn(w.folders.user.data + "/Trash/info").size() == inTrash());
    CHECK(w.place()->plan.empty());
    REQUIRE(w.models().logbook.history().size() == 2);
    CHECK(w.models().logbook.history()[1].count(StepState::Emptied) == 1);
    CHECK_FALSE(w.models().logbook.history()[1].canBeUndone());
}

TEST_CASE("an item that changed since the scan is held back and said so", "[window]")
{
    PracticeWindow w;
    w.scan(w.practice);
    const auto log = w.practice + "/var/log/recorder.log", other = w.practice + "/var/log/recorder.log.1";
    w.models().plan.planTrash(w.node(log));
    w.models().plan.planTrash(w.node(other));
    writeAll(log, "a new line");
    w.key(Qt::Key_5, Qt::ControlModifier);
    w.settle();
    CHECK(w.text("planChecked").endsWith("1 ready · 1 held back"));
    w.click("carryOut");
    REQUIRE(Window::until([&] { return !exists(other); }));
    w.settle();
    CHECK(readAll(log) == "a new line");
    REQUIRE(w.place()->plan.items().size() == 1);
    CHECK(w.place()->findings.of(log)->sentence.find("another size") != std::string::npos);
    CHECK(w.notice().contains("1 item held back"));
    CHECK_FALSE(w.child<QPushButton>("carryOut")->isEnabled());
}

TEST_CASE("a finished scan is kept and opens again", "[window]")
{
    PracticeWindow w;
    w.scan(w.practice);
    const auto disk = w.place()->tree->disk(rootNode);
    REQUIRE(Window::until([&] { return !w.place()->snapshotFile.empty(); }));
    const auto catalogue = readCatalogue(w.folders.snapshots());
    REQUIRE(catalogue.entries.size() == 1);
    CHECK(catalogue.entries[0].info.diskBytes == disk);
    CHECK(w.place()->info.seconds > 0);

    w.open(); // a new start
    CHECK(w.place() == nullptr);
    QPushButton* earlier = nullptr;
    REQUIRE(Window::until([&] { return (earlier = w.window->findChild<QPushButton*>("earlier")) != nullptr; }));
    CHECK(earlier->text().startsWith("practice"));
    QTest::mouseClick(earlier, Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    CHECK(w.window->stage() == Stage::Explore);
    CHECK(w.place()->fromSnapshot);
    CHECK(w.place()->tree->disk(rootNode) == disk);
    CHECK(w.text("dossierNote").contains("Scan again before you act"));
}

TEST_CASE("stopping a scan keeps what was found, labelled partial", "[window]")
{
    Window w;
    for (int i = 0; i < 300; ++i)
        for (int k = 0; k < 20; ++k)
            w.t.file("place/d" + std::to_string(i) + "/f" + std::to_string(k));
    w.models().scans.scanFolder(w.t / "place");
    w.models().scans.stopScan(w.models().scans.runningScan());
    w.settle();
    REQUIRE(w.place());
    CHECK(w.place()->info.partial);
    CHECK(w.notice().contains("stopped"));
    REQUIRE(Window::until([&] { return !readCatalogue(w.folders.snapshots()).entries.empty(); }));
    CHECK(readCatalogue(w.folders.snapshots()).entries[0].info.partial);
}
