// SPDX-License-Identifier: GPL-3.0-or-later
// Scanning in the window: places that grow, several scans, folders read again, the ledger, administrator rights.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QCheckBox>
#include <QTreeWidget>

#include <filesystem>
#include <set>

#include "app/style/words.h"
#include "app/window_fixture.h"
#include "core/snapshot/catalogue.h"
#include "support/mounts.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

app::DriveCard* cardOf(Window& w, const std::string& path)
{
    for (auto* card : w.window->scanStage()->cards())
        if (card->facts().path == path)
            return card;
    return nullptr;
}

/// A place in which one folder hangs, so that its scan lasts as long as its patience.
struct HangingPlace {
    explicit HangingPlace(Window& w) : drive(w.t / "place/drive")
    {
        w.t.file("place/.cache/tiles.db", 900000);
        w.t.file("place/papers/a.odt", 40000);
        w.t.file("place/papers/deep/b.odt", 30000);
        options.crossMounts = true;
        options.patience = std::chrono::milliseconds(1500);
    }
    StallingMount drive;
    ScanOptions options;
};

QStringList rowsOf(QTreeWidget* list)
{
    QStringList rows;
    for (int i = 0; i < list->topLevelItemCount(); ++i)
        rows << list->topLevelItem(i)->text(0) + QStringLiteral(" | ") + list->topLevelItem(i)->text(1);
    return rows;
}

} // namespace

TEST_CASE("a place can be explored while it is scanned, and nothing jumps when the scan ends", "[window][mount]")
{
    if (!canStall()) {
        WARN("needs root and /dev/fuse; skipped");
        return;
    }
    Window w;
    HangingPlace hanging(w);
    hanging.options.patience =
        std::chrono::seconds(6); // a look has to be taken before it is over, on a busy machine too
    w.models().scans.scanFolder(w.t / "place", "Skerry", hanging.options);
    REQUIRE(Window::until([&] { return w.place() && w.place()->tree->sums(rootNode).files == 3; }));
    REQUIRE(w.models().scans.runningScan());
    CHECK(w.place()->isGrowing());
    CHECK(w.window->stage() == Stage::Scan); // whoever picks drives is not torn away
    CHECK(w.text("scanFigures").contains("entries"));
    w.click("exploreScan");
    CHECK(w.window->stage() == Stage::Explore);
    CHECK(w.text("scanState") == "still growing");
    w.models().cursor.setFocus(w.node(w.t / "place/papers"));
    w.models().cursor.select(w.node(w.t / "place/papers/a.odt"));
    QTest::qWait(600); // some more looks
    CHECK(w.focused() == w.t / "place/papers");
    CHECK(w.selected() == w.t / "place/papers/a.odt");
    w.key(Qt::Key_Delete);
    CHECK(w.notice().contains("The scan is still running"));
    CHECK(w.place()->plan.empty());
    w.key(Qt::Key_F5);

    w.settle();
    CHECK_FALSE(w.place()->isGrowing());
    CHECK(w.focused() == w.t / "place/papers");
    CHECK(w.selected() == w.t / "place/papers/a.odt");
    CHECK(w.notice().contains("drive/hung did not answer"));
    CHECK(w.place()->tree->sums(rootNode).files == 6);
    CHECK(w.child<QPushButton>("notRead")->text() == "1 not read…");
}

TEST_CASE("two places of one disk that seeks are scanned one after the other", "[window][mount]")
{
    if (!canStall())
        return;
    Window w;
    HangingPlace hanging(w);
    w.t.file("second/a", 1000);
    w.models().scans.setDiskOf([](const std::string&) { return std::string("sda"); });
    w.models().scans.scanFolder(w.t / "place", {}, hanging.options);
    REQUIRE(Window::until([&] { return w.models().scans.runningScan()->progress->entries() > 0; }));
    w.models().scans.scanFolder(w.t / "second");
    REQUIRE(Window::until([&] { return w.models().scans.scans().back()->waits.load(); }));
    CHECK(w.models().scans.scans().back()->progress->entries() == 0);
    // Stopping the one that waits, or the end of the other, ends the waiting.
    w.settle();
    CHECK(w.models().places.liveAt(w.t / "second"));
    CHECK(w.models().places.liveAt(w.t / "place"));
}

