// SPDX-License-Identifier: GPL-3.0-or-later
// Sunburst, file types, colours, depth, what is lit, and taking it along; the treemap is in explore_test.cpp.
#include <catch2/catch.hpp>

#include <random>
#include <set>

#include <QAccessible>
#include <QClipboard>
#include <QFileDialog>
#include <QImage>
#include <QSlider>
#include <QWheelEvent>

#include "app/pictures/picture.h"
#include "app/style/words.h"
#include "app/window_fixture.h"
#include "core/snapshot/catalogue.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct PictureWindow : Window {
    std::string p;
    PictureWindow()
    {
        p = t / "place";
        t.file("place/films/a.mkv", 6 << 20, 1600000000);
        t.file("place/films/old/b.mkv", 2 << 20, 1100000000);
        t.file("place/songs/c.flac", 4 << 20);
        t.file("place/songs/.drafts/d.flac", 1 << 20);
        t.file("place/mail.db", 1 << 20);
        scan(p);
        window->exploreStage()->picture()->setMotion(false);
    }
    app::ExploreStage* stage() { return window->exploreStage(); }
    app::PictureView* picture() { return stage()->picture(); }
    QTreeWidget* types() { return stage()->types()->list(); }
    QTreeWidgetItem* band(const QString& name)
    {
        for (int i = 0; i < types()->topLevelItemCount(); ++i)
            if (types()->topLevelItem(i)->text(0) == name)
                return types()->topLevelItem(i);
        return nullptr;
    }
    void pressLegend(const QString& name)
    {
        auto* legend = stage()->legend();
        REQUIRE(until([&] {
            return std::any_of(legend->entries().begin(), legend->entries().end(),
                               [&](const auto& e) { return e.name == name && !e.rect.isNull(); });
        }));
        for (const auto& entry : legend->entries())
            if (entry.name == name)
                return QTest::mouseClick(legend, Qt::LeftButton, {}, entry.rect.center());
    }
    void wheel(const QPoint& at, int notches)
    {
        QWheelEvent event(at, picture()->mapToGlobal(at), {}, {0, 120 * notches}, Qt::NoButton, Qt::ControlModifier,
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(picture(), &event);
    }
    QRgb pixel(NodeId node)
    {
        const auto image = picture()->grab().toImage();
        return image.pixel(picture()->pointOf(node) + QPoint(0, 6));
    }
};

} // namespace

TEST_CASE("a picture painted a few cells at a time is the one that is painted at once", "[window][picture]")
{
    PictureWindow w;
    for (int i = 0; i < 120; ++i)
        w.t.file("place/many/" + std::to_string(i), static_cast<std::uint64_t>(20000 + 900 * i));
    w.scan(w.p);
    w.models().plan.planTrash(w.node(w.p + "/films/a.mkv")); // crossed through, above all others
    const auto kind = GENERATE(app::PictureKind::Treemap, app::PictureKind::Sunburst);
    w.models().view.setPicture(kind);
    const QSize size(700, 500);
    const auto picture = app::layOutPicture(*w.place(), size);
    REQUIRE(picture->size() > 50);
    const app::CellColours colours(*w.place(), Measure::Disk);
    const auto image = [&size] {
        QImage blank(size, QImage::Format_RGB32);
        blank.fill(Qt::black);
        return blank;
    };
    auto atOnce = image(), inSteps = image();
    {
        QPainter painter(&atOnce);
        picture->paint(painter, colours);
    }
    int steps = 0;
    for (int cell = 0; cell < picture->size(); ++steps) {
        QPainter painter(&inSteps);
        const int next = picture->paintSome(painter, colours, cell, std::chrono::nanoseconds(0));
        REQUIRE(next > cell);
        cell = next;
    }
    CHECK(steps > 3);
    CHECK(inSteps == atOnce);
    CHECK(atOnce != image());
}

