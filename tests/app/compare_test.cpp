// SPDX-License-Identifier: GPL-3.0-or-later
// Compare, driven in the real window: handles by mouse and key, descent by change, a folder that moved, the filter, the
// history in the dossier, the keeping policy, snapshots of elsewhere, one scan only.
#include <catch2/catch.hpp>

#include <QListWidget>
#include <QSpinBox>
#include <QTableWidget>

#include <filesystem>

#include "app/dialogs/snapshots_dialog.h"
#include "app/panels/history_panel.h"
#include "app/services/snapshot_timer.h"
#include "app/style/empty_page.h"
#include "app/style/words.h"
#include "core/base/figures.h"
#include "core/snapshot/catalogue.h"
#include "window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

/// Three earlier snapshots of the place in the window's own catalogue, a month apart, and the place as it is now.
struct CompareWindow : Window {
    std::string p = t / "place";

    CompareWindow() { std::filesystem::create_directories(p); }

    std::string snapshots() { return models().folders.snapshots(); }
    /// Scans the place as it is and keeps it as if so many days had passed since.
    void keep(int daysAgo)
    {
        auto result = kurvo::scan(p);
        REQUIRE(result);
        auto info = describeScan(*result);
        info.taken = currentTime() - daysAgo * day;
        REQUIRE(addSnapshot(snapshots(), info, *result->tree));
    }
    void grow()
    {
        t.file("place/cache/tiles/a", 1 << 20);
        t.file("place/Desktop/Season 2024/rec/one.wav", 2 << 20);
        t.file("place/Desktop/Season 2024/rec/two.wav", 2 << 20);
        t.file("place/old.iso", 3 << 20);
        keep(90);
        t.file("place/cache/tiles/b", 2 << 20);
        keep(60);
        t.file("place/cache/tiles/c", 2 << 20);
        keep(30);
        t.folder("place/archive");
        std::filesystem::rename(p + "/Desktop/Season 2024", p + "/archive/Season 2024");
        std::filesystem::remove(p + "/old.iso");
        t.file("place/cache/tiles/d", 4 << 20);
    }
    app::CompareStage* stage() { return window->compareStage(); }
    app::Comparing& comparing() { return stage()->comparing(); }
    void toCompare()
    {
        key(Qt::Key_4, Qt::ControlModifier);
        REQUIRE(window->stage() == Stage::Compare);
        REQUIRE(until([this] { return comparing().comparison() != nullptr; }));
        settle();
    }
    void compared()
    {
        REQUIRE(until([this] { return !comparing().isBusy() && comparing().comparison(); }));
        settle();
    }
    QString empty() { return stage()->findChild<app::EmptyPage*>()->title(); }
    /// Chooses an entry of the picture's menu.
    void pick(const char* entry) { stage()->findChild<QAction*>(QString::fromLatin1(entry))->trigger(); }
    QString text(const char* name) { return stage()->findChild<QLabel*>(QString::fromLatin1(name))->text(); }
    /// "cache +4.00 MiB" for each row of the list.
    QStringList rows()
    {
        QStringList all;
        for (int i = 0; i < stage()->model()->rowCount(); ++i) {
            const auto& row = stage()->model()->row(i);
            all << row.name + QStringLiteral(" ") + row.figures +
                       (row.tag.isEmpty() ? QString() : QStringLiteral(" ") + row.tag);
        }
        return all;
    }
    bool hasRow(const QString& start)
    {
        const auto all = rows();
        INFO(all.join(QStringLiteral("; ")).toStdString());
        const bool found =
            std::any_of(all.begin(), all.end(), [&](const QString& row) { return row.startsWith(start); });
        CHECK(found);
        return found;
    }
    int rowNamed(const QString& name)
    {
        for (int i = 0; i < stage()->model()->rowCount(); ++i)
            if (stage()->model()->row(i).name == name)
                return i;
        return -1;
    }
    void clickRow(const QString& name, bool twice = false)
    {
        const int row = rowNamed(name);
        REQUIRE(row >= 0);
        auto* list = stage()->list();
        const auto at = list->visualRect(stage()->model()->index(row)).center();
        QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, at);
        if (twice)
            QTest::mouseDClick(list->viewport(), Qt::LeftButton, {}, at);
        settle();
    }
};

} // namespace

