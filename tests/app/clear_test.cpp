// SPDX-License-Identifier: GPL-3.0-or-later
// Clear, driven in the real window: each way to plan, the check, carrying out, the proof, taking back, recovery.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QDropEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QProcess>
#include <QTreeWidget>

#include <csignal>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "app/lists/item_drag.h"
#include "app/stages/clear/run_view.h"
#include "core/act/plan_run.h"
#include "core/platform/trash.h"
#include "support/mounts.h"
#include "window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

struct ClearWindow : Window {
    std::string p = t / "place";

    ClearWindow()
    {
        t.file("place/recordings/may.wav", 3 << 20);
        t.file("place/recordings/june.wav", 2 << 20);
        t.file("place/dump", 1 << 20);
        t.file("place/old.log", 800000);
        t.text("place/keep", "keep");
    }
    void start() { scan(p); }
    void select(const std::string& name)
    {
        window->setStage(Stage::Explore);
        models().cursor.reveal(node(p + "/" + name));
    }
    const PlanItem* planned(const std::string& name) { return place()->plan.itemOf(node(p + "/" + name)); }
    void toClear()
    {
        key(Qt::Key_5, Qt::ControlModifier);
        settle();
    }
    QStringList rows()
    {
        QStringList all;
        const auto* model = window->clearStage()->list()->model();
        for (int row = 0; row < model->rowCount(); ++row)
            all << model->index(row, 0).data().toString();
        return all;
    }
    QStringList outcomes()
    {
        QStringList all;
        auto* steps = window->clearStage()->runView()->steps();
        for (int row = 0; row < steps->topLevelItemCount(); ++row)
            all << steps->topLevelItem(row)->text(0).section('/', -1) + ": " + steps->topLevelItem(row)->text(2);
        return all;
    }
    void planMove(const std::string& to, bool link)
    {
        key(Qt::Key_M);
        auto* asked = dialog<QDialog>("moveDialog");
        auto* folder = asked->findChild<QLineEdit*>("moveFolder");
        folder->clear();
        QTest::keyClicks(folder, QString::fromStdString(to));
        asked->findChild<QCheckBox*>("moveLink")->setChecked(link);
        auto* plan = asked->findChild<QPushButton*>("movePlan");
        REQUIRE(until([&] { return plan->isEnabled(); }));
        QTest::mouseClick(plan, Qt::LeftButton);
        REQUIRE(closed("moveDialog"));
        activate();
    }
    void confirm()
    {
        auto* asked = dialog<QDialog>("confirmDialog");
        QTest::keyClick(asked->findChild<QCheckBox*>("confirmCount"), Qt::Key_Space);
        QTest::keyClick(asked->findChild<QPushButton*>("confirm"), Qt::Key_Return);
        settle();
    }
};

} // namespace

