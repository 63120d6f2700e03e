// SPDX-License-Identifier: GPL-3.0-or-later
// Identify: advice, the guard, marks, preview, duplicates and the other finders, by mouse and key.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>

#include <QCheckBox>
#include <QClipboard>
#include <QGuiApplication>
#include <QHeaderView>
#include <QInputDialog>
#include <QMenu>
#include <QPlainTextEdit>
#include <QTableWidget>

#include "app/style/words.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

struct IdentifyWindow : Window {
    std::string p;
    IdentifyWindow()
    {
        p = t / "place";
        const std::string song(3 << 20, 's');
        t.text("place/warden/Recordings/dawn.flac", song);
        t.text("place/copy/dawn.flac", song);
        t.text("place/copy/deeper/dawn again.flac", song);
        setModified(t / "place/warden/Recordings/dawn.flac", 1700000000);
        setModified(t / "place/copy/dawn.flac", 1710000000);
        setModified(t / "place/copy/deeper/dawn again.flac", 1720000000);
        t.text("place/letter.txt", "Dear keeper,\nthe terns are back.\n");
        t.text("place/broken.png", "\x89PNG\r\n\x1a\nbut then something else");
        t.text("place/tool.deb~", "x");
        // Tests lie below /tmp, of which the rules say that one has to look.
        t.text("home/config/kurvo/advice/own.toml",
               "[[rule]]\nid = \"copies\"\npath = \"**/place/*~\"\n"
               "level = \"usually safe\"\nwhat = \"An editor's copy.\"\ndo = \"It may go.\"\n");
        open(); // with these rules
    }
    void start(Stage stage = Stage::Explore)
    {
        scan(p);
        window->setStage(stage);
        QTest::qWait(50);
    }
    void select(const std::string& name)
    {
        models().cursor.reveal(node(p + "/" + name));
        REQUIRE(until([this] { return window->exploreStage()->dossier()->advice()->isSettled(); }));
    }
    QMenu* menuOf(const char* button) { return child<QPushButton>(button)->menu(); }
    void ask(const QString& question)
    {
        auto* list = window->findStage()->questions();
        for (int row = 0; row < list->count(); ++row)
            if (list->item(row)->text() == question) {
                list->scrollToItem(list->item(row));
                QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualItemRect(list->item(row)).center());
                return;
            }
        FAIL("no such question");
    }
};

} // namespace

TEST_CASE("the dossier says what an item is, with the evidence of this machine", "[window][advice]")
{
    IdentifyWindow w;
    ::unlink((w.t / "place/tool.deb~").c_str());
    w.t.file("place/notes~", 5000, 1700000000);
    w.t.file("place/fresh~", 5000, currentTime());
    w.start();
    w.select("notes~");
    CHECK(w.text("adviceLevel") == "Usually safe");
    CHECK(w.text("adviceText").contains("editor's copy"));
    w.select("fresh~");
    REQUIRE(w.until([&] { return w.text("adviceEvidence").contains("changed"); }));
    CHECK(w.text("adviceLevel") == "Your call"); // something works with it
    w.select("letter.txt");
    CHECK(w.text("adviceText").startsWith("Temporary files"));
}

TEST_CASE("a protected item asks before the guard is lifted, for that one alone", "[window][guard]")
{
    IdentifyWindow w;
    // Kurvo's own data is protected wherever it lies.
    w.t.file("home/data/kurvo/snapshots/old.txt", 9000);
    w.t.file("home/data/kurvo/snapshots/older.txt", 5000);
    w.scan(w.t / "home");
    w.window->setStage(Stage::Explore);
    const auto path = w.t / "home/data/kurvo/snapshots/old.txt";
    w.models().cursor.reveal(w.node(path));
    CHECK(w.pointerLine().contains("protected"));
    w.key(Qt::Key_Delete);
    auto* dialog = w.dialog<QDialog>("guardDialog");
    CHECK(dialog->findChild<QLabel*>("guardReason")->text().contains("Kurvo's own"));
    CHECK_FALSE(dialog->findChild<QPushButton*>("lift")->isEnabled());
    QTest::keyClick(dialog, Qt::Key_Return); // leaves it alone
    REQUIRE(w.until([&] { return w.window->findChild<QDialog*>("guardDialog") == nullptr; }));
    CHECK(w.place()->plan.empty());

    w.activate();
    w.key(Qt::Key_Delete);
    dialog = w.dialog<QDialog>("guardDialog");
    QTest::mouseClick(dialog->findChild<QCheckBox*>("guardKnown"), Qt::LeftButton, {}, QPoint(8, 8));
    QTest::mouseClick(dialog->findChild<QPushButton*>("lift"), Qt::LeftButton);
    REQUIRE(w.until([&] { return w.place()->plan.items().size() == 1; }));
    CHECK(w.place()->plan.items()[0].guardLifted);

    REQUIRE(w.until([&] { return w.window->findChild<QDialog*>("guardDialog") == nullptr; }));
    // What the user needs to live cannot be lifted at all: it is said, not asked.
    w.models().plan.planTrash(w.node(w.t / "home/data"));
    CHECK(w.window->findChild<QDialog*>("guardDialog") == nullptr);
    CHECK(w.notice().contains("trash itself"));
    CHECK(w.place()->plan.items().size() == 1);
}

