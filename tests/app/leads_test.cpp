// SPDX-License-Identifier: GPL-3.0-or-later
// Leads in the window: at the right of Explore, as the first page of Find, planned by one key, put aside.
#include "window_fixture.h"

#include <QInputDialog>
#include <QMenu>
#include <filesystem>

#include "app/stages/explore/explore_stage.h"
#include "app/stages/explore/roles_view.h"
#include "app/stages/find/find_stage.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A snapshot of a made-up machine: what lies in the temporary folder of this one is temporary, whatever it is.
struct LeadWindow : Window {
    TestFolder t;
    std::string p = "/home/warden";

    LeadWindow()
    {
        const auto now = currentTime();
        const auto old = [now](Sapling sapling, int days) {
            sapling.modified = now - days * day;
            return sapling;
        };
        constexpr std::uint64_t MiB = 1 << 20;
        const auto tree = plant(folder(
            "/", {folder("home", {folder("warden",
                                         {folder("project", {folder("node_modules", {old(file("one.js", 9 * MiB), 9),
                                                                                     old(file("two.js", 3 * MiB), 9)}),
                                                             old(file("letter.odt", MiB), 9)}),
                                          folder("machines", {old(file("old.qcow2", 6 * MiB), 300)}),
                                          old(file("film.part", 4 * MiB), 9)})})}));
        SnapshotInfo info;
        info.place = info.mountPoint = "/";
        info.placeName = "desk";
        info.host = "skerry-desk";
        info.taken = now;
        REQUIRE(writeSnapshot(t / "desk.kurvo", info, *tree));
        open();
        key(Qt::Key_2, Qt::ControlModifier);
        settle();
    }
    void open()
    {
        models().snapshots.open(t / "desk.kurvo");
        REQUIRE(until([this] { return place() != nullptr; }));
    }
    void settle()
    {
        REQUIRE(until([this] { return models().leads.leads() && !models().leads.isWorking(); }));
    }
    app::LeadPanel* panel() { return window->exploreStage()->leads(); }
    void click(app::LeadPanel* where, const std::string& id, Qt::KeyboardModifiers with = {})
    {
        auto* list = where->list();
        for (int row = 0; row < list->model()->rowCount(); ++row)
            if (static_cast<app::LeadRows*>(list->model())->leadAt(row)->id == id)
                return QTest::mouseClick(list->viewport(), Qt::LeftButton, with,
                                         list->visualRect(list->model()->index(row, 0)).center());
        FAIL("no lead " << id);
    }
    std::set<std::string> planned()
    {
        std::set<std::string> paths;
        for (const auto& item : place()->plan.items())
            paths.insert(item.path);
        return paths;
    }
};

} // namespace

TEST_CASE("what stands out is at the right where one begins, and chosen it is selected in every view",
          "[window][leads]")
{
    LeadWindow w;
    CHECK(w.window->exploreStage()->showsLeads());
    CHECK(w.text("leadSums").contains("22.0 MiB in 3 leads"));
    w.click(w.panel(), "node-modules:" + w.p + "/project/node_modules");
    CHECK(w.selected() == w.p + "/project/node_modules");
    CHECK(w.window->exploreStage()->showsLeads());
    CHECK(w.text("leadSentence") == "Dependencies of JavaScript projects hold 12.0 MiB and may usually go.");
    const auto twelve = std::uint64_t{12} << 20;
    CHECK(Window::until([&] { return w.place()->litSize(w.node(w.p + "/project"), Measure::Disk) == twelve; }));
    // In Find the same one is chosen.
    w.key(Qt::Key_3, Qt::ControlModifier);
    CHECK(w.window->findStage()->showsLeads());
    REQUIRE(w.window->findStage()->leads()->current());
    CHECK(w.window->findStage()->leads()->current()->title == "Dependencies of JavaScript projects");
    // Whatever else is selected shows its own facts.
    w.key(Qt::Key_2, Qt::ControlModifier);
    w.models().cursor.select(w.node(w.p + "/film.part"));
    CHECK_FALSE(w.window->exploreStage()->showsLeads());
    CHECK(w.models().leads.chosen().empty());
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    CHECK(w.window->exploreStage()->showsLeads());
}

TEST_CASE("one key plans what may usually go among the chosen leads, as one change", "[window][leads]")
{
    LeadWindow w;
    const auto modules = w.p + "/project/node_modules", part = w.p + "/film.part";
    w.click(w.panel(), "node-modules:" + modules);
    w.click(w.panel(), "disk-images:" + w.p + "/machines/old.qcow2", Qt::ControlModifier);
    w.key(Qt::Key_P);
    REQUIRE(Window::until([&] { return !w.place()->plan.items().empty(); }));
    CHECK(w.planned() == std::set{modules}); // the machine is for somebody to decide on
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.planned().empty());
    // With none chosen it is all of them.
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    w.models().leads.choose({});
    w.key(Qt::Key_P);
    REQUIRE(Window::until([&] { return w.place()->plan.items().size() == 2; }));
    CHECK(w.planned() == std::set{modules, part});
    w.key(Qt::Key_P);
    CHECK(Window::until([&] { return w.notice().contains("planned already"); }));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    CHECK(w.planned().empty());
}