TEST_CASE_METHOD(CompareWindow, "compare: what changed since the scan before, by folder, as a list, and moved folders",
                 "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    CHECK(comparing().points().size() == 4);
    CHECK(text("compareNet").startsWith("+1.0")); // four came, three went, and a folder's own blocks
    CHECK(text("compareApart").contains("grown 4.0"));
    CHECK(text("compareApart").contains("shrunk 3.0"));
    CHECK(text("compareApart").contains("moved 4.0"));
    CHECK(text("explanation").contains(app::inOneLine("old.iso")));
    hasRow("cache +4.00 MiB");
    hasRow(QStringLiteral("old.iso ") + QChar(0x2212) + "3.00 MiB vanished");

    // Down by mouse, up by key.
    clickRow("cache", true);
    CHECK(text("changeChain").endsWith("/place/cache"));
    hasRow("tiles +4.00 MiB");
    QTest::keyClick(stage()->list(), Qt::Key_Return);
    stage()->list()->setCurrentIndex(stage()->model()->index(0));
    QTest::keyClick(stage()->list(), Qt::Key_Return);
    settle();
    hasRow("d +4.00 MiB appeared");
    QTest::keyClick(stage()->list(), Qt::Key_Backspace);
    QTest::keyClick(stage()->list(), Qt::Key_Backspace);
    settle();
    CHECK(text("changeChain").endsWith("/place"));

    // The folder that moved is one line, and no loss.
    clickRow("archive", true);
    hasRow("Season 2024 +4.0");
    CHECK(stage()->model()->row(0).tag == "moved from " + QString::fromStdString(p) + "/Desktop");
    QTest::keyClick(stage()->list(), Qt::Key_Backspace);
    QTest::mouseClick(stage()->findChild<QPushButton*>("byList"), Qt::LeftButton);
    settle();
    const auto all = rows();
    CHECK(std::count_if(all.begin(), all.end(), [](const QString& row) { return row.contains("moved from"); }) == 1);

    // What it was selected is what the dossier and the plan speak of.
    clickRow("cache/tiles/d");
    CHECK(place()->selection == node(p + "/cache/tiles/d"));
    key(Qt::Key_Delete);
    CHECK(place()->plan.has(node(p + "/cache/tiles/d")));
    // What is gone cannot be planned, whatever is selected elsewhere.
    const auto planned = place()->plan.items().size();
    clickRow("old.iso");
    key(Qt::Key_Delete);
    CHECK(place()->plan.items().size() == planned);
}

TEST_CASE_METHOD(CompareWindow, "compare: the handles by mouse and by key", "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    auto* curve = stage()->curve();
    CHECK(comparing().from() == 2);
    CHECK(comparing().to() == 3);
    QTest::mousePress(curve, Qt::LeftButton, {}, curve->pointAt(2));
    QTest::mouseMove(curve, curve->pointAt(1));
    QTest::mouseMove(curve, curve->pointAt(0));
    QTest::mouseRelease(curve, Qt::LeftButton, {}, curve->pointAt(0));
    compared();
    CHECK(comparing().from() == 0);
    hasRow("cache +8.00 MiB");
    // Drawn past the other they change places.
    QTest::mousePress(curve, Qt::LeftButton, {}, curve->pointAt(3));
    QTest::mouseRelease(curve, Qt::LeftButton, {}, curve->pointAt(1));
    compared();
    CHECK(comparing().from() == 0);
    CHECK(comparing().to() == 1);
    hasRow("cache +2.00 MiB");
    curve->setFocus();
    QTest::keyClick(curve, Qt::Key_End); // the handle that was moved last
    compared();
    CHECK(comparing().to() == 3);
    QTest::keyClick(curve, Qt::Key_Up);
    QTest::keyClick(curve, Qt::Key_Right);
    compared();
    CHECK(comparing().from() == 1);
    hasRow("cache +6.00 MiB");
}

TEST_CASE_METHOD(CompareWindow, "compare: the picture is clicked and gone into, by amount and by size",
                 "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    auto* picture = stage()->picture();
    const auto tiles = comparing().comparison()->atNow(node(p + "/cache/tiles/d"));
    REQUIRE(tiles != noNode);
    REQUIRE_FALSE(picture->pointOf(tiles).isNull());
    QTest::mouseClick(picture, Qt::LeftButton, {}, picture->pointOf(tiles));
    CHECK(comparing().selection() == tiles);
    CHECK(place()->selection == node(p + "/cache/tiles/d"));
    QTest::mouseDClick(picture, Qt::LeftButton, {}, picture->pointOf(tiles));
    settle();
    CHECK(text("changeChain").endsWith("/cache/tiles"));
    QTest::keyClick(picture, Qt::Key_Backspace);
    QTest::keyClick(picture, Qt::Key_Backspace);
    settle();
    CHECK(text("changeChain").endsWith("/place"));
    pick("sizeNow");
    settle();
    CHECK_FALSE(picture->pointOf(tiles).isNull());
    const auto gone = comparing().comparison()->atBefore(*comparing().comparison()->before().find(p + "/old.iso"));
    REQUIRE(gone != noNode);
    CHECK(picture->pointOf(gone).isNull()); // it is not there now
}