TEST_CASE("the plan that was kept is there after a scan that takes its time", "[window][plan][mount]")
{
    if (!canStall())
        return;
    Window w;
    HangingPlace hanging(w);
    const auto path = w.t / "place/papers/a.odt";
    const auto scanSlowly = [&] {
        w.models().scans.scanFolder(w.t / "place", {}, hanging.options);
        REQUIRE(Window::until([&] { return w.place() && w.place()->isGrowing(); }));
        QTest::qWait(500); // looks are taken, and whatever is written a little later is written
        w.settle();
        REQUIRE_FALSE(w.place()->isGrowing());
    };
    scanSlowly();
    w.models().plan.planTrash(w.node(path));
    CHECK(w.window->close());
    for (int start = 0; start < 2; ++start) { // and looking at it alone does not lose it
        w.open();
        scanSlowly();
        CHECK(Window::until([&] { return w.place()->plan.has(w.node(path)); }));
        QTest::qWait(400);
        CHECK(w.window->close());
    }
}

TEST_CASE("a scan is paused, goes on and is stopped from its card", "[window][mount]")
{
    if (!canStall())
        return;
    Window w;
    HangingPlace hanging(w);
    w.models().scans.scanFolder(w.t / "place", {}, hanging.options);
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    w.click("pauseScan");
    CHECK(w.models().scans.runningScan()->pausedSinceMs != 0);
    CHECK(w.child<QPushButton>("pauseScan")->text() == "Resume");
    w.click("pauseScan");
    CHECK(w.models().scans.runningScan()->pausedSinceMs == 0);
    w.click("stopScan");
    CHECK_FALSE(w.child<QPushButton>("stopScan")->isEnabled());
    w.settle();
    CHECK(w.place()->info.partial);
    w.window->setStage(Stage::Explore);
    CHECK(w.text("scanState") == "partial");
}

TEST_CASE("closing a place that is being scanned ends its scan", "[window][mount]")
{
    if (!canStall())
        return;
    Window w;
    auto hanging = std::make_unique<HangingPlace>(w);
    w.models().scans.scanFolder(w.t / "place", {}, hanging->options);
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    const std::weak_ptr<const NodeStore> memory = w.place()->tree->sharedStore();
    w.models().places.closePlace(0);
    w.settle();
    CHECK(w.place() == nullptr);
    CHECK(readCatalogue(w.folders.snapshots()).entries.empty());
    hanging.reset(); // lets go of the thread that hung in it
    CHECK(Window::until([&] { return memory.expired(); }));
}

TEST_CASE("drives come and go with the mount table, and several are scanned together", "[window][mount]")
{
    if (!canMount())
        return;
    Window w;
    REQUIRE(Window::until([&] { return !w.window->scanStage()->cards().empty(); }));
    auto stick = std::make_unique<TmpfsMount>(w.t / "media/FIELD");
    TmpfsMount archive(w.t / "media/archive");
    writeAll(stick->path() + "/a", std::string(100000, 'x'));
    writeAll(archive.path() + "/b", std::string(300000, 'x'));
    // Nobody asks for it: the kernel says so.
    REQUIRE(Window::until([&] { return cardOf(w, stick->path()) && cardOf(w, archive.path()); }));
    QTest::mouseClick(cardOf(w, stick->path()), Qt::LeftButton);
    QTest::mouseClick(cardOf(w, archive.path()), Qt::LeftButton);
    CHECK(w.child<QPushButton>("startScan")->text() == "Scan 2 drives");
    w.click("startScan");
    CHECK(w.models().scans.scans().size() == 2);
    w.settle();
    REQUIRE(w.models().places.places().size() == 2);
    CHECK(w.window->stage() == Stage::Explore);
    std::set<std::string> names;
    for (const auto& place : w.models().places.places()) {
        CHECK(place->wholeDrive);
        names.insert(place->info.placeName);
    }
    CHECK(names == std::set<std::string>{"FIELD", "archive"});

    w.window->setStage(Stage::Scan);
    const auto path = stick->path();
    stick.reset();
    CHECK(Window::until([&] { return !cardOf(w, path); }));
    CHECK(cardOf(w, archive.path()));
}