TEST_CASE("trash, delete and move in one plan: checked, carried out, proved, taken back", "[window][clear][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    ClearWindow w;
    const TmpfsMount archive(w.t / "archive", "size=64m");
    w.start();
    const auto whole = w.place()->tree->apparent(rootNode);
    w.select("old.log");
    w.key(Qt::Key_Delete);
    w.select("dump");
    w.key(Qt::Key_Delete, Qt::ShiftModifier);
    w.select("recordings");
    w.planMove(archive.path(), true);
    CHECK(w.planned("old.log")->action == Action::Trash);
    CHECK(w.planned("dump")->action == Action::Delete);
    REQUIRE(w.planned("recordings"));
    CHECK(w.planned("recordings")->destination == archive.path());
    CHECK(w.pointerLine().contains("planned: move to"));
    // Both drives are seen to change before anything happens.
    REQUIRE(Window::until([&] { return w.text("freeNote").contains("archive 64.0 MiB → 59.0 MiB"); }));

    w.toClear();
    CHECK(w.text("planTitle").startsWith("3 items planned"));
    CHECK(w.text("planChecked").endsWith("3 ready"));
    CHECK(w.text("destinations").contains("64.0 MiB → 59.0 MiB"));
    const auto rows = w.rows();
    REQUIRE(rows.size() == 6);
    CHECK(rows[0].startsWith("Delete for good · 1 item · 1.00 MiB"));
    CHECK(rows[2].startsWith("Move to "));
    CHECK(rows[2].contains("leave a link"));
    CHECK(rows[4].contains("not free until the trash is emptied"));
    CHECK(rows[5] == "old.log");
    // A page to look at once more; nothing has happened.
    w.click("carryOut");
    auto* asked = w.dialog<QDialog>("confirmDialog");
    CHECK(asked->findChild<QTreeWidget*>("confirmList")->topLevelItemCount() == 1);
    QTest::keyClick(asked, Qt::Key_Escape);
    REQUIRE(w.closed("confirmDialog"));
    CHECK(exists(w.p + "/dump"));
    w.models().runner.carryOutPlan(); // without what goes for good having been confirmed
    CHECK(w.notice().contains("was not confirmed"));
    CHECK(exists(w.p + "/dump"));

    w.click("carryOut");
    w.confirm();
    REQUIRE(Window::until([&] { return w.place()->plan.empty(); }));
    w.settle();
    CHECK_FALSE(exists(w.p + "/dump"));
    CHECK_FALSE(exists(w.p + "/old.log"));
    CHECK(isLink(w.p + "/recordings"));
    CHECK(readAll(w.p + "/recordings/june.wav").size() == 2 << 20); // through the link
    CHECK(readAll(archive.path() + "/recordings/may.wav").size() == 3 << 20);
    CHECK(w.outcomes() ==
          QStringList{"dump: deleted for good", "recordings: moved, link left", "old.log: in the trash"});
    CHECK(w.text("proof").contains("is in the trash and comes free once the trash is emptied"));
    REQUIRE(Window::until([&] { return w.node(w.p + "/recordings") != noNode; })); // the link was seen
    CHECK(w.place()->tree->store().kind(w.node(w.p + "/recordings")) == EntryKind::SymbolicLink);
    CHECK(w.place()->tree->apparent(rootNode) < whole - (6 << 20));

    // One item, then what is left.
    auto* view = w.window->clearStage()->runView();
    view->steps()->setCurrentItem(view->steps()->topLevelItem(1));
    w.click("undoSteps");
    w.settle();
    REQUIRE(Window::until([&] { return exists(w.p + "/recordings/may.wav") && !isLink(w.p + "/recordings"); }));
    CHECK(namesIn(archive.path()).empty());
    CHECK_FALSE(exists(w.p + "/old.log"));
    view->show(w.models().logbook.history().back().run.id);
    w.click("undoRun");
    w.settle();
    CHECK(exists(w.p + "/old.log"));
    CHECK_FALSE(exists(w.p + "/dump")); // deleted is deleted
    CHECK_FALSE(w.child<QPushButton>("undoRun")->isEnabled());
    REQUIRE(Window::until([&] { return w.place()->tree->apparent(rootNode) == whole - (1 << 20); }));
    CHECK(w.window->findChildren<QPushButton*>("run").size() >= 2); // the run, and the move back
}