TEST_CASE_METHOD(CompareWindow, "compare: the sunburst of what changed, and its centre leads up", "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    auto* picture = stage()->picture();
    pick("changeSunburst");
    settle();
    CHECK(picture->accessibleName().contains("Sunburst"));
    const auto cache = comparing().comparison()->atNow(node(p + "/cache"));
    REQUIRE_FALSE(picture->pointOf(cache).isNull());
    QTest::mouseMove(picture, picture->pointOf(cache));
    CHECK(text("changePointed").endsWith("/place/cache   +4.00 MiB"));
    QTest::mouseClick(picture, Qt::LeftButton, {}, picture->pointOf(cache));
    CHECK(place()->selection == node(p + "/cache"));
    QTest::mouseDClick(picture, Qt::LeftButton, {}, picture->pointOf(cache));
    settle();
    CHECK(text("changeChain").endsWith("/place/cache"));
    QTest::mouseClick(picture, Qt::LeftButton, {}, picture->rect().center());
    settle();
    CHECK(text("changeChain").endsWith("/place"));
    pick("sizeNow");
    settle();
    CHECK_FALSE(picture->pointOf(cache).isNull());
    open(); // the choice is remembered
    CHECK(child<QPushButton>("changePictureMenu")->text().startsWith("Sunburst by size"));
}

TEST_CASE_METHOD(CompareWindow, "what a scan left out is not said to be gone", "[app][compare]")
{
    grow();
    ScanOptions options;
    options.exclude = {"*.wav"};
    models().scans.scanFolder(p, {}, options);
    settle();
    toCompare();
    CHECK(text("compareApart").contains("4.00 MiB only in one of the two scans"));
    CHECK(text("compareApart").contains("shrunk 3.0")); // old.iso, and no recording
    hasRow("archive");
}

TEST_CASE_METHOD(CompareWindow, "that old snapshots are let go is told once, and named ones stay", "[app][compare]")
{
    Keeping keeping;
    keeping.usual = {1, 0, 0};
    grow();
    auto kept = readCatalogue(snapshots()).entries;
    REQUIRE(kept.size() == 3);
    REQUIRE(writeAbout(kept[2].path, {"before the season", "", false}));
    REQUIRE(writeKeeping(snapshots(), keeping));
    scan(p);
    REQUIRE(until([this] { return notice().contains("2 earlier snapshots of this place removed"); }));
    kept = readCatalogue(snapshots()).entries;
    REQUIRE(kept.size() == 2);
    CHECK(kept[1].about.name == "before the season");
    auto* bar = window->findChild<app::NoticeBar*>();
    bar->hide();
    t.file("place/more", 5000);
    QTest::qWait(1100); // snapshots are told apart by seconds
    scan(p);
    REQUIRE(until([this] { return readCatalogue(snapshots()).entries.front().path == place()->snapshotFile; }));
    settle();
    CHECK(readCatalogue(snapshots()).entries.size() == 2); // one more was let go
    CHECK_FALSE(bar->isVisible());
}

TEST_CASE_METHOD(CompareWindow, "compare: the filter works on changes, and says what is wrong", "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    auto* filter = stage()->filter();
    filter->setFocus();
    QTest::keyClicks(filter, "change:appeared delta>1M");
    REQUIRE(until([this] { return stage()->model()->rowCount() == 1 && rowNamed("cache/tiles/d") == 0; }));
    hasRow("cache/tiles/d +4.00 MiB appeared");
    filter->clear();
    QTest::keyClicks(filter, "delta<-1M");
    REQUIRE(until([this] { return stage()->model()->rowCount() == 1 && rowNamed("old.iso") == 0; }));
    hasRow("old.iso");
    filter->clear();
    QTest::keyClicks(filter, "change:nothing");
    REQUIRE(until([this] {
        const auto labels = stage()->findChildren<QLabel*>();
        return std::any_of(labels.begin(), labels.end(), [](const QLabel* label) {
            return label->isVisible() && label->text().contains("appeared, vanished, grew");
        });
    }));
}

