// SPDX-License-Identifier: GPL-3.0-or-later
// The age field: every file a dot, age across (new at the left), size on disk up, both logarithmic. Crowded dots share
// a cell, which knows how many they are.
#pragma once

#include <cstdint>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

struct AgeField {
    static constexpr int columns = 220;
    static constexpr int rows = 64;
    struct Spot {
        std::uint32_t files = 0;
        std::uint32_t hidden = 0;
        NodeId largest = noNode;
        std::uint64_t disk = 0; ///< of all of them
    };
    std::vector<Spot> spots; ///< row by row, small sizes first; empty when there is no file
    std::uint64_t files = 0;
    std::uint64_t withoutSize = 0; ///< files with no blocks, which have no place in the field

    const Spot& at(int column, int row) const
    {
        return spots[static_cast<std::size_t>(row) * columns + static_cast<std::size_t>(column)];
    }
};

/// About 40 ms a million files.
AgeField ageField(const FileTree& tree, const std::vector<NodeId>& files, std::int64_t now);

/// Where an age in seconds stands across, 0 to 1, and what stands there; under an hour is an hour, over 30 years is 30.
double ageToPosition(double seconds);
double positionToAge(double position);
/// The same up, for bytes from 512 to 4 TiB.
double sizeToPosition(double bytes);
double positionToSize(double position);

} // namespace kurvo
