// SPDX-License-Identifier: GPL-3.0-or-later
// What the classes of a scheme look like and are called.
#pragma once

#include <QColor>
#include <QPainter>
#include <QPainterPath>
#include <QString>

#include "app/place.h"

namespace kurvo::app {

QString schemeName(ColourBy by);
/// Families: Paul Tol's muted set. Age: cividis (Nunez, Anderton, Renslow, 2018), new is light. Owners: the muted set
/// by rank. Growth: teal to rust.
QColor classColour(const Scheme& scheme, unsigned of);
QString className(const Scheme& scheme, unsigned of, const SnapshotInfo& info);

/// What a cell is filled with, before hatching: by its class, a folder paler, a rest fainter, and faded towards the
/// background as far as it is not lit.
struct CellColours {
    const Place& place;
    Measure measure;
    bool drawn =
        false; ///< for a drawing (SVG), which has no patterns: hatch and dots are lines and points of their own

    QColor of(const Cell& cell) const;
    /// The words that stand on a cell.
    QString name(const Cell& cell) const;
    QString size(const Cell& cell) const;
    bool isNotSeen(const Cell& cell) const;
    bool isHidden(const Cell& cell) const;
    bool hasLock(const Cell& cell) const;
    /// Fill and hatch of a cell that is `large` enough to show it.
    QBrush brush(const Cell& cell, const QColor& colour, bool large) const;
    /// What a drawing has instead of patterns, over a cell that was filled.
    void drawPattern(QPainter& painter, const Cell& cell, const QColor& colour, const QPainterPath& shape) const;
};

} // namespace kurvo::app
