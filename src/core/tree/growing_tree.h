// SPDX-License-Identifier: GPL-3.0-or-later
// GrowingTree: pictures of a scan that still runs. Each look adds only what came since the one before, so that looking
// often costs little however large the scan has become.
#pragma once

#include <functional>
#include <map>
#include <memory>

#include "core/tree/file_tree.h"

namespace kurvo {

/// Adds the rows of a store from `from` up to `to` to sums by folder index. `rules` says what is summed:
///   Sums                                       the type
///   addFile(Sums&, NodeId)                     an entry that is no folder, to the sums of its folder
///   addFolder(Sums& own, Sums& above, NodeId)  a new folder, whose sums are complete, to those above it
///   addMore(Sums&, const Sums& more)           what came below a folder
///   changed(FolderIndex)                       called for each folder whose sums are now others
template <typename Rules>
void addNewRows(const NodeStore& store, NodeId from, NodeId to, std::vector<typename Rules::Sums>& sums, Rules& rules)
{
    // Folders of earlier rows that got something new, deepest (largest id) first; everything new has larger ids.
    std::map<NodeId, typename Rules::Sums, std::greater<>> grown;
    typename Rules::Sums nowhere{};
    const auto sumsOf = [&](NodeId folder) -> typename Rules::Sums& {
        return folder == noNode ? nowhere : folder < from ? grown[folder] : sums[store.folderIndex(folder)];
    };
    for (NodeId node = to; node-- > from;) {
        if (!store.isFolder(node)) {
            rules.addFile(sumsOf(store.parent(node)), node);
            continue;
        }
        const auto index = store.folderIndex(node);
        rules.addFolder(sums[index], sumsOf(store.parent(node)), node);
        rules.changed(index);
    }
    while (!grown.empty()) {
        const auto [folder, more] = *grown.begin();
        grown.erase(grown.begin());
        rules.addMore(sums[store.folderIndex(folder)], more);
        rules.changed(store.folderIndex(folder));
        if (const NodeId above = store.parent(folder); above != noNode)
            rules.addMore(grown[above], more);
    }
}

class GrowingTree {
public:
    explicit GrowingTree(std::shared_ptr<const NodeStore> store) : store_(std::move(store)) { }

    /// What has been found until now, as an immutable tree over the same store: ids stay what they are in every later
    /// look and in the finished tree. A file with several links counts at the path that was met first, which the
    /// finished tree puts right. One thread at a time; the scan goes on meanwhile.
    std::shared_ptr<const FileTree> look();

private:
    std::shared_ptr<const NodeStore> store_;
    StoreExtent seen_;
    std::vector<FolderSums> sums_;
};

} // namespace kurvo
