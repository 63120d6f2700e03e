// SPDX-License-Identifier: GPL-3.0-or-later
// What somebody meets who uses keys only, or hears the window.
#include <catch2/catch.hpp>

#include <QAccessible>
#include <QAccessibleActionInterface>
#include <QButtonGroup>
#include <QMenu>
#include <QPointer>
#include <QRadioButton>

#include <map>
#include <set>

#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;
using app::Stage;

namespace {

struct Hearing : Window {
    Hearing()
    {
        for (const auto* name : {"films/one.mkv", "films/two.mkv", "songs/a.flac", ".cache/tiles", "notes.txt"})
            t.file(std::string("place/") + name, 400000);
        scan(t / "place");
        QTest::qWait(1100);
        t.file("place/films/three.mkv", 900000);
        scan(t / "place");
        models().plan.planTrash(node(t / "place/notes.txt"));
    }
    void show(Stage stage)
    {
        window->setStage(stage);
        settle();
        if (stage == Stage::Compare)
            REQUIRE(until([this] { return window->compareStage()->comparing().comparison() != nullptr; }));
        QTest::qWait(200);
    }
    /// All that can be heard, as a reader goes through it.
    template <typename Visit>
    void walk(QAccessibleInterface* from, const Visit& visit, int level = 0)
    {
        if (!from || !from->isValid() || level > 40)
            return;
        visit(from);
        const auto role = from->role();
        if (role == QAccessible::Table || role == QAccessible::Tree)
            return; // its cells are Qt's
        for (int i = 0; i < from->childCount(); ++i)
            walk(from->child(i), visit, level + 1);
    }
    /// Of buttons of which one is on, Tab comes to that one.
    static bool isReachedByArrows(const QWidget* widget)
    {
        const auto* button = qobject_cast<const QAbstractButton*>(widget);
        return button && button->group() && button->group()->exclusive() && !button->isChecked();
    }
    std::set<QWidget*> focusable()
    {
        std::set<QWidget*> all;
        for (auto* widget : window->findChildren<QWidget*>())
            if (widget->isVisible() && widget->isEnabled() && (widget->focusPolicy() & Qt::TabFocus) != 0 &&
                widget->window() == window.get() && !widget->focusProxy() && !isReachedByArrows(widget))
                all.insert(widget);
        return all;
    }
};

constexpr Stage everyStage[] = {Stage::Scan, Stage::Explore, Stage::Find, Stage::Compare, Stage::Clear};

} // namespace

TEST_CASE("whatever takes the focus has a name, and hidden stages are not heard", "[window][accessible]")
{
    Hearing w;
    for (const auto stage : everyStage) {
        w.show(stage);
        std::size_t heard = 0;
        w.walk(QAccessible::queryAccessibleInterface(w.window.get()), [&](QAccessibleInterface* one) {
            ++heard;
            const auto state = one->state();
            const auto* object = one->object();
            const auto* widget = qobject_cast<const QWidget*>(object);
            INFO("stage " << static_cast<int>(stage) << ": " << (object ? object->metaObject()->className() : "part")
                          << " " << (object ? object->objectName().toStdString() : std::string()));
            if (state.focusable && !state.invisible && (!widget || (widget->focusPolicy() & Qt::TabFocus) != 0) &&
                widget != w.window.get())
                CHECK_FALSE((one->text(QAccessible::Name) + one->text(QAccessible::Description)).isEmpty());
        });
        CHECK(heard > 20);
    }
}

TEST_CASE("pictures, bars and curves have their parts, with names, values and places", "[window][accessible]")
{
    Hearing w;
    const auto partsOf = [](QWidget* widget) {
        QStringList parts;
        auto* all = QAccessible::queryAccessibleInterface(widget);
        for (int i = 0; i < all->childCount(); ++i)
            parts << all->child(i)->text(QAccessible::Name);
        return parts.join('\n');
    };
    w.show(Stage::Explore);
    auto* explore = w.window->exploreStage();
    CHECK(partsOf(explore->picture()).contains("films"));
    CHECK(partsOf(explore->legend()).contains("Video"));
    CHECK(partsOf(w.window->findChild<app::GaugeBar*>()).contains("free"));
    w.show(Stage::Find);
    CHECK(partsOf(w.window->findStage()->ageField()).contains("three.mkv"));
    w.show(Stage::Compare);
    CHECK(partsOf(w.window->compareStage()->picture()).contains("films"));
    CHECK(partsOf(w.window->compareStage()->curve()).contains("today"));

    // Pressed by a reader, a part does what the mouse would.
    w.show(Stage::Explore);
    auto* first = QAccessible::queryAccessibleInterface(explore->picture())->child(0);
    first->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
    CHECK(w.selected() == first->text(QAccessible::Description).toStdString());
    CHECK(first->state().selected);
    CHECK_FALSE(first->rect().isEmpty());
    auto* find = QAccessible::queryAccessibleInterface(w.window->findChild<app::Rail*>()->button(Stage::Find));
    CHECK(find->role() == QAccessible::PageTab);
    CHECK_FALSE(find->state().selected);
    find->actionInterface()->doAction(QAccessibleActionInterface::pressAction());
    CHECK(w.window->stage() == Stage::Find);
    CHECK(find->state().selected);
    w.models().notices.say("Something happened.");
    auto* notice = QAccessible::queryAccessibleInterface(w.window->findChild<app::NoticeBar*>());
    CHECK(notice->role() == QAccessible::AlertMessage);
    CHECK(notice->text(QAccessible::Name) == "Something happened.");
}

