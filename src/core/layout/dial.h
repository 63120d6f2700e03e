// SPDX-License-Identifier: GPL-3.0-or-later
// Dial geometry: rings around the focus folder on an open dial of 270 degrees, from lower left over the top to lower
// right. Each ring is one level; an arc's length is its share of its folder. In plain numbers, for any painter.
//
// What would be too thin to see is gathered into one rest arc a folder, so the work depends on the pixels and not on
// the number of files, and the arcs inside a folder always fill it.
#pragma once

#include "core/layout/cells.h"
#include "core/layout/treemap.h"

namespace kurvo {

struct Arc : Cell {
    double from = 0, to = 1; ///< along the dial: 0 lower left, 1 lower right. The ring is the depth; 0 is the centre.
};

struct DialOptions {
    Measure measure = Measure::Disk;
    int rings = 6;            ///< at most
    double smallestArc = 2.5; ///< pixels along its outer edge; below, a child goes to the rest
    AreasOfDrives areas;      ///< drawn behind the children of these, free space last
};

class Dial {
public:
    static constexpr double startDegrees = 135; ///< clockwise from "three o'clock", as screens count
    static constexpr double sweepDegrees = 270;

    Dial() = default;
    Dial(const FileTree& tree, NodeId focus, const Rect& bounds, const DialOptions& options = {});

    /// The first is the focus itself, the centre.
    const std::vector<Arc>& arcs() const { return arcs_; }
    int rings() const { return rings_; } ///< drawn
    double centreX() const { return centreX_; }
    double centreY() const { return centreY_; }
    double innerRadius() const { return inner_; } ///< of the first ring
    double outerRadius() const { return inner_ + rings_ * ringWidth_; }
    double ringWidth() const { return ringWidth_; }
    /// Radius of the inner edge of an arc.
    double radiusOf(const Arc& arc) const { return arc.depth == 0 ? 0 : inner_ + (arc.depth - 1) * ringWidth_; }

    /// Index of the arc at a point, 0 in the centre, or -1.
    int arcAt(double x, double y) const;
    int arcOf(const FileTree& tree, NodeId node) const { return cellOf(tree, arcs_, node); }
    /// Left and right along the ring, up outwards to what is inside, down inwards to the parent; `from` itself when
    /// there is nothing.
    int neighbour(int from, int dx, int dy) const;
    int firstInside(int arc) const;

private:
    void layChildren(const FileTree& tree, std::uint32_t index, const DialOptions& options);

    std::vector<Arc> arcs_;
    int rings_ = 1;
    double centreX_ = 0, centreY_ = 0, inner_ = 0, ringWidth_ = 0;
};

} // namespace kurvo
