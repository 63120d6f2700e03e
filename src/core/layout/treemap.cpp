// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/layout/treemap.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace kurvo {
namespace {

/// The worst aspect ratio of a row of tiles along a side of length `side` (the paper's function "worst").
double worstRatio(double sum, double smallest, double largest, double side)
{
    const double side2 = side * side, sum2 = sum * sum;
    return std::max(side2 * largest / sum2, sum2 / (side2 * smallest));
}

} // namespace

std::vector<Rect> squarify(const std::vector<double>& sizes, const Rect& bounds)
{
    std::vector<Rect> rects(sizes.size());
    double total = 0;
    for (const double s : sizes)
        total += s;
    if (sizes.empty() || !(total > 0) || !(bounds.area() > 0))
        return rects;
    const double scale = bounds.area() / total;
    Rect free = bounds;
    for (std::size_t begin = 0; begin < sizes.size();) {
        const double side = std::min(free.width, free.height);
        double sum = sizes[begin] * scale;
        double worst = worstRatio(sum, sum, sum, side);
        auto end = begin + 1;
        for (; end < sizes.size(); ++end) {
            const double next = sizes[end] * scale;
            const double ratio = worstRatio(sum + next, next, sizes[begin] * scale, side);
            if (ratio > worst)
                break;
            worst = ratio;
            sum += next;
        }
        // The last row takes what is left exactly, so that rounding leaves no gap.
        const bool last = end == sizes.size();
        const bool column = free.width >= free.height; // the row stands along the shorter side
        const double whole = column ? free.width : free.height;
        const double thickness = last ? whole : std::min(whole, side > 0 ? sum / side : 0);
        double at = column ? free.y : free.x;
        const double edge = at + side;
        for (auto i = begin; i < end; ++i) {
            const double length = i + 1 == end ? edge - at : side * (sizes[i] * scale / sum);
            rects[i] = column ? Rect{free.x, at, thickness, length} : Rect{at, free.y, length, thickness};
            at += length;
        }
        if (column) {
            free.x += thickness;
            free.width -= thickness;
        } else {
            free.y += thickness;
            free.height -= thickness;
        }
        begin = end;
    }
    return rects;
}

Treemap::Treemap(const FileTree& tree, NodeId focus, const Rect& bounds, const TreemapOptions& options)
{
    Tile top;
    top.rect = bounds;
    top.node = focus;
    top.size = tree.measured(focus, options.measure);
    top.kind = tree.isFolder(focus) ? CellKind::Folder : CellKind::Leaf;
    tiles_.push_back(top);
    if (top.kind == CellKind::Folder)
        layChildren(tree, 0, options);
    tiles_[0].end = static_cast<std::uint32_t>(tiles_.size());
}