TEST_CASE("Tab comes to everything in a stage and out of every list, both ways", "[window][accessible]")
{
    Hearing w;
    for (const auto stage : everyStage) {
        w.show(stage);
        const auto wanted = w.focusable();
        for (const auto key : {Qt::Key_Tab, Qt::Key_Backtab}) {
            std::set<QWidget*> met;
            for (std::size_t i = 0; i < 3 * wanted.size() + 20; ++i) {
                auto* focus = QApplication::focusWidget();
                REQUIRE(focus);
                met.insert(focus);
                QTest::keyClick(focus, key, key == Qt::Key_Backtab ? Qt::ShiftModifier : Qt::NoModifier);
            }
            for (auto* widget : wanted) {
                INFO("stage " << static_cast<int>(stage) << (key == Qt::Key_Tab ? " Tab " : " Shift+Tab ")
                              << widget->metaObject()->className() << " " << widget->objectName().toStdString());
                CHECK(met.contains(widget));
            }
        }
    }
}

TEST_CASE("F6 goes from pane to pane, and Shift+F10 opens the menu of what is current", "[window][accessible]")
{
    Hearing w;
    for (const auto stage : everyStage) {
        w.show(stage);
        std::map<QWidget*, int> met;
        for (int i = 0; i < 24; ++i) {
            QTest::keyClick(QApplication::focusWidget(), Qt::Key_F6);
            ++met[QApplication::focusWidget()];
        }
        INFO("stage " << static_cast<int>(stage));
        CHECK(met.size() >= 3);
        auto* before = QApplication::focusWidget();
        QTest::keyClick(before, Qt::Key_F6);
        QTest::keyClick(QApplication::focusWidget(), Qt::Key_F6, Qt::ShiftModifier);
        CHECK(QApplication::focusWidget() == before);
    }
    const auto opens = [&](QWidget* widget) {
        w.activate(); // a menu takes it away
        widget->setFocus();
        CHECK(Window::until([&] { return QApplication::focusWidget() == widget; }));
        QTest::keyClick(widget, Qt::Key_F10, Qt::ShiftModifier);
        auto* menu = QApplication::activePopupWidget();
        const bool some = menu && !menu->actions().isEmpty();
        if (menu)
            menu->close();
        QTest::qWait(20);
        return some;
    };
    w.show(Stage::Explore);
    w.models().cursor.select(w.node(w.t / "place/films"));
    auto* explore = w.window->exploreStage();
    CHECK(opens(explore->descent()->list()));
    CHECK(opens(explore->picture()));
    CHECK(opens(explore->legend()));
    w.show(Stage::Find);
    w.window->findStage()->showFiles();
    auto* found = w.window->findStage()->list();
    REQUIRE(Window::until([&] { return w.window->findStage()->isSettled() && found->model()->rowCount() > 0; }));
    found->selectRow(0);
    CHECK(opens(found));
    w.show(Stage::Compare);
    CHECK(opens(w.window->compareStage()->picture()));
}

TEST_CASE("panels give way to the middle, come by key, and are as they were at the next start", "[window][accessible]")
{
    Hearing w;
    w.show(Stage::Explore);
    auto* sides = w.window->exploreStage()->sides();
    using Side = app::SidePanels::Side;
    CHECK(sides->isShown(Side::Right));
    w.window->resize(800, 560);
    QTest::qWait(50);
    CHECK(w.window->size() == QSize(800, 560));
    CHECK(sides->isShown(Side::Left));
    CHECK_FALSE(sides->isShown(Side::Right));
    CHECK(w.window->exploreStage()->picture()->width() > 300);
    w.key(Qt::Key_F8); // asked for, it comes, and the other one gives way
    CHECK(sides->isShown(Side::Right));
    CHECK_FALSE(sides->isShown(Side::Left));
    w.window->resize(1280, 800);
    QTest::qWait(50);
    CHECK(sides->isShown(Side::Left));
    w.key(Qt::Key_F7);
    CHECK_FALSE(sides->isShown(Side::Left));
    w.window->close();
    w.open();
    CHECK_FALSE(w.window->exploreStage()->sides()->isShown(Side::Left));
}

