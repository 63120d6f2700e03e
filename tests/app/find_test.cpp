// SPDX-License-Identifier: GPL-3.0-or-later
// Find: questions, filter line, age field and list, by mouse and key.
#include <catch2/catch.hpp>

#include <ctime>
#include <set>

#include <QFileDialog>
#include <QHeaderView>
#include <QInputDialog>
#include <QTextBrowser>

#include "app/style/words.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

struct FindWindow : Window {
    std::string p;
    FindWindow()
    {
        const auto now = std::time(nullptr);
        p = t / "place";
        t.file("place/films/dawn.mkv", 12 << 20, now - 3 * 365 * 86400);
        t.file("place/films/dusk.mkv", 3 << 20, now - 86400);
        t.file("place/home/.cache/viewer/tiles.db", 11 << 20, now - 40 * 86400);
        t.file("place/home/letter.txt", 5000, now - 86400);
        t.file("place/home/letter.txt~", 5000, now - 86400);
        t.file("place/var/log/recorder.log", 2 << 20, now - 3600);
        scan(p);
        key(Qt::Key_3, Qt::ControlModifier);
        find()->showFiles(); // and not what stands out
        done();
    }
    app::FindStage* find() { return window->findStage(); }
    void done()
    {
        QTest::qWait(90);
        REQUIRE(until([this] { return find()->isSettled(); }));
    }
    std::set<std::string> names()
    {
        done();
        std::set<std::string> all;
        for (const auto node : find()->model()->files())
            all.insert(std::string(place()->tree->name(node)));
        return all;
    }
    void ask(const QString& question)
    {
        for (int row = 0; row < find()->questions()->count(); ++row)
            if (find()->questions()->item(row)->text() == question) {
                auto* item = find()->questions()->item(row);
                QTest::mouseClick(find()->questions()->viewport(), Qt::LeftButton, {},
                                  find()->questions()->visualItemRect(item).center());
            }
        done();
    }
    QString cell(int row, int column) { return find()->model()->index(row, column).data().toString(); }
};

using Names = std::set<std::string>;

} // namespace

TEST_CASE("the list: all files, the largest first, sorted by any column", "[window][find]")
{
    FindWindow w;
    CHECK(w.window->stage() == Stage::Find);
    CHECK(w.find()->model()->rowCount() == 6);
    CHECK(w.cell(0, app::FileListModel::Name) == "dawn.mkv");
    CHECK(w.cell(0, app::FileListModel::Folder) == QString::fromStdString(w.p + "/films"));
    CHECK(w.cell(0, app::FileListModel::Disk) == "12.0 MiB");
    auto* header = w.find()->list()->horizontalHeader();
    const auto press = [&](int column) {
        QTest::mouseClick(header->viewport(), Qt::LeftButton, {},
                          QPoint(header->sectionViewportPosition(column) + header->sectionSize(column) / 2, 8));
        w.done();
    };
    press(app::FileListModel::Name);
    CHECK(w.cell(0, 0) == "dawn.mkv");
    CHECK(w.cell(5, 0) == "tiles.db");
    press(app::FileListModel::Name); // the other way round
    CHECK(w.cell(0, 0) == "tiles.db");
    press(app::FileListModel::Changed);
    CHECK(w.cell(0, 0) == "recorder.log");

    // a row is selected everywhere, and leads into Explore
    QTest::mouseClick(w.find()->list()->viewport(), Qt::LeftButton, {},
                      w.find()->list()->visualRect(w.find()->model()->index(0, 0)).center());
    CHECK(w.selected() == w.p + "/var/log/recorder.log");
    CHECK(w.find()->dossier()->findChild<QLabel*>("dossierName")->text() == "recorder.log");
    w.find()->list()->setFocus();
    QTest::keyClick(w.find()->list(), Qt::Key_Down, Qt::ShiftModifier);
    CHECK(w.place()->alsoSelected.size() == 1);
    QTest::keyClick(w.find()->list(), Qt::Key_Up);
    QTest::keyClick(w.find()->list(), Qt::Key_Return);
    CHECK(w.window->stage() == Stage::Explore);
    CHECK(w.focused() == w.p + "/var/log");
    CHECK(w.selected() == w.p + "/var/log/recorder.log");
}