TEST_CASE("a lead that is put aside stays away, when it is opened again as well, until it is brought back",
          "[window][leads]")
{
    LeadWindow w;
    const auto id = "disk-images:" + w.p + "/machines/old.qcow2";
    w.click(w.panel(), id);
    QTest::mouseClick(w.panel()->asideButton(), Qt::LeftButton);
    auto* ask = w.window->findChild<QInputDialog*>("asideDialog");
    REQUIRE(ask);
    ask->setTextValue("of the survey");
    ask->accept();
    const auto has = [&] {
        for (const auto& lead : w.models().leads.leads()->leads)
            if (lead.id == id)
                return true;
        return false;
    };
    REQUIRE(Window::until([&] { return w.models().leads.aside().size() == 1; }));
    CHECK_FALSE(has());
    CHECK(w.models().leads.aside()[0].note == "of the survey");
    w.models().places.closePlace(0);
    w.open();
    w.settle();
    w.key(Qt::Key_2, Qt::ControlModifier);
    CHECK_FALSE(has());
    w.activate();
    QTest::mouseClick(w.panel()->findChild<QPushButton*>("leadsAside"), Qt::LeftButton);
    auto* menu = w.window->findChild<QMenu*>("asideMenu");
    REQUIRE(menu);
    CHECK(menu->actions().last()->text().contains("of the survey"));
    menu->actions().last()->trigger();
    REQUIRE(Window::until([&] { return w.models().leads.aside().empty(); }));
    CHECK(has());
}

TEST_CASE("going to a lead shows its facts, and its next step leads where it is done", "[window][leads]")
{
    LeadWindow w;
    w.click(w.panel(), "disk-images:" + w.p + "/machines/old.qcow2");
    QTest::mouseClick(w.child<QPushButton>("leadGo"), Qt::LeftButton);
    CHECK(w.focused() == w.p + "/machines");
    CHECK(w.selected() == w.p + "/machines/old.qcow2");
    CHECK_FALSE(w.window->exploreStage()->showsLeads());
    w.key(Qt::Key_L, Qt::ControlModifier | Qt::ShiftModifier);
    w.click(w.panel(), "partial-downloads:" + w.p + "/film.part");
    CHECK(w.panel()->stepButton()->text().startsWith("Plan"));
    QTest::mouseClick(w.panel()->stepButton(), Qt::LeftButton);
    REQUIRE(Window::until([&] { return !w.place()->plan.items().empty(); }));
    CHECK(Window::until([&] { return w.panel()->stepButton()->text() == "Planned"; }));
}

TEST_CASE("where nothing stands out the largest files are what Find begins with", "[window][leads]")
{
    Window w;
    const TestFolder t;
    t.file("place/a.odt", 5000);
    w.scan(t / "place");
    w.key(Qt::Key_3, Qt::ControlModifier);
    REQUIRE(Window::until([&] { return w.models().leads.leads() != nullptr; }));
    CHECK(Window::until([&] { return !w.window->findStage()->showsLeads(); }));
    w.key(Qt::Key_2, Qt::ControlModifier);
    CHECK_FALSE(w.window->exploreStage()->showsLeads());
}

TEST_CASE("roles: a table, a colour, a column and a filter", "[window][roles]")
{
    LeadWindow w;
    w.key(Qt::Key_4, Qt::AltModifier);
    auto* roles = w.window->exploreStage()->roles();
    REQUIRE(Window::until([&] { return roles->list()->topLevelItemCount() > 0; }));
    CHECK(roles->isVisible());
    CHECK(roles->list()->topLevelItem(0)->text(app::RolesView::Name) == "Development");
    CHECK(roles->list()->topLevelItem(0)->text(app::RolesView::Size) == "12.0 MiB");
    roles->list()->topLevelItem(0)->setExpanded(true);
    REQUIRE(Window::until([&] { return roles->list()->topLevelItem(0)->childCount() == 1; }));
    CHECK(roles->list()->topLevelItem(0)->child(0)->text(app::RolesView::Name) == "home/warden/project/node_modules");
    roles->list()->setCurrentItem(roles->list()->topLevelItem(0));
    const auto twelve = std::uint64_t{12} << 20;
    CHECK(Window::until([&] { return w.place()->litSize(w.node("/"), Measure::Disk) == twelve; }));
    w.key(Qt::Key_1, Qt::AltModifier);
    w.models().view.setColour(ColourBy::Role);
    REQUIRE(Window::until([&] { return w.place()->scheme->by() == ColourBy::Role; }));
    CHECK(w.place()->scheme->classOf(w.node(w.p + "/project/node_modules")) ==
          static_cast<unsigned>(RoleGroup::MachinesAndDevelopment));
    auto* find = w.window->findStage();
    w.key(Qt::Key_F, Qt::ControlModifier);
    find->filter()->setText("role:machines");
    REQUIRE(Window::until([&] { return find->isSettled() && find->model()->files().size() == 1; }));
    CHECK(find->model()->index(0, app::FileListModel::RoleOf).data().toString() == "Virtual machines and containers");
    find->filter()->setText("role:nonsense");
    CHECK(Window::until([&] { return w.text("filterProblem").contains("is no role"); }));
}