TEST_CASE("places are closed by key, the title says what runs, and the last place comes again", "[window][accessible]")
{
    Hearing w;
    w.show(Stage::Explore);
    CHECK(w.window->windowTitle().startsWith("place"));
    w.window->close();
    w.open();
    w.window->openLastPlace(); // nobody asked for that
    QTest::qWait(100);
    CHECK(w.models().places.places().empty());
    for (auto* action : w.window->actions())
        if (action->text() == "Open the last place at the start")
            action->trigger();
    w.scan(w.t / "place");
    REQUIRE(Window::until([&] { return !w.place()->snapshotFile.empty(); }));
    w.window->close();
    w.open();
    w.window->openLastPlace();
    REQUIRE(Window::until([&] { return w.place() != nullptr; }));
    CHECK(w.place()->info.place == w.t / "place");
    w.key(Qt::Key_W, Qt::ControlModifier);
    CHECK(w.models().places.places().empty());
    CHECK(w.window->windowTitle() == "Kurvo");
}

TEST_CASE("the tour goes from stage to stage, follows who goes by himself, and is left at any moment", "[window][tour]")
{
    Hearing w;
    w.show(Stage::Explore);
    auto* words = w.child<QLabel>("tourWords");
    CHECK_FALSE(words->isVisible());
    for (auto* action : w.window->actions())
        if (action->text() == "Tour of the stages")
            action->trigger();
    CHECK(words->isVisible());
    CHECK(w.window->stage() == Stage::Scan);
    CHECK(words->text().contains("1 of 5"));
    w.click("tourNext");
    CHECK(w.window->stage() == Stage::Explore);
    CHECK(words->text().contains("2 of 5"));
    w.key(Qt::Key_4, Qt::ControlModifier);
    CHECK(w.window->stage() == Stage::Compare);
    CHECK(words->text().contains("4 of 5"));
    w.click("tourNext");
    CHECK(w.window->stage() == Stage::Clear);
    w.click("tourNext"); // done
    CHECK_FALSE(words->isVisible());
    CHECK(w.window->stage() == Stage::Clear);
}

TEST_CASE("two fingers go into a picture and out of it", "[window][accessible]")
{
    Hearing w;
    w.show(Stage::Explore);
    auto* picture = w.window->exploreStage()->picture();
    const auto at = picture->pointOf(w.node(w.t / "place/films"));
    static auto* touch = QTest::createTouchDevice();
    const auto pinch = [&](int from, int to) {
        const auto fingers = [&](int apart) { return std::pair(at - QPoint(apart, 0), at + QPoint(apart, 0)); };
        QTest::touchEvent(picture, touch).press(0, fingers(from).first).press(1, fingers(from).second);
        for (int i = 1; i <= 10; ++i) {
            const auto [one, other] = fingers(from + (to - from) * i / 10);
            QTest::touchEvent(picture, touch).move(0, one).move(1, other);
        }
        QTest::touchEvent(picture, touch).release(0, fingers(to).first).release(1, fingers(to).second);
        QTest::qWait(50);
    };
    pinch(10, 60);
    CHECK(w.focused() == w.t / "place/films");
    w.settle();
    pinch(60, 10);
    CHECK(w.focused() == w.t / "place");
}

