// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <set>

#include <QClipboard>

#include "app/style/words.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

/// Sizes far enough apart that the order of everything is known.
struct ExploreWindow : Window {
    std::string p;
    ExploreWindow()
    {
        p = t / "place";
        t.file("place/heavy/.cache/tiles.db", 6 << 20);
        t.file("place/heavy/.cache/index", 1 << 20);
        t.file("place/heavy/film.mkv", 3 << 20);
        t.file("place/light/notes.txt", 100000);
        t.file("place/song.flac", 2 << 20);
        for (int i = 0; i < 60; ++i)
            t.file("place/many/small-" + std::to_string(i), 4096);
        t.folder("place/empty");
        scan(p);
    }
    app::PictureView* map() { return window->exploreStage()->picture(); }
    QListView* list() { return window->exploreStage()->descent()->list(); }
    QModelIndex rowOf(const QString& name)
    {
        for (int row = 0; row < list()->model()->rowCount(); ++row)
            if (list()->model()->index(row, 0).data().toString() == name)
                return list()->model()->index(row, 0);
        return {};
    }
};

} // namespace

TEST_CASE("descent and treemap share focus and selection", "[window][explore]")
{
    ExploreWindow w;
    CHECK(w.list()->model()->index(0, 0).data().toString() == "heavy");
    CHECK(w.list()->model()->index(0, 0).data(app::DescentModel::SizeRole).toString() == "10.0 MiB");

    // select in the treemap: the descent shows it
    w.clickTile(w.p + "/song.flac");
    CHECK(w.selected() == w.p + "/song.flac");
    CHECK(w.list()->currentIndex().data().toString() == "song.flac");
    CHECK(w.text("dossierName") == "song.flac");

    // select in the descent: the treemap and the dossier show it
    const auto row = w.rowOf("light");
    QTest::mouseClick(w.list()->viewport(), Qt::LeftButton, {}, w.list()->visualRect(row).center());
    CHECK(w.selected() == w.p + "/light");
    CHECK(w.text("dossierName") == "light");
    CHECK(w.map()->accessibleDescription() == QString::fromStdString(w.p + "/light"));

    // something deep selects the child that holds it
    w.clickTile(w.p + "/heavy/.cache/tiles.db");
    CHECK(w.list()->currentIndex().data().toString() == "heavy");
}

TEST_CASE("going in and out, back and forward", "[window][explore]")
{
    ExploreWindow w;
    w.clickTile(w.p + "/heavy", true);
    CHECK(w.focused() == w.p + "/heavy");
    CHECK(w.rowOf(".cache").isValid());
    const auto row = w.rowOf(".cache");
    QTest::mouseClick(w.list()->viewport(), Qt::LeftButton, {}, w.list()->visualRect(row).center());
    QTest::keyClick(w.list(), Qt::Key_Return);
    CHECK(w.focused() == w.p + "/heavy/.cache");
    w.key(Qt::Key_Backspace);
    CHECK(w.focused() == w.p + "/heavy");
    w.key(Qt::Key_Left, Qt::AltModifier);
    CHECK(w.focused() == w.p + "/heavy/.cache");
    w.key(Qt::Key_Left, Qt::AltModifier);
    w.key(Qt::Key_Left, Qt::AltModifier);
    CHECK(w.focused() == w.p);
    CHECK_FALSE(w.models().cursor.canGoBack());
    w.key(Qt::Key_Right, Qt::AltModifier);
    CHECK(w.focused() == w.p + "/heavy");
    QTest::mouseClick(w.map(), Qt::BackButton, {}, QPoint(10, 10));
    CHECK(w.focused() == w.p);
    // a step of the chain
    w.models().cursor.setFocus(w.node(w.p + "/heavy/.cache"));
    auto* chain = w.window->exploreStage()->descent()->chain();
    QTest::mouseClick(chain, Qt::LeftButton, {}, chain->stepOf(w.node(w.p + "/heavy")).center());
    CHECK(w.focused() == w.p + "/heavy");
    w.key(Qt::Key_Backspace);
    w.key(Qt::Key_Backspace); // already at the top
    CHECK(w.focused() == w.p);
}

TEST_CASE("a double-click on a file shows the folder that holds it", "[window][explore]")
{
    ExploreWindow w;
    w.clickTile(w.p + "/heavy/film.mkv", true);
    CHECK(w.focused() == w.p + "/heavy");
}