TEST_CASE("marks: set by key, inherited, found, coloured by, noted, kept", "[window][marks]")
{
    IdentifyWindow w;
    w.start();
    w.select("copy");
    w.key(Qt::Key_3);
    REQUIRE(w.until([&] { return w.place()->marks && w.place()->marks->own(w.node(w.p + "/copy")) != nullptr; }));
    CHECK(w.child<QPushButton>("mark-archive")->isChecked());
    CHECK(w.pointerLine().contains("marked: archive"));
    w.select("copy/dawn.flac");
    CHECK(w.text("markText").contains("archive, from copy"));
    w.key(Qt::Key_1);
    REQUIRE(w.until([&] { return w.child<QPushButton>("mark-keep")->isChecked(); }));

    // a note
    w.key(Qt::Key_N);
    auto* note = w.dialog<QInputDialog>("noteDialog");
    note->setTextValue("the only clean take");
    QTest::keyClick(note, Qt::Key_Return);
    REQUIRE(w.until([&] { return w.text("markText").contains("the only clean take"); }));

    // coloured by
    w.models().view.setColour(ColourBy::Mark);
    REQUIRE(w.until([&] { return w.place()->scheme->by() == ColourBy::Mark; }));
    CHECK(w.place()->scheme->classOf(w.node(w.p + "/copy/deeper/dawn again.flac")) == 2);
    CHECK(w.place()->scheme->classOf(w.node(w.p + "/letter.txt")) == 4);

    // found
    w.activate();
    w.key(Qt::Key_F, Qt::ControlModifier);
    QTest::keyClicks(w.window->findStage()->filter(), "mark:archive");
    REQUIRE(
        w.until([&] { return w.window->findStage()->isSettled() && w.window->findStage()->model()->rowCount() == 1; }));
    CHECK(w.window->findStage()->model()->index(0, app::FileListModel::Mark).data().toString().endsWith("archive"));

    // taken away by a click, and kept across windows
    w.window->setStage(Stage::Explore);
    w.select("copy");
    w.click("mark-archive");
    REQUIRE(w.until([&] { return w.place()->marks->own(w.node(w.p + "/copy")) == nullptr; }));
    QTest::qWait(100);
    w.open();
    w.start();
    REQUIRE(w.until([&] { return w.place()->marks && w.place()->marks->any(); }));
    CHECK(w.place()->marks->own(w.node(w.p + "/copy/dawn.flac"))->note == "the only clean take");
    CHECK(w.place()->marks->own(w.node(w.p + "/copy")) == nullptr);
}

TEST_CASE("marks that cannot be kept are not shown as if they were", "[window][marks]")
{
    IdentifyWindow w;
    w.t.text("home/data/kurvo/marks.db",
             "this is no database, however long it is looked at, and it is long enough for one");
    const auto before = readAll(w.t / "home/data/kurvo/marks.db");
    w.start();
    w.select("copy");
    w.key(Qt::Key_1);
    REQUIRE(w.until([&] { return w.notice().contains("damaged"); }));
    REQUIRE(w.until([&] { return !w.place()->marks || !w.place()->marks->any(); }));
    CHECK(readAll(w.t / "home/data/kurvo/marks.db") == before);
}