TEST_CASE("mounts that are no drives are folded away until they are asked for", "[window][mount]")
{
    if (!canMount())
        return;
    Window w;
    TestFolder& t = w.t;
    TmpfsMount drive(t / "drive");
    const auto bound = t.folder("bound");
    REQUIRE(::mount(drive.path().c_str(), bound.c_str(), nullptr, MS_BIND, nullptr) == 0);
    w.window->scanStage()->reload();
    CHECK(Window::until([&] { return cardOf(w, t / "bound") || cardOf(w, drive.path()); }));
    CHECK_FALSE((cardOf(w, t / "bound") && cardOf(w, drive.path()))); // the same filesystem once
    w.click("showAllMounts");
    CHECK(Window::until([&] { return cardOf(w, t / "bound") && cardOf(w, drive.path()) && cardOf(w, "/proc"); }));
    CHECK(cardOf(w, "/proc")->facts().lastScan.contains("virtual filesystem"));
    w.click("showAllMounts");
    CHECK(Window::until([&] { return !cardOf(w, "/proc"); }));
    ::umount2(bound.c_str(), MNT_DETACH);
}

TEST_CASE("what to leave out is kept for each place", "[window][mount]")
{
    if (!canMount())
        return;
    Window w;
    TmpfsMount drive(w.t / "media/FIELD");
    writeAll(drive.path() + "/keep.wav", std::string(5000, 'x'));
    writeAll(drive.path() + "/skip.iso", std::string(5000, 'x'));
    REQUIRE(Window::until([&] { return cardOf(w, drive.path()) != nullptr; }));
    QTest::mouseClick(cardOf(w, drive.path()), Qt::LeftButton);
    auto* line = w.child<QLineEdit>("leaveOut");
    QTest::keyClicks(line, "*.iso, *.tmp");
    w.click("startScan");
    w.settle();
    REQUIRE(w.place());
    CHECK(w.place()->tree->sums(rootNode).files == 1);
    CHECK(w.place()->options.exclude == std::vector<std::string>{"*.iso", "*.tmp"});
    CHECK(line->text().isEmpty());
    w.open(); // another day
    REQUIRE(Window::until([&] { return cardOf(w, drive.path()) != nullptr; }));
    QTest::mouseClick(cardOf(w, drive.path()), Qt::LeftButton);
    CHECK(w.child<QLineEdit>("leaveOut")->text() == "*.iso, *.tmp");
    w.window->scanStage()->scan(w.t.folder("elsewhere"));
    w.settle();
    CHECK(w.place()->options.exclude.empty());
}

