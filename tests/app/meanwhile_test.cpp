// SPDX-License-Identifier: GPL-3.0-or-later
// Answers that come when what they were asked about is gone: nothing falls, and nothing is said of something else.
#include <catch2/catch.hpp>

#include <QDragEnterEvent>
#include <QMimeData>

#include <sys/stat.h>

#include <filesystem>

#include "app/panels/advice_panel.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::app;
using namespace kurvo::test;

TEST_CASE("what the machine says of an item comes when its place is closed, or read again", "[window][meanwhile]")
{
    Window w;
    for (int i = 0; i < 300; ++i)
        w.t.file("large/" + std::to_string(i), 4096);
    w.t.file("small/only", 4096);
    w.scan(w.t / "small");
    w.scan(w.t / "large");
    w.key(Qt::Key_2, Qt::ControlModifier);
    w.models().cursor.select(w.node(w.t / "large/299"));
    w.key(Qt::Key_1, Qt::ControlModifier); // the dossier is not seen, its question stands
    SECTION("another place is looked at, in which there is no such id")
    {
        w.models().places.closePlace(1);
    }
    SECTION("the same place with fewer")
    {
        std::filesystem::remove_all(w.t / "large");
        w.t.file("large/1", 4096);
        w.models().scans.rescan(rootNode);
        w.settle();
    }
    SECTION("none is left")
    {
        w.models().places.closePlace(1);
        w.models().places.closePlace(0);
    }
    QTest::qWait(400);
    w.window->grab();
}

TEST_CASE("the largest file is looked for while another place is brought up", "[window][meanwhile]")
{
    Window w;
    for (int i = 0; i < 300; ++i)
        w.t.file("large/" + std::to_string(i), i < 299 ? 4096 : 400000);
    for (int i = 0; i < 400; ++i) // the other place has such an id as well
        w.t.file("small/" + std::to_string(i), 4096);
    w.scan(w.t / "small");
    w.scan(w.t / "large");
    w.key(Qt::Key_2, Qt::ControlModifier);
    w.key(Qt::Key_L);
    w.models().places.showPlace(0);
    w.settle();
    CHECK(w.place()->selection == noNode); // that was not asked about this place
    w.models().places.showPlace(1);
    w.key(Qt::Key_L);
    REQUIRE(Window::until([&] { return w.selected() == w.t / "large/299"; }));
}

TEST_CASE("the window is closed while a reading with rights waits for its password", "[window][meanwhile]")
{
    // Also for root, who can read everything, there is something that could not be read.
    Window w;
    w.t.file("place/a", 4096);
    const auto command = w.t.text("waits", "#!/bin/sh\nsleep 30\n");
    REQUIRE(::chmod(command.c_str(), 0755) == 0);
    w.models().rights.setHelperCommand({command, "helper"});
    w.models().scans.setScanner(
        [](const std::string& path, const ScanOptions& options, std::stop_token stop, ScanProgress* progress) {
            auto result = scan(path, options, stop, progress);
            auto store = std::make_shared<NodeStore>(result->tree->name(rootNode));
            NodeStore::NameWriter names(*store);
            NewNode shut;
            shut.name = "shut";
            shut.stat.kind = EntryKind::Folder;
            shut.flags = FlagUnreadable;
            store->append(rootNode, {&shut, 1}, names);
            store->seal();
            result->tree = std::make_shared<FileTree>(std::move(store));
            return result;
        });
    w.models().scans.scanFolder(w.t / "place", {}, {}, true);
    REQUIRE(Window::until([&] { return w.models().rights.rightsJob() != nullptr; }));
    w.window.reset();
    CHECK_FALSE(w.window);
}

TEST_CASE("a drag that brings a list of no files is not taken", "[window][meanwhile]")
{
    Window w;
    QMimeData nothing;
    nothing.setData("text/uri-list", {});
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &nothing, Qt::LeftButton, Qt::NoModifier);
    enter.ignore();
    QCoreApplication::sendEvent(w.window.get(), &enter);
    CHECK_FALSE(enter.isAccepted());
    QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &nothing, Qt::LeftButton, Qt::NoModifier);
    QCoreApplication::sendEvent(w.window.get(), &drop);
    CHECK(w.models().places.places().empty());
}

TEST_CASE("another theme compares nothing anew", "[window][meanwhile]")
{
    Window w;
    w.t.file("place/a", 4096);
    w.scan(w.t / "place");
    w.t.file("place/b", 40000);
    QTest::qWait(1100);
    w.scan(w.t / "place");
    w.key(Qt::Key_4, Qt::ControlModifier);
    auto& comparing = w.window->compareStage()->comparing();
    REQUIRE(Window::until([&] { return !comparing.isBusy() && comparing.comparison(); }));
    const auto before = comparing.comparison();
    w.window->themeControl().choose(ThemeChoice::Dark);
    QTest::qWait(100);
    CHECK(comparing.comparison() == before);
    w.window->themeControl().choose(ThemeChoice::Light);
}
