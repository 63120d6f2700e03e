// SPDX-License-Identifier: GPL-3.0-or-later
// Matching: which entry of a tree stood at the same path in an earlier one.
#pragma once

#include <memory>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

/// Immutable once made; may be read from any thread.
class Matching {
public:
    /// Matches by path below the two roots, byte for byte; a file and a folder of one name do not match. About a second
    /// for a million entries, 4 bytes an entry.
    Matching(std::shared_ptr<const FileTree> now, std::shared_ptr<const FileTree> before);

    const FileTree& now() const { return *now_; }
    const FileTree& before() const { return *before_; }
    /// The entry of the earlier tree; noNode for what is new.
    NodeId earlier(NodeId node) const { return node < earlier_.size() ? earlier_[node] : noNode; }
    /// By how much an entry is larger in `now`, a tree over the same store, than it was then; all of it when it is new.
    /// Saturates.
    std::int64_t growth(const FileTree& now, NodeId node, Measure measure) const;

private:
    std::shared_ptr<const FileTree> now_, before_;
    std::vector<NodeId> earlier_;
};

} // namespace kurvo