TEST_CASE("F5 reads one folder again: sums, plan, focus and selection follow", "[window]")
{
    Window w;
    w.t.file("place/keep/a", 50000);
    w.t.file("place/change/old", 90000);
    w.t.file("place/change/planned", 40000);
    w.t.file("place/change/planned-too", 40000);
    w.scan(w.t / "place");
    w.models().cursor.setFocus(w.node(w.t / "place/change"));
    w.models().plan.planTrash(w.node(w.t / "place/keep/a"));
    w.models().plan.planTrash(w.node(w.t / "place/change/planned"));
    w.models().plan.planTrash(w.node(w.t / "place/change/planned-too"));
    w.models().cursor.select(w.node(w.t / "place/change/planned"));
    std::filesystem::remove(w.t / "place/change/old");
    w.t.file("place/change/planned-too", 70000);
    w.t.file("place/change/new/er/file", 500000);

    w.key(Qt::Key_F5);
    w.settle();
    REQUIRE(Window::until([&] { return w.node(w.t / "place/change/new/er/file") != noNode; }));
    CHECK(w.node(w.t / "place/change/old") == noNode);
    CHECK(w.focused() == w.t / "place/change");
    CHECK(w.selected() == w.t / "place/change/planned");
    CHECK(w.place()->tree->apparent(rootNode) == 50000 + 40000 + 70000 + 500000);
    REQUIRE(w.place()->plan.items().size() == 2); // what changed came off
    CHECK(w.place()->plan.has(w.node(w.t / "place/keep/a")));
    CHECK(w.place()->plan.has(w.node(w.t / "place/change/planned")));
    CHECK(w.notice().contains("changed and came off the plan"));
    CHECK_FALSE(w.window->exploreStage()->picture()->pointOf(w.node(w.t / "place/change/new/er/file")).isNull());

    SECTION("a focus that is gone becomes the folder above it")
    {
        w.models().cursor.setFocus(w.node(w.t / "place/change/new/er"));
        std::filesystem::remove_all(w.t / "place/change/new");
        w.models().scans.rescan(w.node(w.t / "place/change"));
        w.settle();
        REQUIRE(Window::until([&] { return w.focused() == w.t / "place/change"; }));
        CHECK(w.node(w.t / "place/change/new") == noNode);
    }
    SECTION("a folder that is gone itself disappears")
    {
        std::filesystem::remove_all(w.t / "place/change");
        w.models().scans.rescan(w.node(w.t / "place/change"));
        w.settle();
        REQUIRE(Window::until([&] { return w.node(w.t / "place/change") == noNode; }));
        CHECK(w.focused() == w.t / "place");
    }
}

TEST_CASE("what happens in the folders in view is noticed and read again on request", "[window]")
{
    Window w;
    w.t.file("place/sub/a", 50000);
    w.scan(w.t / "place");
    CHECK_FALSE(w.child<QPushButton>("readChanged")->isVisible());
    QTest::qWait(700); // until it is watched
    w.t.file("place/sub/b", 70000);
    REQUIRE(Window::until([&] { return w.child<QPushButton>("readChanged")->isVisible(); }));
    w.click("readChanged");
    REQUIRE(Window::until([&] { return w.node(w.t / "place/sub/b") != noNode; }));
    w.settle();
    CHECK_FALSE(w.child<QPushButton>("readChanged")->isVisible());
    CHECK(w.place()->tree->apparent(rootNode) == 120000);

    SECTION("what the plan touched is read again by itself")
    {
        w.t.file("place/sub/c", 30000);
        w.models().plan.planTrash(w.node(w.t / "place/sub/a"));
        w.models().runner.carryOutPlan();
        w.settle();
        REQUIRE(Window::until([&] { return w.node(w.t / "place/sub/c") != noNode; }));
        CHECK(w.node(w.t / "place/sub/a") == noNode);
        w.models().runner.takeBack(w.models().logbook.history().front().run.id);
        w.settle();
        CHECK(Window::until([&] { return w.node(w.t / "place/sub/a") != noNode; }));
        CHECK(w.place()->tree->apparent(rootNode) == 150000);
    }
}