TEST_CASE("questions have their count and bytes, and narrow the list", "[window][find]")
{
    FindWindow w;
    CHECK(w.find()->questions()->item(1)->data(Qt::UserRole).toString().startsWith("6 files, 28"));
    w.ask("Large and hidden");
    CHECK(w.names() == Names{"tiles.db"});
    CHECK(w.child<QLabel>("questionAdvice")->isVisible());
    w.ask("Hidden folders");
    CHECK(w.names() == Names{".cache"});
    CHECK(w.text("findSums").startsWith("1 folder, 11"));
    w.ask("Old and large");
    CHECK(w.names() == Names{"dawn.mkv"});
    w.ask("Caches and temporary");
    CHECK(w.names() == Names{"tiles.db"});
    w.ask("Logs and crash dumps");
    CHECK(w.names() == Names{"recorder.log"});
    w.ask("Leftovers");
    CHECK(w.names() == Names{"letter.txt~"});
    w.ask("Sparse files");
    CHECK(w.names().empty());
    CHECK(w.text("findSums").contains("Nothing matches"));
    w.find()->questions()->setFocus();
    QTest::keyClick(w.find()->questions(), Qt::Key_Home); // what stands out
    QTest::keyClick(w.find()->questions(), Qt::Key_Down);
    CHECK(w.names().size() == 6);
}

TEST_CASE("the filter line narrows, remembers, and says what is wrong", "[window][find]")
{
    FindWindow w;
    w.key(Qt::Key_1, Qt::ControlModifier);
    w.key(Qt::Key_F, Qt::ControlModifier);
    CHECK(w.window->stage() == Stage::Find);
    auto* line = w.find()->filter();
    CHECK(line->hasFocus());
    QTest::keyClicks(line, "*.mkv size>5M");
    CHECK(w.names() == Names{"dawn.mkv"});
    CHECK(w.text("findSums").startsWith("1 file, 12"));
    QTest::keyClick(line, Qt::Key_Return); // to the list, and into the history
    w.window->activateWindow();            // offscreen, the popup of offers took that
    REQUIRE(Window::until([&] { return w.find()->list()->hasFocus(); }));
    line->setFocus();
    line->setText("*.mkv size>big");
    w.done();
    CHECK(w.text("filterProblem").contains("\"big\" is no size"));
    CHECK(w.names() == Names{"dawn.mkv"}); // what was found stays
    line->clear();
    w.done();
    CHECK_FALSE(w.child<QLabel>("filterProblem")->isVisible());
    QTest::keyClick(line, Qt::Key_Up);
    CHECK(line->text() == "*.mkv size>5M");
    QTest::keyClick(line, Qt::Key_Escape);
    CHECK(line->text().isEmpty());
    CHECK(w.names().size() == 6);
    // only below the folder one is in
    w.models().cursor.setFocus(w.node(w.p + "/home"));
    w.done();
    w.click("findScope");
    CHECK(w.names() == Names{"tiles.db", "letter.txt", "letter.txt~"});
}