TEST_CASE("the sunburst by mouse: select, into, the centre is the way up", "[window][picture]")
{
    PictureWindow w;
    w.click("showSunburst");
    CHECK(w.models().places.view().picture == app::PictureKind::Sunburst);
    CHECK(w.picture()->accessibleName() == "Sunburst");
    w.clickTile(w.p + "/songs");
    CHECK(w.selected() == w.p + "/songs");
    CHECK(w.text("dossierName") == "songs");
    QTest::mouseMove(w.picture(), w.picture()->pointOf(w.node(w.p + "/films/a.mkv")));
    CHECK(w.pointerLine().contains("films/a.mkv"));
    w.clickTile(w.p + "/films", true);
    CHECK(w.focused() == w.p + "/films");
    const auto centre = w.picture()->picture()->middle(0).toPoint();
    QTest::mouseClick(w.picture(), Qt::LeftButton, {}, centre);
    CHECK(w.focused() == w.p);
    CHECK(w.selected() == w.p + "/films");
    QTest::mouseClick(w.picture(), Qt::LeftButton, Qt::ControlModifier, w.picture()->pointOf(w.node(w.p + "/mail.db")));
    CHECK(w.text("dossierName") == "2 items selected");
    const auto sum = w.place()->tree->disk(w.node(w.p + "/films")) + w.place()->tree->disk(w.node(w.p + "/mail.db"));
    CHECK(w.text("dossierSize") == app::sizeText(sum));
}

TEST_CASE("the sunburst by key", "[window][picture]")
{
    PictureWindow w;
    w.key(Qt::Key_2, Qt::AltModifier);
    w.picture()->setFocus();
    QTest::keyClick(w.picture(), Qt::Key_Right);
    CHECK(w.selected() == w.p + "/films");
    QTest::keyClick(w.picture(), Qt::Key_Right);
    CHECK(w.selected() == w.p + "/songs");
    QTest::keyClick(w.picture(), Qt::Key_Up); // outwards
    CHECK(w.selected() == w.p + "/songs/c.flac");
    QTest::keyClick(w.picture(), Qt::Key_Left); // over the edge of the folder
    CHECK(w.selected() == w.p + "/films/old");
    QTest::keyClick(w.picture(), Qt::Key_Down);
    CHECK(w.selected() == w.p + "/films");
    QTest::keyClick(w.picture(), Qt::Key_Return);
    CHECK(w.focused() == w.p + "/films");
    w.key(Qt::Key_Backspace);
    CHECK(w.focused() == w.p);
    w.key(Qt::Key_Minus);
    CHECK(w.models().places.view().depth() == 5);
    for (int i = 0; i < 8; ++i)
        w.key(Qt::Key_Minus);
    CHECK(w.child<QSlider>("depth")->value() == 1);
    CHECK(w.picture()->pointOf(w.node(w.p + "/films/a.mkv")).isNull()); // only one ring is drawn
    w.key(Qt::Key_Plus);
    CHECK_FALSE(w.picture()->pointOf(w.node(w.p + "/films/a.mkv")).isNull());
}

TEST_CASE("Ctrl with the wheel goes in at the pointer and out", "[window][picture]")
{
    PictureWindow w;
    const auto at = w.picture()->pointOf(w.node(w.p + "/films/old/b.mkv"));
    w.wheel(at, 1);
    CHECK(w.focused() == w.p + "/films");
    w.wheel(w.picture()->pointOf(w.node(w.p + "/films/a.mkv")), 1); // a file: no further
    CHECK(w.focused() == w.p + "/films");
    w.wheel(QPoint(5, 5), -1);
    CHECK(w.focused() == w.p);
    w.wheel(QPoint(5, 5), -1);
    CHECK(w.focused() == w.p);
}

TEST_CASE("going into a folder moves, unless motion is switched off", "[window][picture]")
{
    PictureWindow w;
    w.picture()->grab();
    w.picture()->setMotion(true);
    w.models().cursor.setFocus(w.node(w.p + "/films"));
    CHECK(w.picture()->isMoving());
    w.clickTile(w.p + "/films/a.mkv"); // what one points at counts at once
    CHECK(w.selected() == w.p + "/films/a.mkv");
    REQUIRE(Window::until([&] { return !w.picture()->isMoving(); }));
    w.picture()->setMotion(false);
    w.models().cursor.goUp();
    CHECK_FALSE(w.picture()->isMoving());
}

