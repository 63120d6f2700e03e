// SPDX-License-Identifier: GPL-3.0-or-later
// Upkeep in the window: a rule from what is looked at, in two steps; the page of rules; carrying one out; news.
#include <catch2/catch.hpp>

#include <fcntl.h>

#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>

#include <ctime>

#include "app/dialogs/upkeep_dialog.h"
#include "app/window_fixture.h"
#include "core/base/figures.h"
#include "core/platform/trash.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

constexpr auto ctrlAlt = Qt::ControlModifier | Qt::AltModifier;

void press(QWidget* within, const char* button)
{
    auto* found = within->findChild<QPushButton*>(button);
    REQUIRE(found);
    REQUIRE(Window::until([&] { return found->isEnabled(); }));
    QTest::mouseClick(found, Qt::LeftButton);
}

/// Something in the trash since so many days.
std::string trashed(const Window& w, const std::string& name, int days)
{
    const auto path = w.t.file("home/" + name, 5000, 1600000000);
    EntryStat stat;
    REQUIRE(statEntry(AT_FDCWD, path.c_str(), stat) == 0);
    const auto item = moveToTrash(path, stat, w.folders.user);
    REQUIRE(item);
    const auto note = item->folder.path + "/info/" + item->name + ".trashinfo";
    char date[32];
    const std::time_t when = currentTime() - days * 86400;
    std::strftime(date, sizeof date, "%Y-%m-%dT%H:%M:%S", std::localtime(&when));
    auto text = readAll(note);
    text.replace(text.find("DeletionDate=") + 13, 19, date);
    writeAll(note, text);
    return item->folder.path + "/files/" + item->name;
}

} // namespace

TEST_CASE("a rule is made of a filter in two steps, and stands on the page of rules", "[window][upkeep]")
{
    Window w;
    const auto film = w.t.file("place/films/old.mkv", 900000, 1600000000);
    w.t.file("place/papers/a.odt", 40000);
    w.scan(w.t / "place");
    w.window->setStage(Stage::Find);
    w.key(Qt::Key_R, ctrlAlt); // nothing is asked, and no item is chosen
    CHECK(w.notice().contains("a rule is made of that"));
    w.window->findStage()->showFiles();
    w.window->findStage()->filter()->setText("*.mkv");
    REQUIRE(Window::until([&] { return w.window->findStage()->isSettled(); }));
    w.key(Qt::Key_R, ctrlAlt);
    auto* dialog = w.dialog<app::RuleDialog>("ruleDialog");
    CHECK(dialog->findChild<QLineEdit*>("ruleFilter")->text() == "*.mkv");
    dialog->findChild<QLineEdit*>("ruleTitle")->setText("Old films");
    auto* most = dialog->findChild<QLineEdit*>("ruleMost");
    most->setText("lots");
    press(dialog, "seeRule");
    CHECK(dialog->findChild<QLabel*>("ruleProblem")->text().contains("no size"));
    most->setText("5 GiB");
    dialog->findChild<QSpinBox*>("ruleOlder")->setValue(90);
    press(dialog, "seeRule");
    REQUIRE(Window::until([&] { return dialog->items()->rowCount() == 1; }));
    CHECK(dialog->items()->item(0, 3)->text().toStdString() == film);
    CHECK(dialog->items()->item(0, 0)->text() == "stays"); // the test has just made it
    CHECK(dialog->items()->item(0, 3)->toolTip().contains("within the last hour"));
    press(dialog, "backToRule");
    CHECK(most->text() == "5 GiB");
    press(dialog, "seeRule");
    press(dialog, "keepRuleOff");
    REQUIRE(w.closed("ruleDialog"));
    const auto rules = readUpkeepRules(w.folders.upkeep());
    REQUIRE(rules.rules.size() == 1);
    CHECK(rules.rules[0].title == "Old films");
    CHECK(rules.rules[0].olderDays == 90);
    CHECK(rules.rules[0].most == std::uint64_t{5} << 30);
    CHECK_FALSE(rules.rules[0].on);
    CHECK(exists(film));

    w.activate();
    w.key(Qt::Key_U, ctrlAlt);
    auto* page = w.dialog<app::UpkeepDialog>("upkeepDialog");
    REQUIRE(Window::until([&] { return page->table()->rowCount() == 9; })); // with those that are ready
    CHECK(page->table()->item(0, 1)->text() == "Old films");
    CHECK(page->table()->item(0, 0)->text() == "off");
    CHECK(page->findChild<QLabel*>("ruleText")->text().contains("not changed for 90 days"));
    press(page, "removeRule");
    REQUIRE(Window::until([&] { return page->table()->rowCount() == 8; }));
    CHECK(readUpkeepRules(w.folders.upkeep()).rules.empty());
}

TEST_CASE("a rule is carried out from the page after a look, and told", "[window][upkeep]")
{
    Window w;
    w.t.file("home/papers/a.odt", 40000);
    const auto old = trashed(w, "old", 60), young = trashed(w, "young", 3);
    w.key(Qt::Key_U, ctrlAlt);
    auto* page = w.dialog<app::UpkeepDialog>("upkeepDialog");
    REQUIRE(Window::until([&] { return page->table()->rowCount() == 8; }));
    page->table()->setCurrentCell(0, 1); // trash older than 30 days
    press(page, "lookAtRule");
    auto* items = page->findChild<app::UpkeepItems*>("upkeepItems");
    REQUIRE(Window::until([&] { return items->rowCount() == 1; }));
    CHECK(items->item(0, 3)->text().toStdString() == old);
    CHECK(exists(old));
    press(page, "runRule");
    auto* sure = w.dialog<QDialog>("upkeepRun");
    QTest::keyClick(sure, Qt::Key_Escape); // leaves everything as it is
    REQUIRE(w.closed("upkeepRun"));
    CHECK(exists(old));
    press(page, "runRule");
    press(w.dialog<QDialog>("upkeepRun"), "carryOutRule");
    REQUIRE(Window::until([&] { return !exists(old); }));
    CHECK(exists(young));
    REQUIRE(Window::until([&] { return !page->table()->item(0, 2)->text().isEmpty(); })); // what it did last
    CHECK(w.notice().contains("1 item"));
    REQUIRE(Window::until([&] { return !w.models().logbook.history().empty(); }));
    CHECK(w.models().logbook.history()[0].run.rule == "old-trash");
}

TEST_CASE("what rules did is told when the window starts, once", "[window][upkeep]")
{
    Window w;
    UpkeepBook book;
    book.news.push_back({currentTime() - 3600, "Old films", "3 items, 2.00 GiB put into the trash.", 7});
    REQUIRE(writeUpkeepBook(w.folders.data + "/upkeep.json", book));
    w.open();
    REQUIRE(Window::until([&] { return w.notice().contains("Old films"); }));
    CHECK(w.notice().contains("put into the trash"));
    w.open();
    QTest::qWait(300);
    CHECK_FALSE(w.notice().contains("Old films"));
}