TEST_CASE("a box in the age field narrows the list and stands in the filter line", "[window][find]")
{
    FindWindow w;
    auto* field = w.find()->ageField();
    REQUIRE(field->field());
    CHECK(field->field()->files == 6);
    const auto dawn = field->pointOf(w.node(w.p + "/films/dawn.mkv")).toPoint();
    QTest::mouseMove(field, dawn);
    CHECK(w.pointerLine().contains("dawn.mkv"));
    QTest::mouseClick(field, Qt::LeftButton, {}, dawn);
    CHECK(w.selected() == w.p + "/films/dawn.mkv");

    const auto drag = [&](const QPoint& from, const QPoint& to) {
        QTest::mousePress(field, Qt::LeftButton, {}, from);
        for (int step = 1; step <= 4; ++step) {
            QMouseEvent move(QEvent::MouseMove, QPointF(from + (to - from) * step / 4),
                             field->mapToGlobal(QPointF(from + (to - from) * step / 4)), Qt::NoButton, Qt::LeftButton,
                             Qt::NoModifier);
            QApplication::sendEvent(field, &move);
        }
        QTest::mouseRelease(field, Qt::LeftButton, {}, to);
        w.done();
    };
    w.find()->filter()->setText("not is:hidden");
    w.done();
    drag(dawn - QPoint(30, 15), dawn + QPoint(30, 15));
    REQUIRE(field->box());
    CHECK(w.names() == Names{"dawn.mkv"});
    CHECK(w.find()->filter()->text().startsWith("not is:hidden age>="));
    CHECK(field->field()->files == 5); // the field still shows what the rest of the line finds
    // an edge dragged out
    const auto left = (dawn - QPoint(30, 0)).x();
    drag(QPoint(left, dawn.y()), QPoint(60, dawn.y()));
    CHECK(field->box()->youngest < 0.05);
    field->setFocus();
    QTest::keyClick(field, Qt::Key_Down);
    w.done();
    QTest::keyClick(field, Qt::Key_Escape);
    CHECK(w.names().size() == 5);
    CHECK(w.find()->filter()->text() == "not is:hidden");
    field->grab();
}

TEST_CASE("a filter is kept under a name, for another day", "[window][find][settings]")
{
    FindWindow w;
    CHECK_FALSE(w.child<QPushButton>("keepFilter")->isEnabled());
    w.find()->filter()->setText("*.mkv or *.db");
    w.done();
    w.click("keepFilter");
    auto* ask = w.window->findChild<QInputDialog*>("keepDialog");
    REQUIRE(ask);
    ask->setTextValue("films and tiles");
    ask->accept();
    w.find()->filter()->clear();
    w.open();
    w.scan(w.p);
    w.key(Qt::Key_3, Qt::ControlModifier);
    w.done();
    CHECK(w.names().size() == 6);
    w.ask("films and tiles");
    CHECK(w.find()->filter()->text() == "*.mkv or *.db");
    CHECK(w.names() == Names{"dawn.mkv", "dusk.mkv", "tiles.db"});
}

TEST_CASE("what is found lights up in Explore", "[window][find]")
{
    FindWindow w;
    w.find()->filter()->setText("*.mkv");
    w.done();
    w.click("lightFound");
    REQUIRE(Window::until([&] { return w.window->stage() == Stage::Explore; }));
    REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
    CHECK(w.place()->litSize(w.node(w.p + "/films"), Measure::Disk) == 15 << 20);
    CHECK(w.place()->litSize(w.node(w.p + "/home"), Measure::Disk) == 0);
    auto* legend = w.window->exploreStage()->legend();
    REQUIRE(Window::until([&] { return !legend->entries().empty() && legend->entries()[0].name.contains("found"); }));
    w.t.file("place/films/third.mkv", 100000);
    w.models().scans.rescan(w.node(w.p)); // the ids are others: what was found is found again by them
    w.settle();
    REQUIRE(Window::until([&] { return w.place()->litSums != nullptr; }));
    CHECK(w.place()->litSize(w.node(w.p + "/films"), Measure::Disk) == 15 << 20);
    w.window->grab();
}