TEST_CASE("the unexplained part of the gauge opens the ledger", "[window][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    Window w;
    LoopMount drive(w.t / "drive", "mkfs.ext4", 40);
    writeAll(drive.path() + "/film", std::string(9 << 20, 'x'));
    writeAll(drive.path() + "/gone", std::string(6 << 20, 'x'));
    const int held = ::open((drive.path() + "/gone").c_str(), O_RDONLY | O_CLOEXEC);
    ::unlink((drive.path() + "/gone").c_str());
    ::sync();
    w.scan(drive.path());
    auto* bar = w.window->findChild<app::Gauge*>()->bar();
    const auto segment = bar->rectOf(app::GaugeBar::Fill::NotSeen);
    REQUIRE(segment.width() > 5);
    QTest::mouseClick(bar, Qt::LeftButton, {}, segment.center());
    auto* dialog = w.child<app::LedgerDialog>("ledgerDialog");
    auto* list = dialog->findChild<QTreeWidget*>("ledgerList");
    REQUIRE(Window::until([&] { return list->topLevelItemCount() > 0; }));
    const auto rows = rowsOf(list);
    INFO(rows.join("\n").toStdString());
    CHECK(rows.contains("Deleted, still held open | 6.00 MiB"));
    CHECK(rows.filter("Seen").size() == 1);
    CHECK(rows.filter("Not explained").size() == 1);
    CHECK(dialog->findChild<QLabel*>("ledgerTitle")->text() == "Ledger of drive");
    CHECK(dialog->findChild<QLabel*>("ledgerInodes")->text().contains("all of them were found"));
    ::close(held);
    QTest::mouseClick(dialog->findChild<QPushButton*>("ledgerAgain"), Qt::LeftButton);
    CHECK(Window::until([&] { return rowsOf(list).contains("Deleted, still held open | 0 B"); }));

    // The snapshot keeps it, to the byte; opened from the file it says what was added up then.
    const auto kept = readCatalogue(w.folders.snapshots()).entries;
    REQUIRE(kept.size() == 1);
    std::uint64_t sum = 0;
    for (const auto& [part, bytes] : kept[0].info.ledger)
        sum += bytes;
    CHECK(sum == kept[0].info.capacity.used);
    dialog->accept();
    REQUIRE(w.closed("ledgerDialog"));
    w.models().snapshots.open(kept[0].path);
    REQUIRE(Window::until([&] { return w.place()->fromSnapshot; }));
    w.settle();
    w.activate();
    w.key(Qt::Key_L, Qt::ControlModifier);
    dialog = w.dialog<app::LedgerDialog>("ledgerDialog");
    CHECK(rowsOf(dialog->findChild<QTreeWidget*>("ledgerList")).contains("Deleted, still held open | 6.00 MiB"));
    const auto labels = dialog->findChildren<QLabel*>();
    CHECK(std::any_of(labels.begin(), labels.end(),
                      [](const QLabel* label) { return label->text().contains("was used"); }));
    CHECK_FALSE(dialog->findChild<QPushButton*>("ledgerAgain")->isVisible());
}

TEST_CASE("the card of a drive says what grew most since the scan before", "[window][mount]")
{
    if (!canMount())
        return;
    Window w;
    TmpfsMount drive(w.t / "media/FIELD", "size=64m");
    w.t.file("media/FIELD/Season/rec/a.wav", 3 << 20);
    w.t.file("media/FIELD/notes", 40000);
    auto before = scan(drive.path());
    REQUIRE(before);
    auto info = describeScan(*before);
    info.taken -= 30 * 86400;
    REQUIRE(addSnapshot(w.folders.snapshots(), info, *before->tree));
    w.t.file("media/FIELD/Season/rec/b.wav", 9 << 20);
    w.t.file("media/FIELD/notes", 80000);
    w.scan(drive.path());
    REQUIRE(Window::until([&] { return readCatalogue(w.folders.snapshots()).entries.size() == 2; }));
    w.window->setStage(Stage::Scan);
    const auto said = [&] {
        const auto* card = cardOf(w, drive.path());
        return card ? card->accessibleDescription() : QString();
    };
    const auto most = "most: +9.00 MiB in " + QString::fromStdString(drive.path()) + "/Season/rec/b.wav";
    REQUIRE(Window::until([&] { return said().contains(most); }));
    CHECK(cardOf(w, drive.path())->facts().lastScan.contains("+9.0"));
    // It is remembered, and not worked out again: the files are not needed.
    for (const auto& entry : readCatalogue(w.folders.snapshots()).entries) {
        auto bytes = readAll(entry.path);
        bytes[bytes.size() - 60] = static_cast<char>(bytes[bytes.size() - 60] ^ 1);
        writeAll(entry.path, bytes);
    }
    w.open();
    CHECK(Window::until([&] { return said().contains(most); }));
}