TEST_CASE("a kind of one's own gets the next key", "[window][marks]")
{
    IdentifyWindow w;
    w.start();
    w.select("copy");
    for (auto* action : w.window->findChildren<QAction*>("allMarks"))
        action->trigger();
    auto* dialog = w.dialog<QDialog>("marksDialog");
    QTest::mouseClick(dialog->findChild<QPushButton*>("newKind"), Qt::LeftButton);
    auto* name = w.dialog<QInputDialog>("kindDialog");
    name->setTextValue("Look later");
    QTest::keyClick(name, Qt::Key_Return);
    QTest::qWait(50);
    dialog->accept();
    w.activate();
    REQUIRE(w.until([&] { return w.place()->marks && w.place()->marks->book().kinds.size() == 5; }));
    w.key(Qt::Key_5);
    REQUIRE(w.until([&] { return w.place()->marks->own(w.node(w.p + "/copy")) != nullptr; }));
    CHECK(w.place()->marks->own(w.node(w.p + "/copy"))->kind == "look-later");
    CHECK(w.child<QPushButton>("mark-look-later")->isChecked());
    w.key(Qt::Key_0);
    REQUIRE(w.until([&] { return w.place()->marks->own(w.node(w.p + "/copy")) == nullptr; }));
}

TEST_CASE("space shows what a file is, and follows the selection", "[window][preview]")
{
    IdentifyWindow w;
    REQUIRE(::mkfifo((w.t / "place/pipe").c_str(), 0600) == 0);
    QImage image(1200, 30, QImage::Format_RGB32);
    image.fill(Qt::darkGreen);
    REQUIRE(image.save(QString::fromStdString(w.t / "place/gulls.png")));
    w.t.text("place/empty", "");
    w.t.text("place/gone.txt", "soon gone");
    w.start();
    ::unlink((w.t / "place/gone.txt").c_str());
    auto* preview = w.window->preview();
    const auto shown = [&](const std::string& name) {
        w.select(name);
        REQUIRE(w.until([&] { return preview->isSettled(); }));
    };
    w.select("letter.txt");
    w.key(Qt::Key_Space);
    CHECK(preview->isVisible());
    REQUIRE(w.until([&] { return preview->isSettled() && w.child<QPlainTextEdit>("previewText")->isVisible(); }));
    CHECK(w.child<QPlainTextEdit>("previewText")->toPlainText().startsWith("Dear keeper,"));
    CHECK(w.text("previewFacts").contains("UTF-8"));
    shown("gulls.png");
    REQUIRE(w.until([&] { return w.child<QLabel>("previewPicture")->isVisible(); }));
    CHECK(w.text("previewFacts").contains("1200 × 30"));
    CHECK(w.child<QLabel>("previewPicture")->pixmap().width() <= 680);
    shown("broken.png");
    CHECK_FALSE(w.child<QLabel>("previewPicture")->isVisible());
    CHECK(w.text("previewFacts").contains("cannot be shown"));
    shown("empty");
    CHECK(w.text("previewNote").contains("empty"));
    shown("pipe");
    CHECK(w.text("previewNote").contains("no file with content"));
    shown("gone.txt");
    CHECK(w.text("previewNote").contains("cannot be read"));
    shown("copy"); // a folder: what is in it
    CHECK(w.child<QPlainTextEdit>("previewText")->toPlainText().contains("dawn.flac"));
    w.key(Qt::Key_Escape);
    CHECK_FALSE(preview->isVisible());
    // Space on a button presses it.
    auto* button = w.child<QPushButton>("mark-ask");
    button->setFocus();
    QTest::keyClick(button, Qt::Key_Space);
    CHECK_FALSE(preview->isVisible());
    REQUIRE(w.until([&] { return w.child<QPushButton>("mark-ask")->isChecked(); }));
}

