// SPDX-License-Identifier: GPL-3.0-or-later
// How the cells of a picture look and what stands on them, whatever the picture is of.
#pragma once

#include <QBrush>
#include <QColor>
#include <QPainter>
#include <QPainterPath>
#include <QString>

#include "core/layout/cells.h"

namespace kurvo::app {

class CellLook {
public:
    /// `drawn`: for a drawing (SVG), which has no patterns: hatch and dots are lines and points of their own.
    explicit CellLook(bool drawn = false) : drawn_(drawn) { }
    virtual ~CellLook() = default;

    /// What a cell is filled with, before hatching.
    virtual QColor of(const Cell& cell) const = 0;
    /// The words that stand on a cell.
    virtual QString name(const Cell& cell) const = 0;
    virtual QString size(const Cell& cell) const = 0;
    /// For the size in the caption of a folder.
    virtual QColor sizeInk(const Cell& cell) const;
    virtual bool isNotSeen(const Cell& cell) const = 0;
    virtual bool isHidden(const Cell& cell) const = 0;
    virtual bool hasLock(const Cell&) const { return false; }
    /// What the centre of a dial says besides the size of the focus.
    struct Centre {
        QString second, third; ///< below the size
        QString title;         ///< in the opening
        bool isDrive = false;  ///< the dial is a whole drive with its free space
    };
    virtual Centre centre(const Cell& focus, bool isDrive) const = 0;

    bool isDrawn() const { return drawn_; }
    /// Fill and hatch of a cell that is `large` enough to show it.
    QBrush brush(const Cell& cell, const QColor& colour, bool large) const;
    /// What a drawing has instead of patterns, over a cell that was filled.
    void drawPattern(QPainter& painter, const Cell& cell, const QColor& colour, const QPainterPath& shape) const;

private:
    bool drawn_;
};

} // namespace kurvo::app