TEST_CASE("a move that cannot be made says why before and stays behind", "[window][clear][mount]")
{
    if (!canMount())
        return;
    ClearWindow w;
    const TmpfsMount archive(w.t / "archive", "size=4m");
    w.start();
    w.select("recordings");
    w.key(Qt::Key_M);
    auto* asked = w.dialog<QDialog>("moveDialog");
    auto* folder = asked->findChild<QLineEdit*>("moveFolder");
    auto* room = asked->findChild<QLabel*>("moveRoom");
    const std::pair<std::string, const char*> typed[] = {{w.t / "nowhere", "is not there"},
                                                         {"archive", "whole path"},
                                                         {w.p, "same drive"},
                                                         {archive.path(), "Only 4.00 MiB"}};
    for (const auto& [path, said] : typed) {
        folder->clear();
        QTest::keyClicks(folder, QString::fromStdString(path));
        const bool heard = Window::until([&, words = said] { return room->text().contains(words); });
        INFO(path << ": " << room->text().toStdString());
        CHECK(heard);
        CHECK_FALSE(asked->findChild<QPushButton*>("movePlan")->isEnabled());
    }
    QTest::keyClick(asked, Qt::Key_Escape);
    REQUIRE(w.closed("moveDialog"));
    w.activate();
    // Room that is gone by the time of the check.
    w.models().plan.planItem(w.node(w.p + "/dump"), {Action::Move, archive.path(), false});
    w.models().plan.planItem(w.node(w.p + "/recordings/june.wav"), {Action::Move, archive.path(), false});
    writeAll(archive.path() + "/june.wav", "another");
    w.toClear();
    CHECK(w.text("planChecked").endsWith("1 ready · 1 held back"));
    w.click("carryOut");
    w.settle();
    CHECK(exists(archive.path() + "/dump"));
    CHECK(readAll(archive.path() + "/june.wav") == "another");
    CHECK(exists(w.p + "/recordings/june.wav"));
    CHECK(w.place()->plan.items().size() == 1);
    CHECK(w.place()->findings.of(w.p + "/recordings/june.wav")->sentence.find("not replaced") != std::string::npos);
}

TEST_CASE("carrying out can be paused, goes on, and stops after the item in work", "[window][clear][mount]")
{
    if (!canMount())
        return;
    ClearWindow w;
    const TmpfsMount archive(w.t / "archive", "size=900m");
    for (int i = 0; i < 3; ++i)
        w.t.file("place/large-" + std::to_string(i), 200 << 20);
    w.start();
    for (int i = 0; i < 3; ++i)
        w.models().plan.planItem(w.node(w.p + "/large-" + std::to_string(i)), {Action::Move, archive.path(), false});
    w.toClear();
    w.click("carryOut");
    w.click("pausePlan");
    REQUIRE(Window::until([&] { return w.child<QPushButton>("pausePlan")->text() == "Resume"; }));
    // What is being written when the pause comes is still told of; then nothing more is.
    REQUIRE(Window::until([&] {
        const auto moved = [&w] {
            const auto* job = w.models().runner.planJob();
            return job ? std::optional(job->progress.movedNow) : std::nullopt;
        };
        const auto before = moved();
        QTest::qWait(300);
        return before && moved() == before;
    }));
    w.click("stopPlan");
    CHECK(w.child<QPushButton>("stopPlan")->isEnabled() == false);
    w.settle();
    // What was being copied is taken back, and all of them are whole.
    const auto there = namesIn(archive.path());
    for (int i = 0; i < 3; ++i) {
        const auto name = "large-" + std::to_string(i);
        const bool moved = std::find(there.begin(), there.end(), name) != there.end();
        CHECK(exists(w.p + "/" + name) != moved);
    }
    CHECK(there.size() < 3);
    CHECK(w.place()->plan.items().size() == 3 - there.size()); // and the rest is still on the plan
}