TEST_CASE("duplicates: searched, compared and planned down to one", "[window][duplicates]")
{
    IdentifyWindow w;
    w.t.folder("place/linked");
    w.t.link("place/copy/dawn.flac", "place/linked/dawn.flac");
    w.start(Stage::Find);
    w.ask("Duplicates");
    auto* page = w.window->findStage()->duplicates();
    REQUIRE(page->isVisible());
    CHECK(w.text("duplicateEmpty").contains("Search"));
    w.click("duplicateSearch");
    REQUIRE(w.until([&] { return page->isSettled() && page->groups()->topLevelItemCount() == 1; }));
    CHECK(page->groups()->topLevelItem(0)->childCount() == 3);
    CHECK(page->figures() == "1 group, 6.00 MiB");
    CHECK(w.text("duplicateSums").contains("6.00 MiB"));

    // all of a group cannot be planned
    page->groups()->topLevelItem(0)->setExpanded(true);
    for (int i = 0; i < 3; ++i)
        page->groups()->topLevelItem(0)->child(i)->setSelected(true);
    w.choose("planDuplicates", "Plan the selected files");
    CHECK(w.notice().contains("all of a group"));
    CHECK(w.place()->plan.empty());

    // with all hard links of what goes
    page->groups()->clearSelection();
    w.choose("planDuplicates", "Keep the oldest of each");
    REQUIRE(w.until([&] { return page->isSettled() && w.place()->plan.items().size() == 3; }));
    CHECK(w.place()->plan.has(w.node(w.p + "/linked/dawn.flac")));
    CHECK_FALSE(w.place()->plan.has(w.node(w.p + "/warden/Recordings/dawn.flac")));

    // The one that stays is said; planned by hand as well, it holds the others back.
    const auto rowsSaying = [&](const QString& words) {
        const auto* rows = w.window->clearStage()->list()->model();
        int found = 0;
        for (int row = 0; row < rows->rowCount(); ++row)
            found += rows->index(row, 0).data(Qt::AccessibleTextRole).toString().contains(words);
        return found;
    };
    w.key(Qt::Key_5, Qt::ControlModifier);
    REQUIRE(w.until([&] { return rowsSaying("the same stays at") == 3; }));
    REQUIRE(w.until([&] { return w.place()->findings.ready() == 3; }));
    w.key(Qt::Key_2, Qt::ControlModifier);
    w.select("warden/Recordings/dawn.flac");
    w.key(Qt::Key_Delete);
    w.key(Qt::Key_5, Qt::ControlModifier);
    REQUIRE(w.until([&] { return rowsSaying("is planned as well") == 3; }));
    w.models().plan.unplan(w.p + "/warden/Recordings/dawn.flac");
    REQUIRE(w.until([&] { return rowsSaying("the same stays at") == 3 && w.place()->findings.ready() == 3; }));
    w.key(Qt::Key_3, Qt::ControlModifier);

    // Delete on one of a group plans it for the sake of another, and never the last.
    w.models().plan.clearPlan();
    auto* first = page->groups()->topLevelItem(0);
    page->groups()->clearSelection();
    page->groups()->setFocus();
    first->child(0)->setSelected(true);
    QTest::keyClick(page->groups(), Qt::Key_Delete, Qt::ShiftModifier);
    REQUIRE(w.until([&] { return page->isSettled() && w.place()->plan.items().size() == 2; })); // with its link
    CHECK(w.place()->plan.countForGood() == 2);
    CHECK(w.place()->plan.withTwin() == 2);
    for (int i = 1; i < 3; ++i)
        first->child(i)->setSelected(true);
    QTest::keyClick(page->groups(), Qt::Key_Delete);
    CHECK(w.notice().contains("all of a group"));
    CHECK(w.place()->plan.items().size() == 2);
    page->groups()->clearSelection();

    // What changed since it was compared is found by comparing again, and stays.
    w.models().plan.clearPlan();
    auto other = readAll(w.t / "place/copy/dawn.flac");
    other[1000000] = 'x';
    writeAll(w.t / "place/copy/dawn.flac", other);
    setModified(w.t / "place/copy/dawn.flac", 1710000000);
    w.choose("planDuplicates", "Keep the newest of each");
    REQUIRE(w.until([&] { return page->isSettled(); }));
    CHECK(w.place()->plan.has(w.node(w.p + "/warden/Recordings/dawn.flac")));
    CHECK_FALSE(w.place()->plan.has(w.node(w.p + "/copy/dawn.flac")));
    CHECK(w.text("duplicateState").contains("2 items left out"));
}

