// SPDX-License-Identifier: GPL-3.0-or-later
// The descent beyond walking: opening in place, order, facts, finding names, several items; and what the dossier asks
// the disk.
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <QClipboard>

#include "app/style/words.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct DescentWindow : Window {
    std::string p;
    DescentWindow()
    {
        p = t / "place";
        t.file("place/reports/june.pdf", 3 << 20, 1700000000);
        t.file("place/reports/may.pdf", 2 << 20, 1600000000);
        t.file("place/reports/.old/april.pdf", 1 << 20, 1600000000);
        t.file("place/beta.iso", 4 << 20, 1500000000);
        for (int i = 0; i < 5; ++i)
            t.file("place/alpha/f" + std::to_string(i), 100000, 1650000000);
        t.symlink("/no/such/target", "place/alpha/dangling");
        scan(p);
        list()->setFocus();
    }
    app::DescentView* descent() { return window->exploreStage()->descent(); }
    QListView* list() { return descent()->list(); }
    QStringList rows()
    {
        QStringList names;
        for (int row = 0; row < list()->model()->rowCount(); ++row)
            names << list()->model()->index(row, 0).data().toString();
        return names;
    }
    void press(int key, Qt::KeyboardModifiers modifiers = Qt::NoModifier)
    {
        QTest::keyClick(list(), static_cast<Qt::Key>(key), modifiers);
    }
    QString facts()
    {
        QStringList texts;
        for (const auto* label : child<QWidget>("dossier")->findChildren<QLabel*>())
            texts << label->text();
        return texts.join('\n').remove(QChar(0x200B));
    }
};

} // namespace

TEST_CASE("a folder opened in place shows its children without being entered", "[window][descent]")
{
    DescentWindow w;
    CHECK(w.rows() == QStringList{"reports", "beta.iso", "alpha"});
    w.models().cursor.select(w.node(w.p + "/reports"));
    w.press(Qt::Key_Right, Qt::ShiftModifier);
    CHECK(w.rows() == QStringList{"reports", "june.pdf", "may.pdf", ".old", "beta.iso", "alpha"});
    CHECK(w.focused() == w.p);
    w.press(Qt::Key_Down);
    CHECK(w.selected() == w.p + "/reports/june.pdf");
    w.press(Qt::Key_Left, Qt::ShiftModifier); // to the folder it is in
    CHECK(w.selected() == w.p + "/reports");
    w.press(Qt::Key_Left, Qt::ShiftModifier); // and closed
    CHECK(w.rows().size() == 3);
    // by mouse, on the mark before the name
    const auto row = w.list()->visualRect(w.list()->model()->index(0, 0));
    QTest::mouseClick(w.list()->viewport(), Qt::LeftButton, {}, row.topLeft() + QPoint(8, 12));
    CHECK(w.rows().size() == 6);
    w.models().scans.rescan(w.node(w.p + "/alpha")); // reading another folder again keeps nothing that could be wrong
    w.settle();
    CHECK(w.rows().contains("reports"));
}

TEST_CASE("the descent in another order, with facts on request, both remembered", "[window][descent]")
{
    DescentWindow w;
    w.choose("descentSort", "by name");
    CHECK(w.rows() == QStringList{"alpha", "beta.iso", "reports"});
    w.choose("descentSort", "most files first");
    CHECK(w.rows().first() == "alpha");
    w.choose("descentSort", "newest change first");
    CHECK(w.rows().last() == "beta.iso");
    const auto height = w.list()->visualRect(w.list()->model()->index(0, 0)).height();
    w.choose("descentFacts", "number of files");
    CHECK(w.list()->visualRect(w.list()->model()->index(0, 0)).height() > height);
    w.open();
    w.scan(w.p);
    CHECK(w.descent()->sort() == DescentSort::Date);
    CHECK(w.descent()->facts() == app::FactCount);
    w.list()->grab();
}

TEST_CASE("a name is found by its beginning, and its letters are no actions meanwhile", "[window][descent]")
{
    DescentWindow w;
    w.press(Qt::Key_Slash);
    CHECK(w.text("typing").contains("name begins with"));
    QTest::keyClicks(w.list(), "al");
    CHECK(w.selected() == w.p + "/alpha");
    CHECK(w.focused() == w.p);                    // L did not look for the largest file
    QTest::keyClick(w.list(), Qt::Key_Backspace); // takes a letter back, does not go up
    QTest::keyClicks(w.list(), "x");
    CHECK(w.text("typing").contains("no name in here begins with"));
    w.press(Qt::Key_Escape);
    CHECK_FALSE(w.child<QLabel>("typing")->isVisible());
    w.models().cursor.setFocus(w.node(w.p + "/reports"));
    QTest::keyClicks(w.list(), "j"); // a letter that is no action begins at once
    CHECK(w.selected() == w.p + "/reports/june.pdf");
}