TEST_CASE("Explore shows only what was found, with its sums, and plans no folder by a part of it", "[window][find]")
{
    FindWindow w;
    w.find()->filter()->setText("*.mkv or tiles");
    w.done();
    w.click("onlyFound");
    REQUIRE(Window::until([&] { return w.window->stage() == Stage::Explore && w.place()->narrowing; }));
    const auto& shown = *w.place()->shown();
    CHECK(shown.disk(rootNode) == (15 << 20) + w.place()->tree->disk(w.node(w.p + "/home/.cache/viewer/tiles.db")));
    CHECK(shown.sums(rootNode).files == 3);
    CHECK_FALSE(shown.contains(w.node(w.p + "/home/letter.txt~")));
    CHECK(w.child<QLabel>("narrowedBy")->text().contains("3 files"));
    CHECK(w.child<QWidget>("narrowed")->isVisible());
    auto* descent = w.window->exploreStage()->descent();
    descent->list()->setFocus();
    CHECK(descent->list()->model()->rowCount() == 2); // films and home, and no rest
    w.window->grab();

    // The whole of a folder is not what is shown of it; the films are shown in full.
    w.models().cursor.select(w.node(w.p + "/home"));
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.empty());
    CHECK(w.notice().contains("match the filter"));
    w.models().cursor.select(w.node(w.p + "/films"));
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.has(w.node(w.p + "/films")));

    // It stays through what is carried out, and ends with Escape or where something else is to be shown.
    w.models().cursor.setFocus(w.node(w.p + "/home"));
    CHECK(descent->list()->model()->rowCount() == 1);
    QTest::keyClick(descent->list(), Qt::Key_Escape);
    CHECK_FALSE(w.place()->narrowing);
    CHECK_FALSE(w.child<QWidget>("narrowed")->isVisible());
    CHECK(descent->list()->model()->rowCount() > 1);
    w.models().trees.narrow(*w.place()->tree, std::make_shared<std::vector<bool>>(w.place()->tree->extent().nodes),
                            "nothing");
    REQUIRE(Window::until([&] { return w.place()->narrowing.has_value(); }));
    CHECK(w.place()->focus == rootNode);
    w.window->grab();
    w.models().cursor.reveal(w.node(w.p + "/home/letter.txt~"));
    CHECK_FALSE(w.place()->narrowing);
}

TEST_CASE("what is found can be planned and taken along", "[window][find]")
{
    FindWindow w;
    w.ask("Leftovers");
    w.find()->list()->setFocus();
    w.find()->list()->selectRow(0);
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.has(w.node(w.p + "/home/letter.txt~")));
    w.find()->filter()->setText("is:planned");
    CHECK(w.names() == Names{"letter.txt~"});
    w.key(Qt::Key_S, Qt::ControlModifier | Qt::ShiftModifier);
    auto* dialog = w.window->findChild<QFileDialog*>("saveDialog");
    REQUIRE(dialog);
    emit dialog->fileSelected(QString::fromStdString(w.t / "found.csv"));
    dialog->close();
    REQUIRE(Window::until([&] { return exists(w.t / "found.csv"); }));
    const auto csv = readAll(w.t / "found.csv");
    CHECK(csv.find(w.p + "/home/letter.txt~,file,") != std::string::npos);
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 2);
    w.models().plan.unplan(std::vector{w.node(w.p + "/home/letter.txt~")});
}

TEST_CASE("Find without a place, and with one that is read again", "[window][find]")
{
    Window empty;
    empty.window->setStage(Stage::Find);
    bool said = false;
    for (const auto* label : empty.window->findStage()->findChildren<QLabel*>())
        said |= label->isVisible() && label->text().contains("Nothing is open yet");
    CHECK(said);

    FindWindow w;
    w.find()->list()->selectRow(0);
    w.t.file("place/films/new.mkv", 20 << 20);
    w.models().scans.rescan(w.node(w.p));
    w.settle();
    CHECK(w.names().contains("new.mkv"));
    CHECK(w.cell(0, 0) == "new.mkv");
    w.models().places.closePlace(0);
    CHECK(w.find()->model()->rowCount() == 0);
    w.window->grab();
}

TEST_CASE("the language of filters is explained in the window", "[window][find]")
{
    FindWindow w;
    w.key(Qt::Key_F1, Qt::ShiftModifier);
    QDialog* help = nullptr;
    REQUIRE(w.until([&] { return (help = w.window->findChild<QDialog*>("helpDialog")) != nullptr; }));
    const auto text = help->findChild<QTextBrowser*>("helpText")->toPlainText();
    CHECK(text.contains("bytes on disk"));
    CHECK(text.contains("mark:ask"));
}