// Runs as nobody in a process of its own, started by the test below.
TEST_CASE("as anybody: what could not be read is read with rights and grafted", "[.as-nobody]")
{
    const std::string place = std::getenv("KURVO_TEST_PLACE"), helper = std::getenv("KURVO_TEST_HELPER"),
                      out = std::getenv("KURVO_TEST_OUT");
    Window w;
    w.models().rights.setHelperCommand({helper, "helper"});
    w.scan(place);
    CHECK(w.place()->info.unreadable == 2);
    CHECK(w.notice().contains("could not be read with your permissions"));
    CHECK(w.child<QPushButton>("notRead")->text() == "2 not read…");
    w.click("notRead");
    auto* dialog = w.child<app::NotReadDialog>("notReadDialog");
    const auto rows = rowsOf(dialog->findChild<QTreeWidget*>("notReadList"));
    CHECK(rows.contains(app::toText(place + "/locked") + " | permission denied"));
    auto* read = dialog->findChild<QPushButton*>("readWithRights");

    // Refused, killed, rubbish: said, and nothing changes.
    const auto before = w.place()->tree;
    for (const std::string script : {"exit 126", "kill -9 $$", "echo rubbish"}) {
        w.models().rights.setHelperCommand({"sh", "-c", script});
        QTest::mouseClick(read, Qt::LeftButton);
        REQUIRE(Window::until([&] { return !w.models().rights.rightsJob(); }));
        CHECK(w.place()->tree == before);
    }
    CHECK(w.notice().contains("refused"));
    CHECK(w.notice().contains("The helper ended without an answer"));
    CHECK(w.notice().contains("no answer. Nothing of it was used"));

    if (std::getenv("KURVO_TEST_TERMINAL")) {
        // Nobody to ask: a command for a terminal is shown, and the file it writes is picked up.
        w.models().rights.setHelperCommand({"/no/such/program", helper, "helper"});
        QTest::mouseClick(read, Qt::LeftButton);
        auto* command = dialog->findChild<QLineEdit*>("terminalCommand");
        REQUIRE(Window::until([&] { return command->isVisible(); }));
        const auto text = command->text();
        REQUIRE(text.startsWith("sudo '"));
        REQUIRE(std::system(text.mid(5).toLocal8Bit().constData()) == 0);
    } else {
        w.models().rights.setHelperCommand({helper, "helper"});
        QTest::mouseClick(read, Qt::LeftButton);
    }
    REQUIRE(Window::until([&] { return w.place()->readWithRights; }));
    CHECK(w.place()->info.unreadable == 0);
    CHECK_FALSE(read->isEnabled());
    REQUIRE(Window::until([&] {
        const auto info = readSnapshotInfo(w.place()->snapshotFile);
        return info && info->unreadable == 0;
    }));
    std::filesystem::copy_file(w.place()->snapshotFile, out, std::filesystem::copy_options::overwrite_existing);
}

// The same for a whole drive.
TEST_CASE("as anybody: a whole drive is read from its own tables with rights", "[.as-nobody-drive]")
{
    const std::string place = std::getenv("KURVO_TEST_PLACE"), helper = std::getenv("KURVO_TEST_HELPER"),
                      out = std::getenv("KURVO_TEST_OUT");
    Window w;
    const auto scanned = [&](const std::string& path) {
        w.models().scans.scanFolder(path, {}, {}, true);
        REQUIRE(Window::until([&] { return !w.models().scans.runningScan() && !w.models().rights.rightsJob(); }));
        REQUIRE(w.place());
    };
    // Refused: the kernel is asked with the user's own rights, and nobody is asked again.
    w.models().rights.setHelperCommand({"sh", "-c", "exit 126"});
    scanned(place);
    CHECK(w.notice().contains("refused"));
    CHECK(w.place()->info.unreadable == 2);
    CHECK_FALSE(w.place()->readWithRights);
    // Given: its own tables are read.
    w.models().rights.setHelperCommand({helper, "helper"});
    scanned(place);
    REQUIRE(Window::until([&] { return w.place()->readWithRights; }));
    CHECK(w.place()->info.unreadable == 0);
    CHECK(w.place()->account.has_value());
    // The ledger of what was read so has no remainder.
    std::optional<Ledger> ledger;
    w.models().rights.writeLedger([&](const Result<Ledger>& written) { ledger = *written; });
    REQUIRE(Window::until([&] { return ledger.has_value(); }));
    CHECK(ledger->unexplained == 0);
    REQUIRE(Window::until([&] { return !w.place()->snapshotFile.empty(); }));
    std::filesystem::copy_file(w.place()->snapshotFile, out, std::filesystem::copy_options::overwrite_existing);
}