TEST_CASE("several items: their sum counts nothing twice, and they are planned together", "[window][descent]")
{
    DescentWindow w;
    const auto at = [&](const char* path) { return w.node(w.p + path); };
    w.models().cursor.select(at("/beta.iso"));
    w.models().cursor.toggleSelected(at("/reports"));
    w.models().cursor.toggleSelected(at("/reports/june.pdf")); // lies in another
    CHECK(w.text("dossierName") == "3 items selected");
    const auto& tree = *w.place()->tree;
    CHECK(w.text("dossierSize") == app::sizeText(tree.disk(at("/beta.iso")) + tree.disk(at("/reports"))));
    CHECK(w.text("dossierNote").contains("counted once"));
    w.key(Qt::Key_C, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(QGuiApplication::clipboard()->text().split('\n').size() == 2);
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.has(at("/beta.iso")));
    CHECK(w.place()->plan.has(at("/reports")));
    CHECK(w.place()->plan.items().size() == 2);
    w.key(Qt::Key_Delete);
    CHECK(w.place()->plan.empty());
    // by key in the list
    w.models().cursor.select(at("/reports"));
    w.press(Qt::Key_Down, Qt::ShiftModifier);
    CHECK(w.place()->alsoSelected.size() == 1);
    w.models().cursor.select(noNode);
    CHECK(w.place()->alsoSelected.empty());
}

TEST_CASE("all of very many items at once", "[window][descent]")
{
    Window w;
    for (int i = 0; i < 3000; ++i)
        w.t.text("many/n" + std::to_string(i), "x");
    w.scan(w.t / "many");
    auto* list = w.window->exploreStage()->descent()->list();
    const auto rest = list->model()->index(list->model()->rowCount() - 1, 0);
    emit list->doubleClicked(rest);
    CHECK(list->model()->rowCount() == 3000);
    list->setFocus();
    QTest::keyClick(list, Qt::Key_A, Qt::ControlModifier);
    CHECK(w.text("dossierName") == "3,000 items selected");
    w.window->grab();
    w.key(Qt::Key_Delete);
    CHECK(w.notice().contains("too many to plan one by one"));
    CHECK(w.place()->plan.empty());
}

TEST_CASE("the dossier asks the disk what the scan does not keep", "[window][descent]")
{
    DescentWindow w;
    const auto path = w.p + "/beta.iso";
    ::chmod(path.c_str(), 0640);
    w.models().cursor.select(w.node(path));
    REQUIRE(Window::until([&] { return w.facts().contains("owner: read, write · group: read · others: nothing"); }));
    CHECK(w.facts().contains("Group"));
    w.models().cursor.select(w.node(w.p + "/alpha/dangling"));
    REQUIRE(Window::until([&] { return w.facts().contains("/no/such/target (nothing is there)"); }));
    w.models().cursor.select(w.node(w.p + "/reports/may.pdf"));
    ::unlink((w.p + "/reports/may.pdf").c_str());
    REQUIRE(Window::until([&] { return w.facts().contains("no longer there"); }));
}

TEST_CASE("a place is read again while one points at it and something is lit and open", "[window][descent]")
{
    DescentWindow w;
    w.click("showTypes");
    auto* types = w.window->exploreStage()->types()->list();
    REQUIRE(Window::until([&] { return types->topLevelItemCount() > 0; }));
    types->setCurrentItem(types->topLevelItem(0));
    types->topLevelItem(0)->setExpanded(true);
    for (const auto* picture : {"showTreemap", "showSunburst", "showTypes"}) {
        w.click(picture);
        w.descent()->toggleOpened(w.node(w.p + "/reports"));
        w.models().cursor.setHover(w.node(w.p + "/reports/june.pdf"));
        w.models().cursor.select(w.node(w.p + "/reports/june.pdf"));
        w.models().cursor.toggleSelected(w.node(w.p + "/alpha"));
        w.t.file("place/reports/new-" + std::string(picture), 500000);
        w.models().scans.rescan(w.node(w.p));
        w.settle();
        CHECK(w.node(w.p + "/reports/new-" + picture) != noNode);
        CHECK(w.selected() == w.p + "/alpha");
        w.window->grab();
        if (QString(picture) == "showTypes")
            continue;
        w.clickTile(w.p + "/beta.iso");
        CHECK(w.selected() == w.p + "/beta.iso");
    }
}

TEST_CASE("how much weight is followed is a choice", "[window][descent]")
{
    DescentWindow w;
    w.key(Qt::Key_W); // reports holds 6 of 10.5 MiB
    CHECK(w.notice().contains("80 %"));
    w.models().cursor.setWeightThreshold(0.55);
    w.click("follow");
    CHECK(w.focused() == w.p + "/reports");
    emit w.child<QLabel>("passed")->linkActivated(QString::number(rootNode)); // each level can be gone to
    CHECK(w.focused() == w.p);
    CHECK_FALSE(w.child<QLabel>("passed")->isVisible());
}
