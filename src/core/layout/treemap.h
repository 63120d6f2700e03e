// SPDX-License-Identifier: GPL-3.0-or-later
// Treemap geometry: squarified (Bruls, Huizing, van Wijk: "Squarified Treemaps", 2000), nested, in plain numbers.
//
// What would be too small to see is gathered into one rest tile a folder, so the work depends on the pixels and not on
// the number of files, and nothing is left out: the tiles of a folder always fill it.
#pragma once

#include <cstdint>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

struct Rect {
    double x = 0, y = 0, width = 0, height = 0;
    double area() const { return width * height; }
    bool contains(double px, double py) const { return px >= x && py >= y && px < x + width && py < y + height; }
};

/// Rectangles for `sizes` (largest first, all above 0) that fill `bounds` with areas in proportion.
std::vector<Rect> squarify(const std::vector<double>& sizes, const Rect& bounds);

enum class TileKind : std::uint8_t {
    Folder, ///< its children have tiles of their own
    Leaf,   ///< a file, or a folder that is drawn as a whole
    Rest    ///< the children of a folder that are too small to draw one by one
};

struct Tile {
    Rect rect;
    NodeId node = noNode; ///< for Rest: the folder whose children these are
    std::uint32_t parent = 0;
    std::uint32_t end = 0; ///< one past the last tile inside this one; tiles stand in depth-first order
    std::uint32_t restCount = 0;
    std::uint64_t size = 0; ///< by the measure
    std::uint16_t depth = 0;
    TileKind kind = TileKind::Leaf;
    bool captioned = false; ///< a caption strip lies along its top
};

struct TreemapOptions {
    Measure measure = Measure::Disk;
    int depth = 64;            ///< levels of folders that are opened below the focus
    double smallestTile = 24;  ///< square pixels; below, a child goes to the rest
    double smallestOpen = 260; ///< square pixels; below, a folder is drawn as a whole
    double captionHeight = 16;
    double frame = 2; ///< between a folder's edge and its children
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
    /// Index of the tile that shows `node`: its own, or that of the nearest drawn ancestor's rest; -1 when it is not
    /// below the focus.
    int tileOf(const FileTree& tree, NodeId node) const;
    /// The tile that one reaches from `from` by going in a direction (dx, dy one of -1, 0, 1) among the tiles of the
    /// same folder; `from` itself when there is none.
    int neighbour(int from, int dx, int dy) const;
    /// The largest tile inside `folder`, or -1.
    int firstInside(int folder) const;

private:
    struct Child {
        double size;
        NodeId node;
    };
    void layChildren(const FileTree& tree, std::uint32_t tile, const TreemapOptions& options);

    std::vector<Tile> tiles_;
    std::vector<Child> scratch_;
};

} // namespace kurvo
