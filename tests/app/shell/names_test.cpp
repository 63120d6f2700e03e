// SPDX-License-Identifier: GPL-3.0-or-later
// Names are shown as they are, whatever is in them, and are copied as they are.
#include <catch2/catch.hpp>

#include <QApplication>
#include <QClipboard>
#include <QLabel>
#include <QMenu>
#include <QToolTip>

#include "app/style/selectable_label.h"
#include "app/style/words.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("what is in a name is no markup, in no label and no tooltip", "[window][names]")
{
    Window w;
    const std::string place = "R&D <b>bold", folder = "in & out <i>x", file = "a&b <u>film.mkv";
    w.t.file(place + "/" + folder + "/" + file, 900000);
    w.t.file(place + "/<img src=x>", 300000);
    w.scan(w.t / place);
    const auto noMarkup = [&] {
        for (const auto* label : w.window->findChildren<QLabel*>())
            if (label->isVisible() && label->textFormat() == Qt::AutoText)
                FAIL_CHECK(label->objectName().toStdString() << ": " << label->text().toStdString());
    };
    w.window->setStage(app::Stage::Explore);
    w.models().cursor.select(w.node(w.t / place + "/" + folder));
    const auto shown = [&](const QString& text) {
        for (const auto* label : w.window->findChildren<QLabel*>())
            if (label->isVisible() && label->textFormat() == Qt::PlainText && app::unbroken(label->text()) == text)
                return true;
        return false;
    };
    CHECK(shown(QString::fromStdString(folder)));
    CHECK(shown(QString::fromStdString(w.t / place + "/" + folder)));
    noMarkup();
    w.models().cursor.setFocus(w.node(w.t / place + "/" + folder));
    w.models().cursor.select(w.node(w.t / place + "/" + folder + "/" + file));
    noMarkup();
    for (const auto stage : {app::Stage::Find, app::Stage::Compare, app::Stage::Clear, app::Stage::Scan}) {
        w.window->setStage(stage);
        w.settle();
        noMarkup();
    }
    QToolTip::showText({10, 10}, "a <b>name", w.window.get());
    const auto* tip = [] {
        for (auto* top : QApplication::topLevelWidgets())
            if (top->inherits("QTipLabel"))
                return qobject_cast<QLabel*>(top);
        return static_cast<QLabel*>(nullptr);
    }();
    REQUIRE(tip);
    CHECK(tip->textFormat() == Qt::PlainText);
    CHECK(tip->text() == "a <b>name");
    QToolTip::hideText();
}

TEST_CASE("several lines are copied as lines", "[window][names]")
{
    app::SelectableLabel label(app::breakable("/a/one\n/a/two") + QChar(QChar::Nbsp) + "2026");
    label.show();
    label.setSelection(0, static_cast<int>(label.text().size()));
    QTest::keyClick(&label, Qt::Key_C, Qt::ControlModifier);
    CHECK(QApplication::clipboard()->text().toStdString() == "/a/one\n/a/two 2026");
}

TEST_CASE("a path that was wrapped is copied without what let it be", "[window][names]")
{
    Window w;
    const auto path = w.t.file("place/films and/<b>long.mkv", 900000);
    w.scan(w.t / "place");
    w.window->setStage(app::Stage::Explore);
    w.models().cursor.select(w.node(path));
    w.activate();
    app::SelectableLabel* label = nullptr;
    for (auto* one : w.window->findChildren<app::SelectableLabel*>())
        if (one->isVisible() && app::unbroken(one->text()) == QString::fromStdString(path))
            label = one;
    REQUIRE(label);
    CHECK(label->text().contains(QChar(0x200B))); // it can be wrapped
    auto* clipboard = QApplication::clipboard();
    clipboard->clear();
    // Drawn over with the mouse, as people do.
    QTest::mousePress(label, Qt::LeftButton, {}, {0, 4});
    QTest::mouseMove(label, {label->width() - 1, label->height() - 2});
    QTest::mouseRelease(label, Qt::LeftButton, {}, {label->width() - 1, label->height() - 2});
    label->setSelection(0, static_cast<int>(label->text().size()));
    label->setFocus();
    QTest::keyClick(label, Qt::Key_C, Qt::ControlModifier);
    CHECK(clipboard->text().toStdString() == path);
    clipboard->clear();
    QContextMenuEvent event(QContextMenuEvent::Mouse, {5, 5}, label->mapToGlobal(QPoint(5, 5)));
    QApplication::sendEvent(label, &event);
    auto* menu = label->findChild<QMenu*>();
    REQUIRE(menu);
    menu->actions().last()->trigger();
    CHECK(clipboard->text().toStdString() == path);
    menu->close();
}