TEST_CASE("after a kill the next start says what was under way, and nothing is lost", "[window][clear][mount]")
{
    if (!canMount())
        return;
    Window w;
    const TmpfsMount archive(w.t / "archive", "size=900m");
    const auto large = w.t.file("place/large.wav", 300 << 20);
    w.window.reset(); // only one Kurvo at a time
    QProcess kurvoctl;
    auto environment = QProcessEnvironment::systemEnvironment();
    environment.insert("XDG_DATA_HOME", QString::fromStdString(w.folders.user.data));
    environment.insert("HOME", QString::fromStdString(w.folders.user.home));
    kurvoctl.setProcessEnvironment(environment);
    const auto run = [&](const QStringList& arguments) {
        kurvoctl.start(QString::fromLocal8Bit(KURVOCTL), arguments);
        return kurvoctl.waitForStarted();
    };
    const auto plan = QString::fromStdString(w.t / "plan.json");
    REQUIRE(run({"plan", "make", QString::fromStdString(large), "--action", "move", "--to",
                 QString::fromStdString(archive.path()), "-o", plan}));
    REQUIRE(kurvoctl.waitForFinished());
    REQUIRE(kurvoctl.exitCode() == 0);
    REQUIRE(run({"plan", "apply", plan}));
    for (int tries = 0; tries < 100000 && namesIn(archive.path()).empty(); ++tries)
        ::usleep(200); // until the copy is being made
    kurvoctl.kill();
    REQUIRE(kurvoctl.waitForFinished());

    SECTION("the drive is there")
    {
        w.open();
        auto* dialog = w.dialog<QDialog>("recoveryDialog");
        const auto said = dialog->findChild<QLabel*>("recovered")->text().remove(QChar(0x200B));
        CHECK(said.contains(QString::fromStdString(large)));
        CHECK(((said.contains("was not moved and is where it was") && exists(large)) ||
               (said.contains("was finished") && exists(archive.path() + "/large.wav"))));
        CHECK(exists(large) != exists(archive.path() + "/large.wav"));
        for (const auto& folder : {w.t / "place", archive.path()})
            for (const auto& name : namesIn(folder))
                CHECK(name == "large.wav"); // nothing half is left
        QTest::mouseClick(dialog->findChild<QPushButton*>("recoverGo"), Qt::LeftButton);
        REQUIRE(w.closed("recoveryDialog"));
        CHECK(w.window->stage() == Stage::Clear);
        CHECK(w.window->clearStage()->runView()->isVisible());
    }
    SECTION("the drive was unplugged: it waits, and is ended when it is back")
    {
        const auto elsewhere = w.t.folder("elsewhere");
        REQUIRE(
            std::system(("mount --move '" + archive.path() + "' '" + elsewhere + "' 2>/dev/null || (mount --bind '" +
                         archive.path() + "' '" + elsewhere + "' && umount '" + archive.path() + "')")
                            .c_str()) == 0);
        w.open();
        auto* dialog = w.dialog<QDialog>("recoveryDialog");
        CHECK(dialog->findChild<QLabel*>("recovered")->text().contains("is not there"));
        REQUIRE(
            std::system(("mount --move '" + elsewhere + "' '" + archive.path() + "' 2>/dev/null || (mount --bind '" +
                         elsewhere + "' '" + archive.path() + "' && umount '" + elsewhere + "')")
                            .c_str()) == 0);
        QTest::mouseClick(dialog->findChild<QPushButton*>("recoverGo"), Qt::LeftButton); // "Try again"
        REQUIRE(Window::until([&] { return namesIn(archive.path()) == std::vector<std::string>{} || !exists(large); }));
        w.settle();
        CHECK(exists(large) != exists(archive.path() + "/large.wav"));
    }
}

