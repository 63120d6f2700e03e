// SPDX-License-Identifier: GPL-3.0-or-later
// Finding what moved among what is new and what is gone. Internal to core/compare.
//
// A file moved when an entry that is gone had the same inode, size and modification time, or the same name, size and
// time. A folder moved as a whole when at least half of the files in it, and half of what it held, are found at the same
// places below one folder that is gone; or when it has the inode and the time of one. Whole folders are looked for first,
// from the top down, so that one line says what thousands would; what is in them is then matched by name.
#pragma once

#include <stop_token>
#include <utility>
#include <vector>

#include "core/tree/matching.h"

namespace kurvo {

class MoveFinder {
public:
    /// `earlier` and `later` hold the matched entry of the other tree by id; both are added to.
    MoveFinder(const FileTree& now, const FileTree& before, bool sameDrive, std::vector<NodeId>& earlier,
               std::vector<NodeId>& later)
        : now_(now), before_(before), sameDrive_(sameDrive), earlier_(earlier), later_(later)
    {
    }
    /// Files at whose paths others stand now: those that stand at the path of another one of them, or of a new one (a log
    /// that is rotated), moved there. Adds what is without a match then.
    void findReplaced(const std::vector<NodeId>& replaced, std::vector<NodeId>& appeared,
                      std::vector<NodeId>& vanished);
    /// `appeared` and `vanished`: the topmost entries without a match.
    void find(const std::vector<NodeId>& appeared, const std::vector<NodeId>& vanished, std::stop_token stop);

private:
    using Key = std::uint64_t;
    using Index = std::vector<std::pair<Key, NodeId>>; ///< sorted

    static Key inodeKey(const FileTree& tree, NodeId node);
    static Key nameKey(const FileTree& tree, NodeId node);
    void index(const std::vector<NodeId>& vanished);
    /// Calls `visit` for those that are still without a match, until it returns false.
    template <typename Visit>
    void forEachWith(const Index& index, Key key, Visit&& visit) const;
    bool isSameFile(NodeId now, NodeId before) const;
    NodeId movedFolder(NodeId folder) const;
    void pairFolders(NodeId folder, NodeId then, std::vector<NodeId>& pending);
    NodeId movedFile(NodeId file) const;

    const FileTree& now_;
    const FileTree& before_;
    bool sameDrive_;
    std::vector<NodeId>& earlier_;
    std::vector<NodeId>& later_;
    Index byInode_, byName_, folders_;
};

} // namespace kurvo