TEST_CASE("several versions side by side: all but the newest are planned, as one change", "[window][versions]")
{
    Window w;
    const TestFolder t;
    const auto now = currentTime();
    for (int i = 1; i <= 3; ++i)
        t.file("place/tools/plotter-1." + std::to_string(i * 4) + ".zip", 2 << 20, now - (500 - i * 150) * day);
    t.file("place/report.odt", 2 << 20, now - 9 * day);
    t.file("place/report (2).odt", 2 << 20, now - 3 * day);
    t.file("place/IMG_0001.jpg", 2 << 20, now);
    t.file("place/IMG_0002.jpg", 2 << 20, now);
    w.scan(t / "place");
    w.key(Qt::Key_3, Qt::ControlModifier);
    auto* find = w.window->findStage();
    find->showPage(find->versions());
    auto* page = find->versions();
    const auto planned = [&] {
        std::set<std::string> names;
        for (const auto& item : w.place()->plan.items())
            names.insert(item.path.substr(item.path.rfind('/') + 1));
        return names;
    };
    // What lies in the temporary folder is looked at as well: temporary is not what is left out.
    REQUIRE(Window::until([&] { return page->isSettled() && page->groups().size() == 2; }));
    CHECK(page->table()->item(0, 0)->text() == "plotter.zip");
    CHECK(page->figures() == "2 groups, 6.00 MiB");
    page->table()->selectRow(0);
    CHECK(w.selected().ends_with("plotter-1.8.zip"));
    page->keepBox()->setValue(2);
    QTest::mouseClick(page->planButton(), Qt::LeftButton);
    REQUIRE(Window::until([&] { return !w.place()->plan.items().empty(); }));
    CHECK(planned() == std::set<std::string>{"plotter-1.4.zip"});
    REQUIRE(Window::until([&] { return w.place()->checkedAt != 0 && !w.models().runner.planJob(); }));
    w.key(Qt::Key_Z, Qt::ControlModifier);
    w.key(Qt::Key_3, Qt::ControlModifier);
    page->keepBox()->setValue(1);
    REQUIRE(page->isVisible());
    CHECK(w.place()->plan.items().empty());
    page->ageBox()->setCurrentIndex(2); // not changed for a year
    page->table()->clearSelection();
    QTest::mouseClick(page->planButton(), Qt::LeftButton);
    CHECK(Window::until([&] { return w.notice().contains("None of them is old enough"); }));
    page->ageBox()->setCurrentIndex(0);
    QTest::mouseClick(page->planButton(), Qt::LeftButton);
    REQUIRE(Window::until([&] { return w.place()->plan.items().size() == 3; }));
    CHECK(planned() == std::set<std::string>{"plotter-1.4.zip", "plotter-1.8.zip", "report.odt"});
}

TEST_CASE("leads are of the tree that is there, also after folders were read again", "[window][leads]")
{
    Window w;
    const TestFolder t;
    const auto old = currentTime() - 40 * day;
    for (int i = 0; i < 6; ++i)
        t.file("place/work/film-" + std::to_string(i) + ".part", 3 << 20, old);
    w.scan(t / "place");
    w.key(Qt::Key_2, Qt::ControlModifier);
    REQUIRE(Window::until([&] { return w.models().leads.leads() && !w.models().leads.leads()->leads.empty(); }));
    auto* list = w.window->exploreStage()->leads()->list();
    REQUIRE(Window::until([&] { return list->model()->rowCount() > 0; }));
    QTest::mouseClick(list->viewport(), Qt::LeftButton, {}, list->visualRect(list->model()->index(0, 0)).center());
    const auto before = w.place()->tree;
    for (int i = 0; i < 5; ++i)
        std::filesystem::remove(t / ("place/work/film-" + std::to_string(i) + ".part"));
    w.models().scans.rescan(rootNode);
    REQUIRE(Window::until([&] { return w.place()->tree->sharedStore() != before->sharedStore(); }));
    list->viewport()->repaint(); // the rows that are still there ask nothing of a tree that is not theirs
    REQUIRE(Window::until([&] { return w.models().leads.leads() && !w.models().leads.isWorking(); }));
    std::uint64_t bytes = 0;
    for (const auto& lead : w.models().leads.leads()->leads)
        bytes += lead.bytes;
    CHECK(bytes <= std::uint64_t{4} << 20);
}