TEST_CASE("file types by mouse and key: families, types, the folders where they lie", "[window][picture]")
{
    PictureWindow w;
    w.click("showTypes");
    REQUIRE(Window::until([&] { return w.band("Video") != nullptr; }));
    CHECK(w.types()->topLevelItem(0)->text(0) == "Video");
    CHECK(w.types()->topLevelItem(0)->text(app::TypesView::Size) == "8.00 MiB");
    CHECK(w.types()->topLevelItem(0)->text(app::TypesView::Share) == "57 %");
    CHECK(w.types()->topLevelItem(0)->text(app::TypesView::Average) == "4.00 MiB");
    CHECK(w.types()->topLevelItem(0)->text(app::TypesView::Largest) == "6.00 MiB");
    CHECK(w.types()->topLevelItem(0)->text(app::TypesView::Oldest) == "9 Nov 2004");
    CHECK(w.band("Audio")->text(app::TypesView::Files) == "2");

    // by mouse: the family lights up everywhere
    QTest::mouseClick(w.types()->viewport(), Qt::LeftButton, {}, w.types()->visualItemRect(w.band("Audio")).center());
    REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
    CHECK(w.place()->litSize(w.node(w.p + "/songs"), Measure::Disk) == 5 << 20);
    CHECK(w.place()->litSize(w.node(w.p + "/films"), Measure::Disk) == 0);

    // by key: open it, its types, and the folders of one
    w.types()->setFocus();
    QTest::keyClick(w.types(), Qt::Key_Return);
    CHECK(w.band("Audio")->isExpanded());
    QTest::keyClick(w.types(), Qt::Key_Down);
    CHECK(w.types()->currentItem()->text(0).contains(".flac"));
    CHECK(w.place()->lit.type != 0);
    QTest::keyClick(w.types(), Qt::Key_Return);
    REQUIRE(Window::until([&] { return w.types()->currentItem()->childCount() == 2; }));
    CHECK(w.types()->currentItem()->child(0)->text(0) == "songs");
    CHECK(w.types()->currentItem()->child(1)->text(0) == "songs/.drafts");
    QTest::keyClick(w.types(), Qt::Key_Down);
    QTest::keyClick(w.types(), Qt::Key_Down);
    CHECK(w.selected() == w.p + "/songs/.drafts");
    QTest::keyClick(w.types(), Qt::Key_Return);
    CHECK(w.focused() == w.p + "/songs/.drafts");
    REQUIRE(Window::until([&] { return w.types()->topLevelItemCount() == 1; }));
    QTest::keyClick(w.types(), Qt::Key_Escape);
    CHECK_FALSE(w.place()->lit.any());
}

TEST_CASE("unknown files are told by their content, on demand", "[window][picture]")
{
    PictureWindow w;
    w.t.text("place/odd/mystery", "%PDF-1.4\n%binary\n" + std::string(20000, ' '));
    w.t.text("place/odd/secret.qqq", std::string("\x89PNG\r\n\x1a\n", 8) + std::string(9000, '\1'));
    w.scan(w.p);
    w.click("showTypes");
    REQUIRE(Window::until([&] { return w.band("Unknown") != nullptr; }));
    w.click("tellByContent");
    REQUIRE(Window::until([&] { return w.band("Unknown")->childCount() >= 3; }));
    QStringList told;
    for (int i = 0; i < w.band("Unknown")->childCount(); ++i)
        told << w.band("Unknown")->child(i)->text(0);
    CHECK(told.join("|").contains("by content: PDF", Qt::CaseInsensitive));
    CHECK(told.join("|").contains("by content: PNG", Qt::CaseInsensitive));
}

TEST_CASE("a class of the legend lights up, the rest fades, the descent says each share", "[window][picture]")
{
    PictureWindow w;
    const auto film = w.node(w.p + "/films/a.mkv"), song = w.node(w.p + "/songs/c.flac");
    const auto bright = w.pixel(song), filmBright = w.pixel(film);
    w.pressLegend("Video");
    REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
    CHECK(w.pixel(film) == filmBright);
    CHECK(w.pixel(song) != bright);
    w.pressLegend("Video"); // again: out
    CHECK_FALSE(w.place()->lit.any());
    CHECK(w.pixel(song) == bright);
    auto* legend = w.stage()->legend();
    legend->setFocus();
    QTest::keyClick(legend, Qt::Key_Right);
    QTest::keyClick(legend, Qt::Key_Space);
    CHECK(w.place()->lit.classes == 1u << static_cast<unsigned>(Family::Audio));
    QTest::keyClick(legend, Qt::Key_Escape);
    CHECK_FALSE(w.place()->lit.any());
}

