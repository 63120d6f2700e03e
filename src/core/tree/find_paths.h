// SPDX-License-Identifier: GPL-3.0-or-later
// Many paths found in a tree at once: each folder on the way is gone through once, however many are looked for in it.
#pragma once

#include <string_view>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

/// The node of each path, noNode where the tree has none there. Paths are absolute, without "." or "..". Any thread.
std::vector<NodeId> findPaths(const FileTree& tree, const std::vector<std::string_view>& paths);

} // namespace kurvo