TEST_CASE("every dialog is left by Escape, has names, and Tab comes to all of it", "[window][accessible]")
{
    Hearing w;
    w.t.folder("place/locked");
    w.show(Stage::Explore);
    const auto command = [&](const QString& words) {
        for (auto* action : w.window->actions())
            if (action->text() == words)
                return action;
        FAIL(words.toStdString());
        return static_cast<QAction*>(nullptr);
    };
    const auto select = [&] {
        w.settle();
        w.models().cursor.select(w.node(w.t / "place/films"));
    };
    const QStringList asked = {"Keyboard shortcuts", "Ledger…",      "Unreadable items…", "All marks…", "Plan: move…",
                               "Empty trash…",       "Open a plan…", "Choose a folder…",  "Snapshots…"};
    for (const auto& words : asked) {
        INFO(words.toStdString());
        select();
        if (words == "Snapshots…") {
            w.show(Stage::Compare);
            w.window->compareStage()->findChild<QAction*>("snapshots")->trigger();
        } else {
            command(words)->trigger();
        }
        QDialog* dialog = nullptr;
        REQUIRE(Window::until([&] {
            for (auto* one : w.window->findChildren<QDialog*>())
                if (one->isVisible())
                    dialog = one;
            return dialog != nullptr;
        }));
        CHECK_FALSE(dialog->windowTitle().isEmpty());
        dialog->activateWindow();
        QTest::qWait(60);
        w.walk(QAccessible::queryAccessibleInterface(dialog), [&](QAccessibleInterface* one) {
            const auto* widget = qobject_cast<const QWidget*>(one->object());
            if (widget && widget->isVisible() && widget->isEnabled() && (widget->focusPolicy() & Qt::TabFocus) != 0 &&
                widget != dialog) {
                INFO(widget->metaObject()->className() << " " << widget->objectName().toStdString());
                CHECK_FALSE((one->text(QAccessible::Name) + one->text(QAccessible::Description)).isEmpty());
            }
        });
        std::set<QWidget*> wanted;
        for (auto* widget : dialog->findChildren<QWidget*>())
            if (widget->isVisible() && widget->isEnabled() && (widget->focusPolicy() & Qt::TabFocus) != 0 &&
                widget->window() == dialog && !widget->focusProxy() && !w.isReachedByArrows(widget) &&
                !qobject_cast<QRadioButton*>(widget))
                wanted.insert(widget);
        CHECK_FALSE(wanted.empty());
        for (const auto key : {Qt::Key_Tab, Qt::Key_Backtab}) {
            std::set<QWidget*> met;
            for (std::size_t i = 0; i < 2 * wanted.size() + 4; ++i) {
                auto* focus = dialog->focusWidget() ? dialog->focusWidget() : dialog;
                met.insert(focus);
                QTest::keyClick(focus, key, key == Qt::Key_Backtab ? Qt::ShiftModifier : Qt::NoModifier);
            }
            for (auto* widget : wanted) {
                INFO((key == Qt::Key_Tab ? "Tab " : "Shift+Tab ")
                     << widget->metaObject()->className() << " " << widget->objectName().toStdString());
                CHECK(met.contains(widget));
            }
        }
        QPointer guarded(dialog);
        QTest::keyClick(dialog, Qt::Key_Escape);
        CHECK(Window::until([&] { return !guarded || !guarded->isVisible(); }));
        w.activate();
    }
}

TEST_CASE("menus and dialogs have letters to press, while they are shown", "[window][accessible]")
{
    Hearing w;
    w.show(Stage::Explore);
    QTest::keyClick(w.window.get(), Qt::Key_F10);
    auto* menu = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    REQUIRE(menu);
    std::set<QString> letters;
    for (const auto* action : menu->actions())
        if (!action->isSeparator()) {
            INFO(action->text().toStdString());
            const auto at = action->text().indexOf('&');
            REQUIRE(at >= 0);
            CHECK(letters.insert(action->text().mid(at + 1, 1).toLower()).second);
        }
    QTest::keyClick(menu, Qt::Key_G); // Go
    auto* go = qobject_cast<QMenu*>(QApplication::activePopupWidget());
    REQUIRE(go != menu);
    CHECK(go->menuAction()->iconText() == "Go");
    while (auto* popup = QApplication::activePopupWidget())
        popup->close();
    for (const auto* action : menu->actions())
        CHECK_FALSE(action->text().contains('&'));

    w.activate();
    w.models().cursor.select(w.node(w.t / "place/films"));
    for (auto* action : w.window->actions())
        if (action->text() == "Plan: move…")
            action->trigger();
    auto* move = w.dialog<QDialog>("moveDialog");
    for (const auto* button : move->findChildren<QPushButton*>()) {
        INFO(button->text().toStdString());
        CHECK((button->text().isEmpty() || button->text().contains('&')));
    }
    move->reject();
}

TEST_CASE("the window is closed while it is heard", "[window][accessible]")
{
    auto w = std::make_unique<Hearing>();
    QAccessible::setActive(true);
    for (const auto stage : everyStage) {
        w->show(stage);
        w->walk(QAccessible::queryAccessibleInterface(w->window.get()), [&](QAccessibleInterface* one) {
            (void)one->text(QAccessible::Value);
            (void)one->rect();
        });
    }
    w->models().places.closePlace(0);
    w->window.reset();
    QAccessible::setActive(false);
    CHECK_FALSE(w->window);
}
