// SPDX-License-Identifier: GPL-3.0-or-later
// A node with the tree it belongs to: what crosses an asynchronous call, where the place may have another tree (or
// there may be another place) by the time the answer comes. An id alone would then be that of something else.
#pragma once

#include <memory>
#include <optional>
#include <utility>

#include "core/tree/file_tree.h"

namespace kurvo::app {

class NodeRef {
public:
    NodeRef() = default;
    NodeRef(std::shared_ptr<const FileTree> tree, NodeId node) : tree_(std::move(tree)), node_(node) { }

    bool isEmpty() const { return !tree_ || node_ == noNode; }
    /// Its id in `now`: the same where the ids are, else by its path; noNode where it is not there.
    NodeId in(const FileTree& now) const
    {
        if (isEmpty())
            return noNode;
        if (now.sharedStore() == tree_->sharedStore())
            return now.contains(node_) ? node_ : noNode;
        return now.find(tree_->path(node_)).value_or(noNode);
    }

private:
    std::shared_ptr<const FileTree> tree_;
    NodeId node_ = noNode;
};

} // namespace kurvo::app
