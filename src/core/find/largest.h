// SPDX-License-Identifier: GPL-3.0-or-later
// The largest files of a place.
#pragma once

#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

/// The `count` largest entries that are not folders, by counted bytes on disk, largest first; equal ones by path in
/// byte order. Only what lies at or below `top`.
std::vector<NodeId> largestFiles(const FileTree& tree, std::size_t count, NodeId top = rootNode);

/// The same among some files, all of which lie at or below `top`.
std::vector<NodeId> largestAmong(const FileTree& tree, const std::vector<NodeId>& files, std::size_t count,
                                 NodeId top = rootNode);

/// The largest hidden file below `top`, or noNode.
NodeId largestHiddenFile(const FileTree& tree, NodeId top = rootNode);

} // namespace kurvo
