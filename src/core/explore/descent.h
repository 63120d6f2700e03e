// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the descent: children of the focus folder, some of them opened in place, what is small gathered.
#pragma once

#include <memory>
#include <set>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

enum class DescentSort { Size, Count, Name, Date };

/// What rows are made from; plain data, so that many can be made off the thread that answers.
struct DescentWish {
    std::shared_ptr<const FileTree> tree;
    NodeId focus = noNode;
    Measure measure = Measure::Disk;
    DescentSort sort = DescentSort::Size;
    std::set<NodeId> opened; ///< folders whose children stand below them
    std::set<NodeId> whole;  ///< folders whose rest is listed one by one
    std::uint32_t childCount() const;
};

struct DescentRow {
    NodeId node = noNode;   ///< noNode for a rest
    NodeId folder = noNode; ///< in which it lies
    int level = 0;
    std::uint64_t size = 0;
    std::uint64_t largest = 0; ///< of the rows beside it
    std::size_t restCount = 0;
    bool opened = false;
    bool isRest() const { return node == noNode; }
};

/// Worth a row of its own are the dozen largest, and whatever holds one part in two hundred.
std::vector<DescentRow> descentRows(const DescentWish& wish);

} // namespace kurvo