void Treemap::layChildren(const FileTree& tree, std::uint32_t index, const TreemapOptions& options)
{
    const Tile folder = tiles_[index];
    Rect inner = folder.rect;
    if (index != 0) {
        const double top = folder.captioned ? options.captionHeight : options.frame;
        inner = {inner.x + options.frame, inner.y + top, inner.width - 2 * options.frame,
                 inner.height - top - options.frame};
    }
    if (!(inner.width > 0) || !(inner.height > 0))
        return;
    // The folder's own blocks have no tile: its children share its whole area.
    const auto areas = areasAt(options.areas, folder.node);
    const auto children =
        gatherChildren(tree, folder.node, options.measure, options.smallestTile / inner.area(), options.areas);
    const bool empty = !(children.total + areas.sum() > 0);
    if (empty && index == 0)
        return;
    if (empty || (children.drawn.empty() && index != 0 && !areas.any())) {
        // Nothing in it is large enough to draw: the folder as a whole says more than one big rest.
        tiles_[index].kind = CellKind::Leaf;
        tiles_[index].captioned = false;
        return;
    }
    struct Weighed {
        Tile tile;
        double weight;
    };
    std::vector<Weighed> inside;
    inside.reserve(children.drawn.size() + 4);
    const auto want = [&inside, &folder, index](CellKind kind, NodeId node, std::uint64_t size,
                                                double weight) -> Tile& {
        auto& tile = inside.emplace_back(Weighed{{}, weight}).tile;
        tile.kind = kind;
        tile.node = node;
        tile.size = size;
        tile.parent = index;
        tile.depth = static_cast<std::uint16_t>(folder.depth + 1);
        return tile;
    };
    for (const auto& child : children.drawn)
        want(CellKind::Leaf, child.node, child.size, child.weight);
    if (areas.any()) {
        for (const auto& [kind, bytes] :
             {std::pair{CellKind::NotSeen, areas.notSeen}, std::pair{CellKind::Reserved, areas.reserved},
              std::pair{CellKind::Free, areas.free}})
            if (bytes > 0)
                want(kind, noNode, bytes, static_cast<double>(bytes));
        std::stable_sort(inside.begin(), inside.end(),
                         [](const Weighed& a, const Weighed& b) { return a.weight > b.weight; });
    }
    if (children.restSize > 0) // last, though it may be larger than some: squarify only wants roughly sorted sizes
        want(CellKind::Rest, folder.node, children.restSize, static_cast<double>(children.restSize)).restCount =
            children.restCount;
    std::vector<double> sizes;
    sizes.reserve(inside.size());
    for (const auto& one : inside)
        sizes.push_back(one.weight);
    const auto rects = squarify(sizes, inner);

    for (std::size_t i = 0; i < sizes.size(); ++i) {
        auto& tile = inside[i].tile;
        tile.rect = rects[i];
        const auto own = static_cast<std::uint32_t>(tiles_.size());
        const bool open = tile.kind == CellKind::Leaf && tree.isFolder(tile.node) &&
                          (tree.countChildren(tile.node) > 0 || areasAt(options.areas, tile.node).any()) &&
                          tile.depth < options.depth && tile.rect.area() >= options.smallestOpen &&
                          std::min(tile.rect.width, tile.rect.height) > 3 * options.frame;
        if (open) {
            tile.kind = CellKind::Folder;
            tile.captioned = tile.rect.width >= 44 && tile.rect.height >= options.captionHeight + 14;
        }
        tiles_.push_back(tile);
        if (open)
            layChildren(tree, own, options);
        tiles_[own].end = static_cast<std::uint32_t>(tiles_.size());
    }
}

int Treemap::tileAt(double x, double y) const
{
    if (tiles_.empty() || !tiles_[0].rect.contains(x, y))
        return -1;
    std::uint32_t at = 0;
    for (std::uint32_t inside = 1; inside < tiles_[at].end;) {
        if (tiles_[inside].rect.contains(x, y)) {
            at = inside;
            inside = at + 1;
        } else {
            inside = tiles_[inside].end;
        }
    }
    return static_cast<int>(at);
}

int Treemap::neighbour(int from, int dx, int dy) const
{
    if (from <= 0 || from >= static_cast<int>(tiles_.size()))
        return from;
    const auto& origin = tiles_[static_cast<std::size_t>(from)];
    const double cx = origin.rect.x + origin.rect.width / 2, cy = origin.rect.y + origin.rect.height / 2;
    int best = from;
    double bestCost = std::numeric_limits<double>::max();
    const auto& folder = tiles_[origin.parent];
    for (auto i = origin.parent + 1; i < folder.end; i = tiles_[i].end) {
        const auto& r = tiles_[i].rect;
        const double ahead = dx * (r.x + r.width / 2 - cx) + dy * (r.y + r.height / 2 - cy);
        const double aside = std::abs(dy * (r.x + r.width / 2 - cx)) + std::abs(dx * (r.y + r.height / 2 - cy));
        // Only what lies wholly beyond the edge of this one counts as being in that direction.
        const bool beyond = dx > 0   ? r.x >= origin.rect.x + origin.rect.width - 0.5
                            : dx < 0 ? r.x + r.width <= origin.rect.x + 0.5
                            : dy > 0 ? r.y >= origin.rect.y + origin.rect.height - 0.5
                                     : r.y + r.height <= origin.rect.y + 0.5;
        const double cost = ahead + 2 * aside;
        if (static_cast<int>(i) != from && beyond && cost < bestCost) {
            best = static_cast<int>(i);
            bestCost = cost;
        }
    }
    return best;
}

int Treemap::firstInside(int folder) const
{
    if (folder < 0 || folder >= static_cast<int>(tiles_.size()))
        return -1;
    const auto index = static_cast<std::uint32_t>(folder);
    return index + 1 < tiles_[index].end ? folder + 1 : -1;
}

} // namespace kurvo