namespace {

/// Files that only their owner may read, beside others; a helper that has rights, and the tests for anybody to run.
void fillForAnybody(const TestFolder& t, const std::string& home)
{
    t.file(home + "/papers/a.odt", 40000);
    t.file(home + "/locked/inside/film.mkv", 900000);
    t.file(home + "/locked/.cache/x", 70000);
    t.link(home + "/papers/a.odt", home + "/locked/linked.odt");
    t.file(home + "/.private/key", 3000);
    for (const std::string folder : {"/locked", "/.private"})
        REQUIRE(::chmod((t / (home + folder)).c_str(), 0700) == 0);
    for (const std::string& folder : {std::string(), home, home + "/papers"})
        REQUIRE(::chmod((t / folder).c_str(), 0755) == 0);
    // The build may lie where only root can reach. Set-user-ID stands in for being started by the one who may.
    std::filesystem::copy_file("/proc/self/exe", t / "tests");
    std::filesystem::copy_file(KURVOCTL, t / "helper");
    REQUIRE(::chmod((t / "helper").c_str(), 04755) == 0);
    REQUIRE(::mkdir((t / "out").c_str(), 0777) == 0);
    REQUIRE(::chmod((t / "out").c_str(), 0777) == 0);
}

int runAsNobody(const TestFolder& t, const char* tag, const std::string& home, const std::string& snapshot,
                bool terminal)
{
    return asNobody([&] {
        ::setenv("KURVO_TEST_PLACE", (t / home).c_str(), 1);
        ::setenv("KURVO_TEST_HELPER", (t / "helper").c_str(), 1);
        ::setenv("KURVO_TEST_OUT", snapshot.c_str(), 1);
        for (const char* variable : {"HOME", "TMPDIR"}) // those of the tests are root's
            ::setenv(variable, (t / "out").c_str(), 1);
        ::unsetenv("XDG_RUNTIME_DIR");
        if (terminal)
            ::setenv("KURVO_TEST_TERMINAL", "1", 1);
        ::execl((t / "tests").c_str(), "tests", tag, nullptr);
        return false;
    });
}

} // namespace

TEST_CASE("the tree of an unprivileged scan and its helper is that of root", "[window]")
{
    if (::geteuid() != 0) {
        WARN("needs root to start a helper with rights; skipped");
        return;
    }
    TestFolder t;
    fillForAnybody(t, "home");
    const auto asRoot = scan(t / "home");
    REQUIRE(asRoot);

    for (const bool terminal : {false, true}) {
        INFO("by terminal: " << terminal);
        const auto snapshot = t / (terminal ? "out/terminal.kurvo" : "out/direct.kurvo");
        const auto status = runAsNobody(t, "[.as-nobody]", "home", snapshot, terminal);
        CHECK(status == 0);
        const auto grafted = readSnapshot(snapshot);
        REQUIRE(grafted);
        CHECK(describe(*grafted->tree) == describe(*asRoot->tree));
    }
}

TEST_CASE("a whole drive is read with rights from its own tables, and its ledger has no remainder", "[window]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    TestFolder t;
    const LoopMount drive(t / "drive", "mkfs.ext4 -q -F", 32);
    ::rmdir((drive.path() + "/lost+found").c_str());
    fillForAnybody(t, "drive");
    ::usleep(250000);
    const auto asRoot = scan(drive.path());
    REQUIRE(asRoot);
    if (!asRoot->direct)
        return; // devices cannot be opened here
    const auto snapshot = t / "out/drive.kurvo";
    CHECK(runAsNobody(t, "[.as-nobody-drive]", "drive", snapshot, false) == 0);
    const auto read = readSnapshot(snapshot);
    REQUIRE(read);
    CHECK(describe(*read->tree) == describe(*asRoot->tree));
}
