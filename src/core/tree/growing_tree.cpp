// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/growing_tree.h"

namespace kurvo {

std::shared_ptr<const FileTree> GrowingTree::look()
{
    const auto& store = *store_;
    const auto now = store.published();
    sums_.resize(now.folders);
    // Folders of earlier looks that got something new, deepest (largest id) first; everything new has larger ids.
    std::map<NodeId, FolderSums, std::greater<>> grown;
    const auto sumsOf = [&](NodeId folder) -> FolderSums& {
        return folder < seen_.nodes ? grown[folder] : sums_[store.folderIndex(folder)];
    };
    for (NodeId node = now.nodes; node-- > seen_.nodes;) {
        const NodeId above = store.parent(node);
        if (!store.isFolder(node)) {
            sumsOf(above).addFile(store, node, !store.has(node, FlagLinkedAgain));
            continue;
        }
        auto& own = sums_[store.folderIndex(node)];
        own.addSelf(store, node);
        if (above != noNode) {
            auto& sums = sumsOf(above);
            sums.addBelow(own);
            sums.addFolder(store, node);
        }
    }
    while (!grown.empty()) {
        const auto [folder, more] = *grown.begin();
        grown.erase(grown.begin());
        sums_[store.folderIndex(folder)].addBelow(more);
        if (const NodeId above = store.parent(folder); above != noNode)
            grown[above].addBelow(more);
    }
    seen_ = now;
    return std::make_shared<FileTree>(store_, now, sums_);
}

} // namespace kurvo
