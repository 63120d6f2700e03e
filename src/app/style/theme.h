// SPDX-License-Identifier: GPL-3.0-or-later
// Colours, type and shapes, one place for all widgets. Light and dark; data colours are the same in both.
#pragma once

#include <QColor>
#include <QDBusVariant>
#include <QFont>
#include <QFontMetrics>
#include <QObject>
#include <QPainter>

#include <optional>
#include <utility>

#include "core/types/file_types.h"

namespace kurvo::app {

enum class ThemeChoice { System, Light, Dark };

struct Theme {
    QColor window, panel, line, text, textSecond, accent, warning, danger;
    QColor accentFill; ///< behind what is selected
    QColor onAccent;   ///< text on the accent
    QColor seen;       ///< the filled part of bars
    QColor emptyBar;
    bool dark = false;
};

/// The theme in force. Interface thread only.
const Theme& theme();
Theme themeColours(bool dark, bool moreContrast);
/// From 1 to 21 (WCAG 2.2, contrast ratio).
double contrastOf(const QColor& a, const QColor& b);

/// The light theme as long as this lives: for what is painted to be taken along.
class LightPaper {
public:
    LightPaper();
    ~LightPaper();
    LightPaper(const LightPaper&) = delete;
    LightPaper& operator=(const LightPaper&) = delete;

private:
    Theme before_;
};

/// Watches the system's choice and applies a theme to the application (palette and style sheet).
class ThemeControl : public QObject {
    Q_OBJECT
public:
    explicit ThemeControl(QObject* parent = nullptr);
    ~ThemeControl() override;
    /// Lays the style sheet over the application, where it stays until this is gone. To be called when a window has
    /// been put together: under a sheet each widget that gets another parent looks up all that is in it again.
    void laySheet();
    void choose(ThemeChoice choice);
    ThemeChoice choice() const { return choice_; }
    /// Also without it where the desktop asks for more contrast.
    void setMoreContrast(bool more);
    bool moreContrast() const { return moreContrast_; }

signals:
    void changed();

private slots:
    void portalSettingChanged(const QString& group, const QString& key, const QDBusVariant& value);

private:
    void apply();
    void askPortal();
    void askPortal(const QString& key);

    ThemeChoice choice_ = ThemeChoice::System;
    std::optional<std::pair<bool, bool>> applied_; ///< dark, more contrast
    bool laid_ = false;                            ///< the sheet
    bool systemDark_ = false, systemContrast_ = false, moreContrast_ = false;
};

/// Pixel sizes in use: 11, 13, 15, 20, 28.
QFont fontOf(int pixels, QFont::Weight weight = QFont::Normal);

/// The fixed colour of a family (Paul Tol, "Colour schemes", 2021: the muted scheme).
QColor familyColour(Family family);
/// Dark or light, whichever has the better contrast on `background` (WCAG 2.1 relative luminance).
QColor readableOn(const QColor& background);
/// A little paler: what a folder takes from the family that fills most of it.
QColor paler(const QColor& colour);

/// Hardly coloured: what is gathered into a rest.
QColor faint(const QColor& colour);
/// True for colours that would sink into a dark window (contrast below 3:1): they get an edge.
bool needsEdge(const QColor& colour);

/// Of the lines of the hatch on a colour.
QColor hatchColour(const QColor& colour);
/// The diagonal hatch that means hidden, laid over a tile of the given colour.
QBrush hatchOn(const QColor& colour);
/// The wider hatch that means planned.
QBrush plannedHatch();
/// Dots that mean not seen.
QBrush notSeenDots();

/// Draws one line of text at the left of `rect`, cut where there is no room. Cheaper than QPainter's where the same is
/// drawn again.
void drawCut(QPainter& painter, const QRect& rect, const QString& text, Qt::TextElideMode elide = Qt::ElideMiddle);
/// The same over as many lines as there is room for.
void drawWrapped(QPainter& painter, const QRect& rect, const QString& text);
/// Draws text right-aligned in `rect` with digits of equal width, so that columns of numbers line up; how wide it is.
int drawFigures(QPainter& painter, const QRect& rect, const QString& text);

/// Text cut in the middle to fit.
QString cutMiddle(const QString& text, const QFont& font, int width);

} // namespace kurvo::app