TEST_CASE_METHOD(CompareWindow, "a place is closed while it is compared: nothing of it comes afterwards",
                 "[app][compare]")
{
    grow();
    t.file("other/a", 4096);
    scan(p);
    toCompare();
    comparing().choose(0, 1);
    REQUIRE(comparing().isBusy());
    models().places.closePlace(0);
    QTest::qWait(300);
    CHECK(comparing().comparison() == nullptr);
    CHECK_FALSE(comparing().isBusy());
    scan(t / "other");
    CHECK(stage()->model()->rowCount() == 0);
}

TEST_CASE_METHOD(CompareWindow, "another place comes while a handle of the curve is held", "[app][compare]")
{
    grow();
    t.file("other/a", 4096);
    scan(t / "other");
    scan(p);
    toCompare();
    auto* curve = stage()->curve();
    const auto last = comparing().points().size() - 1;
    QTest::mousePress(curve, Qt::LeftButton, {}, curve->pointAt(last));
    QTest::mouseMove(curve, curve->pointAt(last - 1));
    models().places.showPlace(0);
    REQUIRE(until([&] { return comparing().points().size() < last; }));
    curve->grab();
    QTest::mouseRelease(curve, Qt::LeftButton, {}, QPoint(5, 5));
    models().places.showPlace(1);
    compared();
    CHECK(comparing().points().size() == last + 1);
}

TEST_CASE_METHOD(CompareWindow, "the history of what is selected stands in the dossier of every stage",
                 "[app][compare]")
{
    grow();
    scan(p);
    window->setStage(Stage::Explore);
    models().cursor.reveal(node(p + "/cache/tiles"));
    auto* panel = window->exploreStage()->dossier()->history();
    REQUIRE(until([&] { return panel->points().size() == 4; }));
    CHECK(panel->isVisible());
    CHECK(panel->points().front().bytes < panel->points().back().bytes);
    CHECK(panel->accessibleName().contains("a month"));
    // What was not there before has no curve.
    models().cursor.reveal(node(p + "/archive"));
    REQUIRE(until([&] { return !panel->isVisible(); }));
}

TEST_CASE_METHOD(CompareWindow, "snapshots: named, pinned, verified, removed, and how many are kept", "[app][compare]")
{
    grow();
    scan(p);
    toCompare();
    stage()->findChild<QAction*>("snapshots")->trigger();
    auto* asked = dialog<QDialog>("snapshotsDialog");
    auto* table = asked->findChild<QTableWidget*>("snapshotList");
    REQUIRE(until([&] { return table->rowCount() == 4; }));
    table->selectRow(2);
    QTest::mouseClick(asked->findChild<QPushButton*>("pinSnapshot"), Qt::LeftButton);
    REQUIRE(until([&] { return table->item(2, 0) && table->item(2, 0)->text().contains("pinned"); }));
    auto* state = asked->findChild<QLabel*>("snapshotState");
    QTest::mouseClick(asked->findChild<QPushButton*>("verifySnapshot"), Qt::LeftButton);
    REQUIRE(until([&] { return state->text().contains("nothing is damaged"); }));
    // A second press removes, the first only asks.
    table->selectRow(1);
    auto* remove = asked->findChild<QPushButton*>("removeSnapshot");
    QTest::mouseClick(remove, Qt::LeftButton);
    settle();
    CHECK(table->rowCount() == 4);
    CHECK(state->text().contains("Press Remove again"));
    QTest::mouseClick(remove, Qt::LeftButton);
    REQUIRE(until([&] { return table->rowCount() == 3; }));
    // One that others were packed against may go: they can still be read.
    table->selectRow(2);
    QTest::mouseClick(remove, Qt::LeftButton);
    QTest::mouseClick(remove, Qt::LeftButton);
    REQUIRE(until([&] { return table->rowCount() == 2; }));
    for (const auto& entry : readCatalogue(snapshots()).entries)
        CHECK(readSnapshot(entry.path));
    asked->findChild<QSpinBox*>("keepLast")->setValue(5);
    REQUIRE(until([&] { return readKeeping(snapshots())->of(p).last == 5; }));
    QTest::mouseClick(asked->findChild<QPushButton*>("closeSnapshots"), Qt::LeftButton);
    REQUIRE(until([&] { return comparing().points().size() == 2; }));
}

