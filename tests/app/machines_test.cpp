// SPDX-License-Identifier: GPL-3.0-or-later
// Other machines in the window: an address that is typed, a scanner that is sent when that was agreed to, the list.
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <cstdlib>
#include <filesystem>

#include "app/dialogs/machines_dialog.h"
#include "app/window_fixture.h"
#include "core/remote/ssh_scan.h"
#include "core/snapshot/catalogue.h"
#include "support/slow_machine.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

/// Runs what would be run on the other machine here; `path`: where its programs are; `as`: what makes it another
/// user's.
struct ThisMachine {
    TestFolder t;
    explicit ThisMachine(const std::string& path, const std::string& as = {})
    {
        t.text("ssh", "#!/bin/sh\nfor last; do :; done\nPATH='" + path + "':/usr/bin:/bin; export PATH\nTMPDIR='" +
                          t.folder("tmp") + "'; export TMPDIR\nexec " + as + "/bin/sh -c \"$last\"\n");
        ::chmod((t / "ssh").c_str(), 0755);
        ::setenv("KURVO_SSH", (t / "ssh").c_str(), 1);
    }
    ~ThisMachine() { ::unsetenv("KURVO_SSH"); }
};

const std::string programs = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));

app::MachinesDialog* openDialog(Window& w)
{
    w.activate();
    w.window->setStage(Stage::Scan);
    QTest::keyClick(w.window.get(), Qt::Key_M, Qt::ControlModifier | Qt::ShiftModifier);
    REQUIRE(Window::until([&] { return w.window->findChild<app::MachinesDialog*>() != nullptr; }));
    return w.window->findChild<app::MachinesDialog*>();
}

} // namespace

TEST_CASE("a place on another machine is scanned, kept and shown", "[window][machines]")
{
    Window w;
    w.t.file("there/films/long.mkv", 900000);
    const ThisMachine machine(programs);
    auto* dialog = openDialog(w);
    auto* address = dialog->findChild<QLineEdit*>("machineAddress");
    QTest::keyClicks(address, "no address");
    QTest::keyClick(address, Qt::Key_Return);
    auto* problem = dialog->findChild<QLabel*>("machineProblem");
    CHECK(problem->isVisible());
    CHECK(problem->text().contains("no address such as"));
    address->clear();
    QTest::keyClicks(address, QString::fromStdString("warden@desk:" + (w.t / "there")));
    QTest::keyClick(address, Qt::Key_Return);
    REQUIRE(Window::until([&] { return w.place() && w.place()->info.place == w.t / "there"; }));
    w.settle(); // it grew until then
    CHECK(w.place()->fromSnapshot);
    CHECK(w.place()->tree->sums(rootNode).files == 1);
    CHECK(readCatalogue(w.folders.snapshots()).entries.size() == 1);
}

TEST_CASE("what could not be read on another machine is told when its scan has ended", "[window][machines]")
{
    Window w;
    w.t.file("there/films/long.mkv", 900000);
    w.t.file("there/locked/key", 10);
    const bool several = GENERATE(false, true);
    if (several)
        w.t.file("there/shut/key", 10);
    for (const auto* folder : {"there/locked", "there/shut"})
        (void)::chmod((w.t / folder).c_str(), 0);
    ::chmod(w.t.path().c_str(), 0755);
    const ThisMachine machine(programs, ::geteuid() == 0 ? "setpriv --reuid 65534 --regid 65534 --clear-groups " : "");
    ::chmod(machine.t.path().c_str(), 0755);
    w.models().scans.scanMachine(*parseAddress("desk:" + (w.t / "there")), false);
    w.settle();
    REQUIRE(w.place());
    CHECK(w.place()->tree->sums(rootNode).unreadable == (several ? 2 : 1));
    CHECK(w.notice().contains(several ? "2 entries could not be read" : "locked could not be read"));
    CHECK(w.notice().contains("missing from all figures"));
    w.window->setStage(Stage::Explore);
    CHECK(w.child<QPushButton>("notRead")->text().contains(several ? "2 not read" : "1 not read"));
    for (const auto* folder : {"there/locked", "there/shut"})
        (void)::chmod((w.t / folder).c_str(), 0700);
}

