// SPDX-License-Identifier: GPL-3.0-or-later
// What menus, buttons, tooltips and the help about keys say is the same.
#include <catch2/catch.hpp>

#include <QRegularExpression>

#include <map>

#include "app/dialogs/help_dialog.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// Words of all commands by their keys.
std::multimap<QString, QString> keysOf(app::MainWindow& window)
{
    std::multimap<QString, QString> keys;
    for (const auto* action : window.actions())
        for (const auto& key : action->shortcuts())
            keys.emplace(key.toString(QKeySequence::NativeText), action->text());
    return keys;
}

} // namespace

TEST_CASE("no key has two meanings, and what a tooltip or a button says of a key is so", "[window][commands]")
{
    Window w;
    w.t.file("place/file", 4096);
    w.scan(w.t / "place");
    const auto keys = keysOf(*w.window);
    CHECK(keys.size() > 50);
    for (const auto& [key, words] : keys) {
        INFO(key.toStdString() << ": " << words.toStdString());
        CHECK(keys.count(key) == 1);
    }
    const QRegularExpression named(
        QStringLiteral("\\(((?:Ctrl\\+|Alt\\+|Shift\\+|F\\d|Del|Backspace)[^)]*|[A-Z])\\)$"));
    int told = 0;
    for (const auto* widget : w.window->findChildren<QWidget*>()) {
        const auto match = named.match(widget->toolTip());
        if (!match.hasMatch())
            continue;
        INFO(widget->toolTip().toStdString());
        CHECK(keys.contains(match.captured(1)));
        ++told;
    }
    CHECK(told >= 10); // stages, menu, the buttons of the dossiers, trail, filter line
    CHECK(w.child<QPushButton>("chooseFolder")->text().endsWith("Ctrl+O"));
}

TEST_CASE("the help about keys names each command that has one, with the marks as they are now", "[window][commands]")
{
    Window w;
    w.t.file("place/file", 4096);
    w.scan(w.t / "place");
    w.key(Qt::Key_F1, Qt::ControlModifier);
    app::HelpDialog* box = nullptr;
    REQUIRE(
        Window::until([&] { return (box = w.window->findChild<app::HelpDialog*>()) != nullptr && box->isVisible(); }));
    for (const auto& [key, words] : keysOf(*w.window)) {
        INFO(words.toStdString());
        CHECK(box->text().contains(words.simplified()));
        CHECK(box->text().contains(key));
    }
    box->close();
}

TEST_CASE("a command that is one of several stays on when it is chosen again", "[window][commands]")
{
    Window w;
    const auto command = [&](const char* words) {
        const auto all = w.window->actions();
        return *std::find_if(all.begin(), all.end(),
                             [&](const QAction* a) { return a->text() == QLatin1String(words); });
    };
    for (int i = 0; i < 2; ++i) {
        command("Dark")->trigger();
        CHECK(command("Dark")->isChecked());
        CHECK_FALSE(command("Light")->isChecked());
        command("90 % of its parent")->trigger();
        CHECK(command("90 % of its parent")->isChecked());
    }
    command("Reduce motion")->trigger();
    CHECK(command("Reduce motion")->isChecked());
    command("Reduce motion")->trigger();
    CHECK_FALSE(command("Reduce motion")->isChecked());
    command("Light")->trigger();
    CHECK(command("Light")->isChecked());
    CHECK_FALSE(app::theme().dark);
}