TEST_CASE("following the weight stops where it spreads", "[window][explore]")
{
    ExploreWindow w;
    w.click("follow");
    CHECK(w.focused() == w.p + "/heavy");             // 10.0 of 12.4 MiB; its own largest holds 7 of those 10
    CHECK(w.text("passed").contains(">heavy</a> 8")); // which way, each level with its share
    w.key(Qt::Key_W);
    CHECK(w.focused() == w.p + "/heavy");
    CHECK(w.notice().contains("80 %"));
}

TEST_CASE("arrows walk among tiles, Ctrl with them between levels", "[window][explore]")
{
    ExploreWindow w;
    w.map()->setFocus();
    QTest::keyClick(w.map(), Qt::Key_Right);
    CHECK(w.selected() == w.p + "/heavy"); // the first one
    QTest::keyClick(w.map(), Qt::Key_Right);
    const auto second = w.selected();
    CHECK(second != w.p + "/heavy");
    QTest::keyClick(w.map(), Qt::Key_Left);
    CHECK(w.selected() == w.p + "/heavy");
    QTest::keyClick(w.map(), Qt::Key_Down, Qt::ControlModifier);
    CHECK(w.selected() == w.p + "/heavy/.cache");
    QTest::keyClick(w.map(), Qt::Key_Up, Qt::ControlModifier);
    CHECK(w.selected() == w.p + "/heavy");
    QTest::keyClick(w.map(), Qt::Key_Return);
    CHECK(w.focused() == w.p + "/heavy");
}

TEST_CASE("hovering names what is under the pointer", "[window][explore]")
{
    ExploreWindow w;
    const auto song = w.node(w.p + "/song.flac");
    QTest::mouseMove(w.map(), w.map()->pointOf(song));
    REQUIRE(Window::until([&] { return w.models().cursor.hover() == song; }));
    CHECK(w.pointerLine().startsWith(QString::fromStdString(w.p + "/song.flac")));
    CHECK(w.pointerLine().contains("2.00 MiB"));
    CHECK(w.pointerLine().contains("Audio, FLAC audio"));
    QTest::mouseMove(w.map(), w.map()->pointOf(w.node(w.p + "/heavy/.cache/tiles.db")));
    REQUIRE(Window::until([&] { return w.pointerLine().contains("hidden, in .cache"); }));
}

TEST_CASE("hidden tiles are hatched, planned ones crossed, in the picture itself", "[window][explore]")
{
    ExploreWindow w;
    const auto grab = [&] { return w.map()->grab().toImage(); };
    const auto colours = [&](NodeId n) {
        const auto image = grab();
        const auto centre = w.map()->pointOf(n) + QPoint(0, 20);
        std::set<QRgb> seen;
        for (int dx = -6; dx <= 6; ++dx)
            seen.insert(image.pixel(centre + QPoint(dx, 0)));
        return seen;
    };
    const auto song = w.node(w.p + "/song.flac"), tiles = w.node(w.p + "/heavy/.cache/tiles.db");
    CHECK(colours(song).size() == 1);  // flat
    CHECK(colours(tiles).size() == 2); // two tones
    const auto before = colours(song);
    w.models().plan.planTrash(song);
    CHECK(colours(song) != before); // faded
    w.models().plan.unplan(std::vector{song});
    CHECK(colours(song) == before);
}

TEST_CASE("what is small is gathered into a rest that opens", "[window][explore]")
{
    ExploreWindow w;
    w.models().cursor.setFocus(w.node(w.p + "/many"));
    // all sixty are equal and each above one part in two hundred: none is small
    CHECK(w.list()->model()->rowCount() == 60);
    TestFolder t;
    t.file("p/big", 8 << 20);
    for (int i = 0; i < 40; ++i)
        t.file("p/f" + std::to_string(i), 4096);
    w.scan(t / "p");
    CHECK(w.list()->model()->rowCount() == 13);
    const auto rest = w.list()->model()->index(12, 0);
    CHECK(rest.data().toString() == "rest: 29 items");
    w.list()->scrollTo(rest);
    QTest::mouseClick(w.list()->viewport(), Qt::LeftButton, {}, w.list()->visualRect(rest).center());
    QTest::mouseDClick(w.list()->viewport(), Qt::LeftButton, {}, w.list()->visualRect(rest).center());
    CHECK(w.list()->model()->rowCount() == 41);
}