TEST_CASE("colours by age, hidden and owner, each with its legend", "[window][picture]")
{
    PictureWindow w;
    const auto old = w.node(w.p + "/films/old/b.mkv"), fresh = w.node(w.p + "/songs/c.flac");
    const auto shows = [&](const QString& name) {
        const auto& entries = w.stage()->legend()->entries();
        return w.place()->scheme->by() == w.models().places.view().colour &&
               std::any_of(entries.begin(), entries.end(), [&](const auto& e) { return e.name == name; });
    };
    w.choose("colour", "age");
    REQUIRE(Window::until([&] { return shows("over 5 years"); }));
    CHECK(w.pixel(old) != w.pixel(fresh));
    w.choose("colour", "hidden");
    REQUIRE(Window::until([&] { return shows("hidden") && shows("visible"); }));
    w.choose("colour", "owner");
    const auto owner = app::toText(ownerName(w.place()->info, w.place()->tree->store().owner(old)));
    REQUIRE(Window::until([&] { return shows(owner); }));
    // lit by a class that the next colours do not have goes out with it
    w.choose("colour", "hidden");
    w.pressLegend("hidden");
    REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
    CHECK(w.place()->litSize(w.node(w.p + "/songs"), Measure::Disk) == 1 << 20);
    w.choose("colour", "age");
    CHECK_FALSE(w.place()->lit.any());
}

TEST_CASE("growth needs an earlier snapshot, and says so", "[window][picture]")
{
    PictureWindow w;
    w.choose("colour", "growth");
    REQUIRE(Window::until([&] { return w.notice().contains("no earlier snapshot"); }));
    CHECK(w.models().places.view().colour == ColourBy::Family);

    // The scan is kept; a later one of the same place grows against it.
    REQUIRE(Window::until([&] { return !w.place()->snapshotFile.empty(); }));
    auto info = w.place()->info;
    info.taken -= 86400;
    const auto earlier = plant(folder(w.p, {folder("songs", {file("c.flac", 1 << 20)}), file("mail.db", 1 << 20)}));
    REQUIRE(writeSnapshot(snapshotPathFor(w.folders.snapshots(), info), info, *earlier));
    w.choose("colour", "growth");
    REQUIRE(Window::until([&] { return w.place()->scheme->by() == ColourBy::Growth; }));
    const auto classOf = [&](const char* path) {
        return static_cast<GrowthClass>(w.place()->scheme->classOf(w.node(w.p + path)));
    };
    CHECK(classOf("/films") == GrowthClass::New);
    CHECK(classOf("/songs/c.flac") == GrowthClass::GrewMuch);
    CHECK(classOf("/mail.db") == GrowthClass::Same);
}

TEST_CASE("free space, not seen and reserved have tiles when asked for", "[window][picture]")
{
    PictureWindow w;
    auto& place = const_cast<app::Place&>(*w.place()); // as if it were a drive
    place.wholeDrive = true;
    place.capacity = {100 << 20, 40 << 20, 10 << 20, 50 << 20};
    const auto kinds = [&] {
        std::set<CellKind> seen;
        for (int i = 0; i < w.picture()->picture()->size(); ++i)
            seen.insert(w.picture()->picture()->cell(i).kind);
        return seen;
    };
    w.models().view.setAreas(true);
    CHECK(kinds().contains(CellKind::Free));
    CHECK(kinds().contains(CellKind::NotSeen));
    CHECK(kinds().contains(CellKind::Reserved));
    w.picture()->grab();
    w.models().view.setAreas(false);
    CHECK_FALSE(kinds().contains(CellKind::Free));
    w.click("showSunburst"); // the dial of a drive is always its capacity
    CHECK(kinds().contains(CellKind::Free));
    w.picture()->grab();
    w.models().cursor.setFocus(w.node(w.p + "/films"));
    CHECK_FALSE(kinds().contains(CellKind::Free));
}