TEST_CASE_METHOD(CompareWindow, "a weekly snapshot is switched on and off with systemd, and says why not",
                 "[app][compare]")
{
    CHECK(app::snapshotTimerOf("/") == "kurvo-snapshot@-.timer");
    CHECK(app::snapshotTimerOf("/home/war-den/.x") == "kurvo-snapshot@home-war\\x2dden-.x.timer");
    // A systemd that knows one unit at most.
    const auto fake = t.text("bin/systemctl", "#!/bin/sh\ncase $2 in\nis-enabled) test -e '" + (t / "on") +
                                                  "';;\nenable) echo \"$4\" >'" + (t / "on") +
                                                  "';;\ndisable) echo 'Access denied' >&2; exit 1;;\nesac\n");
    std::filesystem::permissions(fake, std::filesystem::perms::owner_all);
    const auto path = qgetenv("PATH");
    qputenv("PATH", QByteArray::fromStdString(t / "bin") + ":" + path);
    grow();
    scan(p);
    toCompare();
    stage()->findChild<QAction*>("snapshots")->trigger();
    auto* asked = dialog<QDialog>("snapshotsDialog");
    auto* weekly = asked->findChild<QCheckBox*>("weeklySnapshot");
    REQUIRE(until([&] { return weekly->isEnabled(); }));
    CHECK_FALSE(weekly->isChecked());
    QTest::mouseClick(weekly, Qt::LeftButton, {}, QPoint(8, weekly->height() / 2));
    REQUIRE(until([&] { return exists(t / "on") && weekly->isEnabled(); }));
    CHECK(weekly->isChecked());
    CHECK(readAll(t / "on") == app::snapshotTimerOf(p).toStdString() + "\n");
    QTest::mouseClick(weekly, Qt::LeftButton, {}, QPoint(8, weekly->height() / 2));
    auto* state = asked->findChild<QLabel*>("snapshotState");
    REQUIRE(until([&] { return state->text() == "Access denied"; }));
    CHECK(weekly->isChecked());
    QTest::mouseClick(asked->findChild<QPushButton*>("closeSnapshots"), Qt::LeftButton);
    REQUIRE(closed("snapshotsDialog"));
    // One that is asked for longer than anybody looks: its answer finds nobody.
    t.text("bin/systemctl", "#!/bin/sh\ntouch '" + (t / "asked") + "'\nsleep 2\n");
    stage()->findChild<QAction*>("snapshots")->trigger();
    REQUIRE(until([&] { return exists(t / "asked"); }));
    QTest::mouseClick(dialog<QDialog>("snapshotsDialog")->findChild<QPushButton*>("closeSnapshots"), Qt::LeftButton);
    REQUIRE(closed("snapshotsDialog"));
    qputenv("PATH", path);
}

TEST_CASE_METHOD(CompareWindow, "a snapshot from elsewhere is compared by the paths below, a damaged one says so",
                 "[app][compare]")
{
    grow();
    const auto other = t.folder("other");
    t.file("other/cache/tiles/a", 1 << 20);
    const auto result = kurvo::scan(other);
    REQUIRE(writeSnapshot(t / "other.kurvo", describeScan(*result), *result->tree));
    scan(p);
    toCompare();
    comparing().compareWith(t / "other.kurvo");
    compared();
    CHECK(text("compareNet").contains("against"));
    hasRow("cache +8.0");
    t.text("broken.kurvo", "KURVOSNP and no more than that, really");
    comparing().compareWith(t / "broken.kurvo");
    REQUIRE(until([this] { return !comparing().problem().isEmpty(); }));
    // And back to the place's own.
    stage()->curve()->setFocus();
    QTest::keyClick(stage()->curve(), Qt::Key_Home);
    compared();
    CHECK_FALSE(text("compareNet").contains("against"));
}

TEST_CASE_METHOD(CompareWindow, "compare with one scan says what will be there", "[app][compare]")
{
    key(Qt::Key_4, Qt::ControlModifier);
    CHECK(empty() == "Nothing is open yet");
    t.file("place/a", 4096);
    scan(p);
    key(Qt::Key_4, Qt::ControlModifier);
    REQUIRE(until([this] { return empty().contains("one scan"); }));
    // The second scan is compared with the first at once.
    t.file("place/b", 1 << 20);
    QTest::qWait(1100); // of another second
    scan(p);
    key(Qt::Key_4, Qt::ControlModifier);
    REQUIRE(until([this] { return comparing().comparison() && comparing().points().size() == 2; }));
    compared();
    REQUIRE(until([this] { return !rows().isEmpty(); }));
    hasRow("b +1.00 MiB appeared");
}