TEST_CASE("a place on another machine grows while it is scanned, and nothing jumps at its end", "[window][machines]")
{
    Window w;
    w.t.file("there/films/long.mkv", 900000);
    w.t.file("there/papers/a.odt", 40000);
    SlowMachine machine(w.t / "there");
    ::setenv("KURVO_SSH", machine.ssh().c_str(), 1);
    w.models().scans.scanMachine(*parseAddress("desk:" + (w.t / "there")), false);
    REQUIRE(Window::until([&] { return w.place() && w.place()->tree->sums(rootNode).files == 2; }));
    CHECK(w.place()->isGrowing());
    CHECK(w.place()->fromSnapshot); // nothing of it can be acted on here
    CHECK(w.place()->info.place == w.t / "there");
    w.click("exploreScan");
    w.models().cursor.setFocus(w.node(w.t / "there/papers"));
    w.models().cursor.select(w.node(w.t / "there/papers/a.odt"));
    SECTION("to its end")
    {
        machine.letGo();
        REQUIRE(Window::until([&] { return w.place() && !w.place()->isGrowing(); }));
        CHECK(w.focused() == w.t / "there/papers");
        CHECK(w.selected() == w.t / "there/papers/a.odt");
        CHECK(w.models().scans.scans().empty());
        REQUIRE(readCatalogue(w.folders.snapshots()).entries.size() == 1);
        CHECK(w.place()->snapshotFile == readCatalogue(w.folders.snapshots()).entries[0].path);
    }
    SECTION("until the connection is lost")
    {
        machine.cut();
        REQUIRE(Window::until([&] { return !w.place(); }));
        CHECK(w.notice().contains("desk"));
        CHECK(w.models().scans.scans().empty());
        CHECK(readCatalogue(w.folders.snapshots()).entries.empty());
    }
    ::unsetenv("KURVO_SSH");
}

TEST_CASE("nothing is sent to another machine before somebody agreed", "[window][machines]")
{
    if (ownScanner().empty())
        return; // a sanitizer's build has none
    Window w;
    w.t.file("there/films/long.mkv", 900000);
    const ThisMachine machine("/nowhere");
    auto* dialog = openDialog(w);
    const auto type = [&] {
        auto* address = dialog->findChild<QLineEdit*>("machineAddress");
        QTest::keyClicks(address, QString::fromStdString("desk:" + (w.t / "there")));
        QTest::keyClick(address, Qt::Key_Return);
        REQUIRE(Window::until([&] { return w.window->findChild<QDialog*>("sendScanner") != nullptr; }));
        return w.window->findChild<QDialog*>("sendScanner");
    };
    auto* question = type();
    CHECK_FALSE(w.place());
    QTest::keyClick(question, Qt::Key_Escape);
    REQUIRE(Window::until([&] { return w.window->findChild<QDialog*>("sendScanner") == nullptr; }));
    CHECK_FALSE(w.place());
    dialog = openDialog(w);
    question = type();
    QTest::mouseClick(question->findChild<QPushButton*>("send"), Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    CHECK(w.place()->tree->sums(rootNode).files == 1);
    CHECK(namesIn(machine.t / "tmp").empty());
}

TEST_CASE("the machines of the list stand in the window, with what failed", "[window][machines]")
{
    Window w;
    w.t.file("there/films/long.mkv", 900000);
    const auto config = w.folders.user.config;
    std::filesystem::create_directories(config + "/kurvo");
    writeAll(config + "/kurvo/machines.toml", "[[machine]]\nname = \"desk\"\nplaces = [\"" + (w.t / "there") +
                                                  "\"]\n[[machine]]\nname = \"bench\"\nsudu = true\n"
                                                  "[[machine]]\nname = \"rack\"\n");
    MachineBook book;
    book[{"rack", "/"}].failed = "No route to host";
    std::filesystem::create_directories(w.folders.data);
    REQUIRE(writeMachineBook(w.folders.data + "/machines.json", book));
    const ThisMachine machine(programs);
    auto* dialog = openDialog(w);
    REQUIRE(Window::until([&] { return dialog->table()->rowCount() == 2; }));
    CHECK(dialog->table()->item(0, 0)->text() == "desk");
    CHECK(dialog->table()->item(0, 6)->text() == "not yet");
    CHECK(dialog->table()->item(1, 6)->text().contains("No route to host"));
    CHECK(dialog->findChild<QLabel*>("machinesState")->text().contains("machines.toml:6:"));
    CHECK_FALSE(dialog->findChild<QPushButton*>("openMachine")->isEnabled());
    dialog->table()->selectRow(0);
    QTest::mouseClick(dialog->findChild<QPushButton*>("scanChosen"), Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    CHECK(w.place()->info.place == w.t / "there");
}