TEST_CASE("the path can be typed, and wrong ones are said", "[window][picture]")
{
    PictureWindow w;
    auto* trail = w.stage()->trail();
    CHECK(trail->text() == QString::fromStdString(w.p));
    w.key(Qt::Key_G, Qt::ControlModifier);
    CHECK(trail->hasFocus());
    QTest::keyClicks(trail, QString::fromStdString(w.p + "/songs/.dr"));
    REQUIRE(trail->completer()->completionCount() == 1);
    CHECK(trail->completer()->currentCompletion() == QString::fromStdString(w.p + "/songs/.drafts"));
    trail->setText(QString::fromStdString(w.p + "/songs/.drafts/"));
    QTest::keyClick(trail, Qt::Key_Return);
    CHECK(w.focused() == w.p + "/songs/.drafts");
    trail->setText("d.flac"); // a name alone is one in here
    QTest::keyClick(trail, Qt::Key_Return);
    CHECK(w.selected() == w.p + "/songs/.drafts/d.flac");
    trail->setText("/etc");
    QTest::keyClick(trail, Qt::Key_Return);
    CHECK(w.notice().contains("outside of this place"));
    trail->setText(QString::fromStdString(w.p + "/no such"));
    QTest::keyClick(trail, Qt::Key_Return);
    CHECK(w.notice().contains("was not found in this scan"));
    QTest::keyClick(trail, Qt::Key_Escape);
    CHECK(trail->text() == QString::fromStdString(w.p + "/songs/.drafts"));
}

TEST_CASE("picture, measure, colour and depth are kept for each place", "[window][picture][settings]")
{
    PictureWindow w;
    w.click("showSunburst");
    w.choose("measure", "apparent");
    w.choose("colour", "hidden");
    w.models().view.setDepth(3);
    w.t.file("other/x", 5000);
    w.scan(w.t / "other");
    w.click("showTreemap");
    w.choose("measure", "on disk");
    w.models().places.showPlace(0);
    CHECK(w.models().places.view().picture == app::PictureKind::Sunburst);
    CHECK(w.models().places.measure() == Measure::Apparent);
    w.open(); // another day
    w.scan(w.p);
    CHECK(w.models().places.view().picture == app::PictureKind::Sunburst);
    CHECK(w.models().places.view().colour == ColourBy::Hidden);
    CHECK(w.models().places.view().depth() == 3);
    CHECK(w.models().places.measure() == Measure::Apparent);
}

