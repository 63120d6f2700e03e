// SPDX-License-Identifier: GPL-3.0-or-later
// A picture of what is below a focus folder, laid out in some shape: cells with their places, and how to paint them.
// Whatever its shape, one widget shows it (PictureView) and one exporter writes it.
#pragma once

#include <QPainter>
#include <QPainterPath>

#include <chrono>
#include <memory>

#include "app/pictures/class_colours.h"
#include "core/layout/dial.h"
#include "core/layout/treemap.h"

namespace kurvo::app {

/// Immutable once laid out. Interface thread only.
class Picture {
public:
    virtual ~Picture() = default;

    virtual int size() const = 0;
    /// The first is the focus itself.
    virtual const Cell& cell(int index) const = 0;
    /// The innermost cell at a point; -1 for none.
    virtual int at(const QPointF& point) const = 0;
    /// The cell that shows a node; -1 when it is not below the focus.
    virtual int of(const FileTree& tree, NodeId node) const = 0;
    /// The cell that an arrow leads to; `from` itself when there is none.
    virtual int neighbour(int from, int dx, int dy) const = 0;
    virtual int firstInside(int cell) const = 0;
    virtual QPainterPath shape(int cell) const = 0;
    /// A point inside the cell and in none within it.
    virtual QPointF middle(int cell) const = 0;
    /// Cells and labels, from one cell to another in their order: one part after the other makes the same picture as
    /// all at once. Not for a picture without cells.
    virtual void paintCells(QPainter& painter, const CellLook& look, int from, int to) const = 0;
    /// Those of a place, and what is planned there.
    void paint(QPainter& painter, const CellColours& colours) const;
    /// The same from this cell on, for so long. Gives the cell to go on with: size() when all is painted.
    int paintSome(QPainter& painter, const CellColours& colours, int from, std::chrono::nanoseconds most) const;

protected:
    /// The cross over what is planned.
    virtual void paintCross(QPainter& painter, int cell) const = 0;
};

/// Lays out what the place's view asks for (a treemap or a sunburst) in `size`.
std::unique_ptr<Picture> layOutPicture(const Place& place, const QSizeF& size);

/// In the shapes of these (treemap_picture.cpp, dial_picture.cpp).
std::unique_ptr<Picture> layOutTreemap(const FileTree& tree, NodeId focus, const QSizeF& size,
                                       const TreemapOptions& options);
std::unique_ptr<Picture> layOutDial(const FileTree& tree, NodeId focus, const QSizeF& size, const DialOptions& options);

} // namespace kurvo::app
