// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/growing_tree.h"

namespace kurvo {
namespace {

struct AddFigures {
    using Sums = FolderSums;
    const NodeStore& store;

    void addFile(Sums& above, NodeId node) const { above.addFile(store, node, !store.has(node, FlagLinkedAgain)); }
    void addFolder(Sums& own, Sums& above, NodeId node) const
    {
        own.addSelf(store, node);
        above.addBelow(own);
        above.addFolder(store, node);
    }
    void addMore(Sums& sums, const Sums& more) const { sums.addBelow(more); }
    void changed(FolderIndex) const { }
};

} // namespace

std::shared_ptr<const FileTree> GrowingTree::look()
{
    const auto now = store_->published();
    sums_.resize(now.folders);
    AddFigures rules{*store_};
    addNewRows(*store_, seen_.nodes, now.nodes, sums_, rules);
    seen_ = now;
    return std::make_shared<FileTree>(store_, now, sums_);
}

} // namespace kurvo
