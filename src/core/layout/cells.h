// SPDX-License-Identifier: GPL-3.0-or-later
// Cells: what a picture is made of, whatever its shape. Treemap and Dial give each cell its place; which children of a
// folder get a cell of their own, and which go to the rest, is decided here for both.
#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

enum class CellKind : std::uint8_t {
    Folder, ///< its children have cells of their own
    Leaf,   ///< a file, or a folder that is drawn as a whole
    Rest,   ///< the children of a folder that are too small to draw one by one
    // What a drive has beside its entries; these belong to no node.
    NotSeen,
    Reserved,
    Free
};

struct Cell {
    NodeId node = noNode; ///< for Rest: the folder whose children these are
    std::uint32_t parent = 0;
    std::uint32_t end = 0; ///< one past the last cell inside this one; cells stand in depth-first order
    std::uint32_t restCount = 0;
    std::uint64_t size = 0; ///< by the measure
    std::uint16_t depth = 0;
    CellKind kind = CellKind::Leaf;

    bool isEntry() const { return kind <= CellKind::Rest; }
};

/// Bytes of a drive that are in no entry. All zero: they are not drawn.
struct DriveAreas {
    std::uint64_t notSeen = 0;
    std::uint64_t reserved = 0;
    std::uint64_t free = 0;
    bool any() const { return notSeen + reserved + free > 0; }
    double sum() const
    {
        return static_cast<double>(notSeen) + static_cast<double>(reserved) + static_cast<double>(free);
    }
    bool operator==(const DriveAreas&) const = default;
};

/// What drives have beside their entries, by the root of each: one, or several that are looked at together. Such a root
/// is drawn as large as its drive.
using AreasOfDrives = std::vector<std::pair<NodeId, DriveAreas>>;
inline DriveAreas areasAt(const AreasOfDrives& all, NodeId root)
{
    for (const auto& [node, areas] : all)
        if (node == root)
            return areas;
    return {};
}

/// The children of a folder sorted into those drawn one by one and the rest.
struct GatheredChildren {
    struct Child {
        std::uint64_t size;
        NodeId node;
        double weight; ///< how large it is drawn: its size, and what its drive has beside it
    };
    std::vector<Child> drawn; ///< largest first; equal ones by name
    std::uint64_t restSize = 0;
    std::uint32_t restCount = 0;
    double total = 0; ///< a sum of all that may be too large for 64 bits
};
/// `smallestShare`: of the total and what the folder's drive has beside it; a child below it goes to the rest.
GatheredChildren gatherChildren(const FileTree& tree, NodeId folder, Measure measure, double smallestShare,
                                const AreasOfDrives& areas = {});

/// Index of the cell that shows `node`: its own, or that of the nearest drawn ancestor's rest; -1 when it is not below
/// the first cell's node.
template <typename C>
int cellOf(const FileTree& tree, const std::vector<C>& cells, NodeId node)
{
    if (cells.empty() || node == noNode || !tree.isAtOrBelow(node, cells[0].node))
        return -1;
    const auto chain = tree.chain(node);
    std::size_t step = 0;
    while (chain[step] != cells[0].node)
        ++step;
    std::uint32_t at = 0;
    for (++step; step < chain.size() && cells[at].kind == CellKind::Folder; ++step) {
        std::uint32_t found = 0;
        for (std::uint32_t inside = at + 1; inside < cells[at].end; inside = cells[inside].end) {
            if (cells[inside].node == chain[step]) {
                found = inside;
                break;
            }
            if (cells[inside].kind == CellKind::Rest)
                found = inside;
        }
        if (found == 0)
            break;
        at = found;
    }
    return static_cast<int>(at);
}

} // namespace kurvo
