// SPDX-License-Identifier: GPL-3.0-or-later
// Treemap geometry: squarified (Bruls, Huizing, van Wijk: "Squarified Treemaps", 2000), nested, in plain numbers.
//
// What would be too small to see is gathered into one rest tile a folder, so the work depends on the pixels and not on
// the number of files, and nothing is left out: the tiles of a folder always fill it.
#pragma once

#include <vector>

#include "core/layout/cells.h"

namespace kurvo {

struct Rect {
    double x = 0, y = 0, width = 0, height = 0;
    double area() const { return width * height; }
    bool contains(double px, double py) const { return px >= x && py >= y && px < x + width && py < y + height; }
};

/// Rectangles for `sizes` (largest first, all above 0) that fill `bounds` with areas in proportion.
std::vector<Rect> squarify(const std::vector<double>& sizes, const Rect& bounds);

struct Tile : Cell {
    Rect rect;
    bool captioned = false; ///< a caption strip lies along its top
};

struct TreemapOptions {
    Measure measure = Measure::Disk;
    int depth = 64;            ///< levels of folders that are opened below the focus
    double smallestTile = 24;  ///< square pixels; below, a child goes to the rest
    double smallestOpen = 260; ///< square pixels; below, a folder is drawn as a whole
    double captionHeight = 16;
    double frame = 2;    ///< between a folder's edge and its children
    AreasOfDrives areas; ///< tiles of their own beside the children of these
};

class Treemap {
public:
    Treemap() = default;
    /// Lays out what is below `focus` in `bounds` (pixels). An empty folder gives its own tile only.
    Treemap(const FileTree& tree, NodeId focus, const Rect& bounds, const TreemapOptions& options = {});

    /// The first is the focus itself, when there is any.
    const std::vector<Tile>& tiles() const { return tiles_; }
    /// Index of the innermost tile at a point, or -1.
    int tileAt(double x, double y) const;
    int tileOf(const FileTree& tree, NodeId node) const { return cellOf(tree, tiles_, node); }
    /// The tile that one reaches from `from` by going in a direction (dx, dy one of -1, 0, 1) among the tiles of the
    /// same folder; `from` itself when there is none.
    int neighbour(int from, int dx, int dy) const;
    /// The largest tile inside `folder`, or -1.
    int firstInside(int folder) const;

private:
    void layChildren(const FileTree& tree, std::uint32_t tile, const TreemapOptions& options);

    std::vector<Tile> tiles_;
};

} // namespace kurvo