TEST_CASE("the picture and the list can be taken along", "[window][picture]")
{
    PictureWindow w;
    w.key(Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(QGuiApplication::clipboard()->image().width() == 2800);
    const auto save = [&](int key, Qt::KeyboardModifiers modifiers, const std::string& file, const QString& kind) {
        w.key(key, modifiers);
        auto* dialog = w.window->findChild<QFileDialog*>("saveDialog");
        INFO(w.notice().toStdString());
        REQUIRE(dialog);
        if (!kind.isEmpty())
            dialog->selectNameFilter(kind);
        dialog->selectFile(QString::fromStdString(file));
        emit dialog->fileSelected(QString::fromStdString(file));
        dialog->close();
        REQUIRE(Window::until([&] { return exists(file); }));
        REQUIRE(Window::until([&] { return !w.window->findChild<QFileDialog*>("saveDialog"); }));
        w.window->activateWindow();
        QTest::qWait(10);
    };
    save(Qt::Key_S, Qt::ControlModifier, w.t / "out.png", {});
    CHECK(QImage(QString::fromStdString(w.t / "out.png")).width() == 2800);
    save(Qt::Key_S, Qt::ControlModifier, w.t / "out.svg", "SVG drawing (*.svg)");
    const auto svg = readAll(w.t / "out.svg");
    CHECK(svg.find("<svg") != std::string::npos);
    CHECK(svg.find("scanned") != std::string::npos);
    CHECK(svg.find("Video") != std::string::npos); // the legend
    save(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier, w.t / "out.csv", {});
    const auto csv = readAll(w.t / "out.csv");
    CHECK(csv.starts_with("path,kind,on_disk,apparent,files,newest,hidden\r\n" + w.p + "/films,folder,"));
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 4);
    // a folder that cannot be written to is said
    w.key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    emit w.window->findChild<QFileDialog*>("saveDialog")->fileSelected("/no/such/folder/x.csv");
    REQUIRE(Window::until([&] { return w.notice().contains("/no/such/folder"); }));
    w.click("showTypes");
    w.key(Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(QGuiApplication::clipboard()->image().width() == 2800);
}

TEST_CASE("assistive tools are told what the picture shows", "[window][picture]")
{
    PictureWindow w;
    w.models().cursor.select(w.node(w.p + "/songs"));
    for (const auto* button : {"showTreemap", "showSunburst"}) {
        w.click(button);
        auto* picture = QAccessible::queryAccessibleInterface(w.picture());
        REQUIRE(picture);
        REQUIRE(picture->childCount() == 3);
        CHECK(picture->child(0)->text(QAccessible::Name).startsWith("films, 8.0"));
        CHECK(picture->child(1)->text(QAccessible::Description) == QString::fromStdString(w.p + "/songs"));
        CHECK(picture->child(1)->state().selected);
        CHECK_FALSE(picture->child(0)->state().selected);
        CHECK(picture->child(0)->rect().isValid());
        const auto at = w.picture()->mapToGlobal(w.picture()->pointOf(w.node(w.p + "/films/a.mkv")));
        CHECK(picture->childAt(at.x(), at.y()) == picture->child(0));
        CHECK(picture->indexOfChild(picture->child(2)) == 2);
    }
    w.models().cursor.setFocus(w.node(w.p + "/films"));
    CHECK(QAccessible::queryAccessibleInterface(w.picture())->childCount() == 2);
}

TEST_CASE("all views agree wherever one goes", "[window][picture][property]")
{
    Window w;
    std::mt19937 random(7);
    for (std::uint64_t seed = 1; seed <= 6; ++seed) {
        const auto tree = randomTree(seed);
        SnapshotInfo info;
        info.place = tree->path(rootNode);
        info.taken = 2000000000;
        info.host = "somewhere";
        const auto file = w.t / ("random-" + std::to_string(seed) + ".kurvo");
        REQUIRE(writeSnapshot(file, info, *tree));
        w.models().snapshots.open(file);
        REQUIRE(Window::until([&] { return w.place() && w.place()->snapshotFile == file; }));
        w.window->setStage(app::Stage::Explore);
        auto* stage = w.window->exploreStage();
        stage->picture()->setMotion(false);
        for (int step = 0; step < 30; ++step) {
            const auto& t = *w.place()->tree;
            const NodeId node = static_cast<NodeId>(random() % t.extent().nodes);
            switch (random() % 6) {
            case 0:
                w.models().cursor.setFocus(t.isFolder(node) ? node : t.parent(node));
                break;
            case 1:
                w.models().cursor.reveal(node);
                break;
            case 2:
                w.models().cursor.goUp();
                break;
            case 3:
                w.models().view.setPicture(static_cast<app::PictureKind>(random() % 3));
                break;
            case 4:
                w.models().view.setMeasure(static_cast<Measure>(random() % 3));
                break;
            default:
                w.models().view.light({ColourBy::Family, static_cast<std::uint16_t>(1 + random() % 1000), 0});
            }
            const auto* place = w.place();
            const auto focus = place->focus;
            const auto measure = w.models().places.measure();
            if (place->lit.any())
                REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
            INFO("seed " << seed << " step " << step << " at " << t.path(focus));
            CHECK(stage->trail()->text() == app::toText(t.path(focus)));
            // sums
            std::uint64_t rows = 0;
            const auto* model = stage->descent()->model();
            for (int row = 0; row < model->rowCount(); ++row)
                rows += model->row(row)->level == 0 ? model->row(row)->size : 0;
            std::uint64_t children = 0;
            t.forEachChild(focus, [&](NodeId child) { children += t.measured(child, measure); });
            CHECK(rows == children);
            if (const auto* picture = stage->picture()->picture()) {
                CHECK(picture->cell(0).node == focus);
                std::uint64_t cells = 0;
                for (int i = 1; i < picture->size(); i = static_cast<int>(picture->cell(i).end))
                    cells += picture->cell(i).size;
                CHECK(cells == children);
            }
            if (place->view.picture == app::PictureKind::Types) {
                REQUIRE(Window::until([&] { return stage->types()->table().total == t.measured(focus, measure); }));
                QTest::qWait(1);
            }
            // selection
            if (place->selection != noNode && place->selection != focus && t.isAtOrBelow(place->selection, focus)) {
                const auto shown = model->nodeAt(stage->descent()->list()->currentIndex().row());
                REQUIRE(shown != noNode);
                CHECK(t.isAtOrBelow(place->selection, shown));
                CHECK(w.text("dossierName") == app::toText(t.name(place->selection)));
                CHECK(w.text("dossierSize") == app::sizeText(t.disk(place->selection)));
            }
            // what is lit
            if (place->lit.any()) {
                std::uint64_t lit = 0;
                t.forEachBelow(focus, [&](NodeId below) {
                    if (!t.isFolder(below) && isLit(t, place->lit, *place->scheme, below))
                        lit += t.measured(below, measure);
                });
                REQUIRE(Window::until([&] { return w.place()->litSize(focus, measure) == lit; }));
            }
        }
    }
}