TEST_CASE("selecting something in the rest opens it in the descent", "[window][explore]")
{
    Window w;
    w.t.file("p/big", 8 << 20);
    for (int i = 0; i < 40; ++i)
        w.t.file("p/f" + std::to_string(i), 4096);
    w.scan(w.t / "p");
    w.models().cursor.select(w.node(w.t / "p/f39"));
    auto* list = w.window->exploreStage()->descent()->list();
    CHECK(list->currentIndex().data().toString() == "f39");
}

TEST_CASE("the measure changes every view", "[window][explore]")
{
    ExploreWindow w;
    w.choose("measure", "file count");
    CHECK(w.models().places.measure() == Measure::Files);
    CHECK(w.list()->model()->index(0, 0).data().toString() == "many");
    CHECK(w.list()->model()->index(0, 0).data(app::DescentModel::SizeRole).toString() == "60");
    CHECK(w.map()->picture()->cell(1).node == w.node(w.p + "/many"));
}

TEST_CASE("a folder whose bulk is hidden says so", "[window][explore]")
{
    ExploreWindow w;
    w.models().cursor.setFocus(w.node(w.p + "/heavy"));
    bool said = false;
    for (const auto* label : w.window->exploreStage()->descent()->findChildren<QLabel*>())
        said |= label->isVisible() && label->text().contains("is hidden");
    CHECK(said);
    w.models().cursor.setFocus(w.node(w.p + "/heavy/.cache"));
    for (const auto* label : w.window->exploreStage()->descent()->findChildren<QLabel*>())
        CHECK_FALSE((label->isVisible() && label->text().contains("is hidden")));
}

TEST_CASE("empty folders and sizeless ones say what they are", "[window][explore]")
{
    ExploreWindow w;
    w.models().cursor.setFocus(w.node(w.p + "/empty"));
    CHECK(w.map()->picture()->size() == 1);
    w.map()->grab();
    CHECK(w.list()->model()->rowCount() == 0);
    w.key(Qt::Key_H);
    REQUIRE(Window::until([&] { return w.notice() == "There is no hidden file in here."; }));
    w.key(Qt::Key_L);
    REQUIRE(Window::until([&] { return w.notice() == "There is no file in here."; }));
}

TEST_CASE("odd names are shown and found", "[window][explore]")
{
    Window w;
    const std::string odd = "\xff\xfe\n" + std::string(180, 'x');
    w.t.file("place/" + odd, 1 << 20);
    w.scan(w.t / "place");
    w.clickTile(w.t / ("place/" + odd));
    CHECK(w.text("dossierName").contains(QChar(0xFFFD)));
    w.window->grab();
    w.click("copyPath");
    CHECK(w.notice() == "The path is in the clipboard.");
}

TEST_CASE("path to the clipboard, and items that are gone", "[window][explore]")
{
    ExploreWindow w;
    w.clickTile(w.p + "/song.flac");
    w.key(Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(QGuiApplication::clipboard()->text() == QString::fromStdString(w.p + "/song.flac"));
    REQUIRE(::unlink((w.p + "/song.flac").c_str()) == 0);
    w.click("open");
    REQUIRE(Window::until([&] { return w.notice().contains("is no longer there"); }));
    w.window->findChild<app::NoticeBar*>()->hide();
    w.click("showInFiles");
    REQUIRE(Window::until([&] { return w.window->findChild<app::NoticeBar*>()->isVisible(); }));
}

TEST_CASE("linked files say where they are counted", "[window][explore]")
{
    Window w;
    w.t.file("place/b/second", 1 << 20);
    w.t.link("place/b/second", "place/a/first");
    w.scan(w.t / "place");
    w.models().cursor.setHover(w.node(w.t / "place/b/second"));
    CHECK(w.pointerLine().contains("linked, counted at"));
    CHECK(w.pointerLine().contains("/place/a/first"));
    w.models().cursor.select(w.node(w.t / "place/b/second"));
    bool said = false;
    for (const auto* label : w.child<QWidget>("dossier")->findChildren<QLabel*>())
        said |= label->text().startsWith("2 in all") && label->text().contains("first");
    CHECK(said);
}