TEST_CASE("what is dropped on Clear in the rail is planned", "[window][clear]")
{
    ClearWindow w;
    w.start();
    w.select("dump");
    auto* button = w.window->findChild<app::Rail*>()->button(Stage::Clear);
    QMimeData items, text;
    items.setData(app::draggedItems, "1");
    text.setText("something else");
    for (auto* data : {&text, &items}) {
        QDragEnterEvent enter(QPoint(5, 5), Qt::CopyAction, data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(button, &enter);
        CHECK(enter.isAccepted() == (data == &items));
    }
    QDropEvent drop(QPointF(5, 5), Qt::CopyAction, &items, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(button, &drop);
    REQUIRE(w.planned("dump"));
    CHECK(button->accessibleDescription().contains("1"));
}

TEST_CASE("a plan is handed over as a file, and a damaged one is put aside", "[window][clear]")
{
    ClearWindow w;
    w.start();
    w.models().plan.planItem(w.node(w.p + "/dump"), {Action::Delete, {}, false});
    w.models().plan.planTrash(w.node(w.p + "/old.log"));
    w.models().keeper.savePlan(w.t / "plan.json");
    REQUIRE(Window::until([&] { return exists(w.t / "plan.json"); }));
    w.models().plan.clearPlan();
    w.models().keeper.openPlan(w.t / "plan.json");
    REQUIRE(Window::until([&] { return w.place()->plan.items().size() == 2; }));
    CHECK(w.planned("dump")->action == Action::Delete);
    w.key(Qt::Key_Z, Qt::ControlModifier); // as one change
    CHECK(w.place()->plan.empty());
    writeAll(w.t / "bad.json", "{\"format\": \"kurvo-plan\"");
    w.models().keeper.openPlan(w.t / "bad.json");
    REQUIRE(Window::until([&] { return w.notice().contains("is not valid JSON"); }));
    CHECK(w.place()->plan.empty());

    w.models().plan.planTrash(w.node(w.p + "/dump"));
    REQUIRE(w.window->close());
    w.window.reset();
    const auto kept = w.folders.data + "/plans/" + namesIn(w.folders.data + "/plans").front();
    writeAll(kept, "half a pl");
    w.open();
    w.start();
    REQUIRE(Window::until([&] { return w.notice().contains("was set aside"); }));
    CHECK(readAll(kept + ".damaged") == "half a pl");
    CHECK(w.place()->plan.empty());
}

TEST_CASE("a damaged logbook is said, left as it is, and nothing is carried out without one", "[window][clear]")
{
    ClearWindow w;
    w.window.reset();
    w.t.folder("home/data/kurvo");
    writeAll(w.folders.data + "/logbook.db", std::string(5000, 'x'));
    w.open();
    REQUIRE(Window::until([&] { return w.notice().contains("damaged"); }));
    w.start();
    w.models().plan.planTrash(w.node(w.p + "/dump"));
    w.models().runner.carryOutPlan();
    w.settle();
    CHECK(exists(w.p + "/dump"));
    CHECK(readAll(w.folders.data + "/logbook.db") == std::string(5000, 'x'));
}

// Runs as nobody in a process of its own, started by the test below.
TEST_CASE("as anybody: what needs rights goes through the helper and comes back", "[.act-as-nobody]")
{
    const std::string place = std::getenv("KURVO_TEST_PLACE"), helper = std::getenv("KURVO_TEST_HELPER");
    Window w;
    w.scan(place);
    w.models().plan.planTrash(w.node(place + "/mine"));
    w.models().plan.planItem(w.node(place + "/system/huge.log"), {Action::Delete, {}, false});
    w.models().plan.planTrash(w.node(place + "/system/old"));
    w.key(Qt::Key_5, Qt::ControlModifier);
    w.settle();
    CHECK(w.text("planChecked").endsWith("1 ready · 2 held back"));
    auto* rights = w.child<QPushButton>("carryOutWithRights");
    CHECK(rights->text() == "2 items with administrator rights…");
    const auto ask = [&](const std::vector<std::string>& command) {
        w.models().rights.setHelperCommand(command);
        w.click("carryOutWithRights");
        auto* asked = w.dialog<QDialog>("confirmDialog");
        CHECK(asked->findChild<QTreeWidget*>("confirmList")->topLevelItemCount() == 2); // before the password
        QTest::keyClick(asked->findChild<QCheckBox*>("confirmCount"), Qt::Key_Space);
        QTest::keyClick(asked->findChild<QPushButton*>("confirm"), Qt::Key_Return);
        w.settle();
    };
    // Refused, killed, nobody to ask: said, and nothing changes.
    const std::pair<const char*, const char*> refusals[] = {
        {"exit 126", "refused"}, {"kill -9 $$", "ended before its work was done"}, {"exit 127", "act-helper --digest"}};
    for (const auto& [script, said] : refusals) {
        const auto file = w.t.text("refuse", std::string("#!/bin/sh\n") + script + "\n");
        REQUIRE(::chmod(file.c_str(), 0755) == 0);
        ask({file, "helper"});
        INFO(w.notice().toStdString());
        CHECK(w.notice().contains(said));
        CHECK(exists(place + "/system/huge.log"));
    }
    if (std::getenv("KURVO_TEST_TERMINAL")) {
        // The command that was shown, in a terminal; the window sees what came of it when it is looked at again.
        ask({"/no/such/program", helper, "helper"});
        const auto shown = w.notice().section("In a terminal: sudo ", -1).section(" – then", 0, 0);
        REQUIRE(std::system((shown + " >/dev/null").toLocal8Bit().constData()) == 0);
        w.models().runner.lookAtTerminal();
        REQUIRE(Window::until([&] { return w.place()->plan.items().size() == 1; }));
        w.settle();
    } else {
        ask({helper, "helper"});
    }
    CHECK_FALSE(exists(place + "/system/huge.log"));
    CHECK_FALSE(exists(place + "/system/old"));
    CHECK(exists(place + "/mine")); // that was not asked for
    CHECK(w.place()->plan.items().size() == 1);
    CHECK(exists(w.folders.user.data + "/Trash/files/old/film"));
    // The logbook is the user's, as always, and so is the way back, with rights again.
    struct stat s { };
    REQUIRE(::stat((w.folders.data + "/logbook.db").c_str(), &s) == 0);
    CHECK(s.st_uid == ::getuid());
    REQUIRE(::stat((w.folders.user.data + "/Trash/info/old.trashinfo").c_str(), &s) == 0);
    CHECK(s.st_uid == ::getuid());
    w.window->clearStage()->showRun(w.models().logbook.history().front().run.id);
    CHECK_FALSE(w.child<QPushButton>("undoWithRights")->isVisible());
    w.click("undoRun");
    w.settle();
    CHECK_FALSE(exists(place + "/system/old")); // not without them
    w.models().rights.setHelperCommand({helper, "helper"});
    w.click("undoWithRights");
    w.settle();
    CHECK(exists(place + "/system/old/film"));
}

TEST_CASE("items that need rights: the list is shown, the helper acts, the logbook is the user's", "[window][clear]")
{
    if (::geteuid() != 0) {
        WARN("needs root to start a helper with rights; skipped");
        return;
    }
    const bool terminal = GENERATE(false, true);
    const TmpfsMount log("/var/lib/kurvo"); // not this machine's
    REQUIRE(::chmod(log.path().c_str(), 0700) == 0);
    TestFolder t;
    t.file("place/system/huge.log", 900000);
    t.file("place/system/old/film", 500000);
    t.file("place/mine", 1000);
    REQUIRE(::chmod(t.path().c_str(), 0755) == 0);
    REQUIRE(::chmod((t / "place").c_str(), 0777) == 0);
    REQUIRE(::chown((t / "place/mine").c_str(), 65534, 65534) == 0);
    REQUIRE(::chmod((t / "place/system").c_str(), 0755) == 0);
    std::filesystem::copy_file("/proc/self/exe", t / "tests");
    std::filesystem::copy_file(KURVOCTL, t / "helper");
    REQUIRE(::chmod((t / "helper").c_str(), 04755) == 0);
    t.folder("out");
    REQUIRE(::chmod((t / "out").c_str(), 0777) == 0);
    const auto status = asNobody([&] {
        ::setenv("KURVO_TEST_PLACE", (t / "place").c_str(), 1);
        ::setenv("KURVO_TEST_HELPER", (t / "helper").c_str(), 1);
        ::setenv("ASAN_OPTIONS", "detect_leaks=0", 1); // looking for leaks needs ptrace, which the helper gives away
        for (const char* variable : {"HOME", "TMPDIR"})
            ::setenv(variable, (t / "out").c_str(), 1);
        for (const char* variable : {"XDG_RUNTIME_DIR", "XDG_DATA_HOME", "XDG_CONFIG_HOME"})
            ::unsetenv(variable);
        if (terminal)
            ::setenv("KURVO_TEST_TERMINAL", "1", 1);
        ::execl((t / "tests").c_str(), "tests", "[.act-as-nobody]", nullptr);
        return false;
    });
    CHECK(status == 0);
}
