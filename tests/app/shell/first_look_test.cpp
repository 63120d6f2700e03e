// SPDX-License-Identifier: GPL-3.0-or-later
// How a window looks when it opens, and what it takes to make it look so.
#include <catch2/catch.hpp>

#include <QApplication>

#include "app/style/typeface.h"
#include "app/window_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// How often a widget was told that its style is another.
class StyleCounter : public QObject {
public:
    StyleCounter() { qApp->installEventFilter(this); }
    qsizetype count = 0;

protected:
    bool eventFilter(QObject* watched, QEvent* event) override
    {
        count += event->type() == QEvent::StyleChange && watched->isWidgetType();
        return false;
    }
};

} // namespace

TEST_CASE("the window has its typeface and its colours from the first moment", "[window][look]")
{
    Window w;
    const bool dark = GENERATE(false, true);
    w.window->themeControl().choose(dark ? app::ThemeChoice::Dark : app::ThemeChoice::Light);
    w.window.reset();
    // As before any window: what the desktop has.
    qApp->setStyleSheet(QString());
    QApplication::setFont(QFont("Serif", 30));
    QApplication::setPalette(QPalette(QColor("#ff00ff")));
    w.open();
    w.window->themeControl().choose(dark ? app::ThemeChoice::Dark : app::ThemeChoice::Light);
    CHECK(w.window->palette().color(QPalette::WindowText) == app::theme().text);
    for (const auto* widget : w.window->findChildren<QWidget*>())
        if (widget->isVisible() && (widget->font().families() != app::typeface() || widget->font().pixelSize() < 11))
            FAIL_CHECK(widget->metaObject()->className()
                       << " " << widget->objectName().toStdString() << ": "
                       << widget->font().families().join(", ").toStdString() << " " << widget->font().pixelSize());
    w.window->themeControl().choose(app::ThemeChoice::Light);
}

TEST_CASE("a window is put together without looking up its style again and again", "[window][look]")
{
    Window w;
    StyleCounter told;
    w.open();
    // Once for all of them, and for those that come late.
    CHECK(told.count < 2 * w.window->findChildren<QWidget*>().size());
}