TEST_CASE("the trash of all drives: put back, and removed by the plan", "[window][trash]")
{
    IdentifyWindow w;
    w.start();
    w.select("letter.txt");
    w.key(Qt::Key_Delete);
    w.select("tool.deb~");
    w.key(Qt::Key_Delete);
    w.models().runner.carryOutPlan();
    w.settle();
    REQUIRE_FALSE(exists(w.p + "/letter.txt"));
    w.window->setStage(Stage::Find);
    w.ask("Trash of all drives");
    auto* page = w.window->findStage()->trash();
    REQUIRE(w.until([&] { return page->isSettled() && page->table()->rowCount() == 2; }));
    const auto choose = [&](const QString& ending) {
        for (int row = 0; row < page->table()->rowCount(); ++row)
            if (page->table()->item(row, 0)->text().endsWith(ending))
                page->table()->selectRow(row);
    };
    choose("letter.txt");
    w.click("putBack");
    w.settle();
    CHECK(exists(w.p + "/letter.txt"));
    REQUIRE(w.until([&] { return page->isSettled() && page->table()->rowCount() == 1; }));
    choose("tool.deb~");
    w.click("removeForGood");
    REQUIRE(w.until([&] { return w.window->stage() == app::Stage::Clear && w.place()->plan.items().size() == 1; }));
    w.settle();
    w.click("carryOut");
    auto* dialog = w.dialog<QDialog>("confirmDialog");
    auto* hold = dialog->findChild<QPushButton*>("confirm");
    QTest::mousePress(hold, Qt::LeftButton); // held until it has filled
    REQUIRE(w.closed("confirmDialog"));
    w.settle();
    REQUIRE(w.until([&] { return namesIn(w.folders.user.data + "/Trash/files").empty(); }));
    w.window->setStage(Stage::Find);
    REQUIRE(w.until([&] { return page->isSettled() && page->figures() == "empty"; }));
    CHECK_FALSE(exists(w.p + "/tool.deb~"));
}

TEST_CASE("installed packages and deleted files that are held open", "[window][packages]")
{
    IdentifyWindow w;
    w.t.text("place/held", std::string(50000, 'h'));
    const UniqueFd held(::open((w.p + "/held").c_str(), O_RDONLY));
    w.start(Stage::Find);
    ::unlink((w.p + "/held").c_str());
    w.ask("Deleted, still held open");
    auto* open = w.window->findStage()->heldOpen();
    REQUIRE(w.until([&] { return open->isSettled() && open->table()->rowCount() > 0; }));
    bool found = false;
    for (int row = 0; row < open->table()->rowCount(); ++row)
        found |= open->table()->item(row, 0)->text() == QString::fromStdString(w.p + "/held");
    CHECK(found);

    w.ask("Installed packages");
    auto* packages = w.window->findStage()->packages();
    if (!PackageDatabase::read())
        return;
    REQUIRE(w.until([&] { return packages->isSettled() && packages->table()->rowCount() > 50; }));
    QTest::keyClicks(packages->findChild<QLineEdit*>("packageFilter"), "catch2");
    for (int row = 0; row < packages->table()->rowCount(); ++row)
        if (packages->table()->item(row, 0)->text() == "catch2")
            packages->table()->selectRow(row);
    w.click("copyRemove");
    CHECK(QGuiApplication::clipboard()->text() == "sudo apt remove catch2");
}

TEST_CASE("columns of the list are chosen and stay so", "[window][find]")
{
    IdentifyWindow w;
    w.start(Stage::Find);
    auto* list = w.window->findStage()->list();
    auto* header = list->horizontalHeader();
    const bool before = list->isColumnHidden(app::FileListModel::Apparent);
    emit header->customContextMenuRequested(QPoint(20, 8));
    auto* menu = w.window->findChild<QMenu*>("columnMenu");
    REQUIRE(menu);
    for (auto* action : menu->actions())
        if (action->text().remove(QLatin1Char('&')) == "apparent")
            action->trigger();
    menu->close();
    CHECK(list->isColumnHidden(app::FileListModel::Apparent) != before);
    header->resizeSection(app::FileListModel::Name, 233);
    w.open();
    w.start(Stage::Find);
    CHECK(w.window->findStage()->list()->isColumnHidden(app::FileListModel::Apparent) != before);
    CHECK(w.window->findStage()->list()->columnWidth(app::FileListModel::Name) == 233);
    // sorted by advice
    auto* column = w.window->findStage()->list()->horizontalHeader();
    emit column->sectionClicked(app::FileListModel::Advice);
    QTest::qWait(90);
    REQUIRE(w.until([&] { return w.window->findStage()->isSettled(); }));
    CHECK(w.window->findStage()->model()->index(0, app::FileListModel::Name).data() == "tool.deb~");
}
