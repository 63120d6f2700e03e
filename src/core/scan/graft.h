// SPDX-License-Identifier: GPL-3.0-or-later
// Grafting: the tree of a place with some of its folders as a later scan found them, so that a change in one folder
// needs no scan of the whole place. The entries are copied into a new store (about 0.1 s a million): appending to the
// old one was dropped, because what the old rows hold would stay in memory with every look again.
#pragma once

#include <memory>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

/// One folder of a tree, and what was found in it. Without a tree the folder is gone.
struct Graft {
    NodeId at = noNode;
    std::shared_ptr<const FileTree> fresh;
};

struct Grafted {
    std::shared_ptr<const FileTree> tree;
    std::vector<NodeId> newIds; ///< by old id; noNode for what is gone, or is no folder any more or has become one

    /// Where an entry of the old tree is now; noNode when it is gone.
    NodeId idOf(const FileTree& old, NodeId node) const;
};

/// `grafts`: folders of `tree`, none below another. What was taken out of `tree` is left out for good.
Grafted graft(const FileTree& tree, const std::vector<Graft>& grafts);

} // namespace kurvo
