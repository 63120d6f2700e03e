// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/layout/dial.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace kurvo {
namespace {

constexpr double degree = std::numbers::pi / 180;
constexpr double innerShare = 0.24; // of the radius: room for the figures in the centre

} // namespace

Dial::Dial(const FileTree& tree, NodeId focus, const Rect& bounds, const DialOptions& options)
{
    // 270 degrees open at the bottom: as wide as the circle, and its lower ends stand sin 45 below the centre.
    const double below = std::sin(45 * degree);
    const double radius = std::max(0.0, std::min(bounds.width / 2, bounds.height / (1 + below)));
    centreX_ = bounds.x + bounds.width / 2;
    centreY_ = bounds.y + radius + std::max(0.0, (bounds.height - radius * (1 + below)) / 2);
    inner_ = radius * innerShare;
    ringWidth_ = (radius - inner_) / std::max(1, options.rings);

    Arc centre;
    centre.node = focus;
    centre.size = tree.measured(focus, options.measure);
    centre.kind = tree.isFolder(focus) ? CellKind::Folder : CellKind::Leaf;
    arcs_.push_back(centre);
    if (centre.kind == CellKind::Folder && radius > 0)
        layChildren(tree, 0, options);
    arcs_[0].end = static_cast<std::uint32_t>(arcs_.size());
    // Few levels fill the dial with wider rings, but not with slabs.
    std::uint16_t deepest = 1;
    for (const auto& arc : arcs_)
        deepest = std::max(deepest, arc.depth);
    rings_ = deepest;
    ringWidth_ = std::min((radius - inner_) / rings_, radius * 0.3);
}

void Dial::layChildren(const FileTree& tree, std::uint32_t index, const DialOptions& options)
{
    const Arc folder = arcs_[index];
    const double length = (folder.to - folder.from) * sweepDegrees * degree *
                          (inner_ + (folder.depth + 1) * ringWidth_); // pixels along the outer edge of the next ring
    const auto areas = areasAt(options.areas, folder.node);
    const auto children =
        gatherChildren(tree, folder.node, options.measure, options.smallestArc / std::max(length, 1e-9), options.areas);
    const double whole = children.total + areas.sum();
    if (!(whole > 0))
        return;
    if (children.drawn.empty() && index != 0 && !areas.any()) {
        arcs_[index].kind = CellKind::Leaf; // nothing in it is large enough: the folder as a whole says more
        return;
    }
    double done = 0;
    const auto place = [&](Arc arc, std::uint64_t size, double weight) {
        // Both ends from the sum so far, so that rounding leaves no gap.
        arc.from = folder.from + (folder.to - folder.from) * (done / whole);
        done += weight;
        arc.to = folder.from + (folder.to - folder.from) * std::min(1.0, done / whole);
        arc.parent = index;
        arc.depth = static_cast<std::uint16_t>(folder.depth + 1);
        arc.size = size;
        const auto own = static_cast<std::uint32_t>(arcs_.size());
        const bool open = arc.kind == CellKind::Leaf && tree.isFolder(arc.node) &&
                          (tree.countChildren(arc.node) > 0 || areasAt(options.areas, arc.node).any()) &&
                          arc.depth < options.rings;
        if (open)
            arc.kind = CellKind::Folder;
        arcs_.push_back(arc);
        if (open)
            layChildren(tree, own, options);
        arcs_[own].end = static_cast<std::uint32_t>(arcs_.size());
    };
    for (const auto& child : children.drawn) {
        Arc arc;
        arc.node = child.node;
        place(arc, child.size, child.weight);
    }
    if (children.restSize > 0) {
        Arc rest;
        rest.kind = CellKind::Rest;
        rest.node = folder.node;
        rest.restCount = children.restCount;
        place(rest, children.restSize, static_cast<double>(children.restSize));
    }
    const std::pair<CellKind, std::uint64_t> last[] = {
        {CellKind::NotSeen, areas.notSeen}, {CellKind::Reserved, areas.reserved}, {CellKind::Free, areas.free}};
    for (const auto& [kind, bytes] : last)
        if (bytes > 0) {
            Arc area;
            area.kind = kind;
            place(area, bytes, static_cast<double>(bytes));
        }
}

int Dial::arcAt(double x, double y) const
{
    if (arcs_.empty())
        return -1;
    const double dx = x - centreX_, dy = y - centreY_;
    const double radius = std::hypot(dx, dy);
    if (radius < inner_)
        return 0;
    const int ring = ringWidth_ > 0 ? static_cast<int>((radius - inner_) / ringWidth_) + 1 : 1;
    if (ring > rings_)
        return -1;
    const double degrees = std::fmod(std::atan2(dy, dx) / degree - startDegrees + 720, 360);
    const double along = degrees / sweepDegrees;
    std::uint32_t at = 0;
    for (int depth = 1; depth <= ring; ++depth) {
        std::uint32_t found = 0;
        for (std::uint32_t inside = at + 1; inside < arcs_[at].end; inside = arcs_[inside].end)
            if (along >= arcs_[inside].from && along < arcs_[inside].to) {
                found = inside;
                break;
            }
        if (found == 0)
            return -1;
        at = found;
    }
    return static_cast<int>(at);
}

int Dial::neighbour(int from, int dx, int dy) const
{
    if (from < 0 || from >= static_cast<int>(arcs_.size()))
        return from;
    const auto& origin = arcs_[static_cast<std::size_t>(from)];
    if (dy < 0) {
        const int inside = firstInside(from);
        return inside < 0 ? from : inside;
    }
    if (dy > 0)
        return origin.depth > 1 ? static_cast<int>(origin.parent) : from;
    int best = from;
    double bestGap = std::numeric_limits<double>::max();
    for (std::size_t i = 1; i < arcs_.size(); ++i) {
        const auto& arc = arcs_[i];
        if (arc.depth != origin.depth || static_cast<int>(i) == from || !arc.isEntry())
            continue;
        const double gap = dx > 0 ? arc.from - origin.from : origin.from - arc.from;
        if (gap > 0 && gap < bestGap) {
            bestGap = gap;
            best = static_cast<int>(i);
        }
    }
    return best;
}

int Dial::firstInside(int arc) const
{
    if (arc < 0 || arc >= static_cast<int>(arcs_.size()))
        return -1;
    const auto index = static_cast<std::uint32_t>(arc);
    return index + 1 < arcs_[index].end && arcs_[index + 1].isEntry() ? arc + 1 : -1;
}

} // namespace kurvo
