// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "app/descent_view.h"
#include "app/words.h"

namespace kurvo::app {

void DescentModel::show(const Place* place, Measure measure, bool withRest)
{
    beginResetModel();
    tree_ = place ? place->tree : nullptr;
    measure_ = measure;
    children_ = place ? tree_->sortedChildren(place->focus, measure) : std::vector<NodeId>{};
    largest_ = children_.empty() ? 0 : tree_->measured(children_[0], measure);
    shown_ = children_.size();
    restCount_ = 0;
    restSize_ = 0;
    if (withRest && place) {
        // Worth a row of its own: the first dozen, and whatever holds one part in two hundred.
        constexpr std::size_t always = 12;
        const auto whole = tree_->measured(place->focus, measure);
        const auto small = std::find_if(
            children_.begin() + static_cast<std::ptrdiff_t>(std::min(always, children_.size())), children_.end(),
            [&](NodeId child) { return tree_->measured(child, measure) < whole / 200 + 1; });
        const auto count = static_cast<std::size_t>(children_.end() - small);
        if (count > 2) {
            shown_ -= count;
            restCount_ = count;
            for (auto at = small; at != children_.end(); ++at)
                restSize_ += tree_->measured(*at, measure);
        }
    }
    endResetModel();
}

int DescentModel::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(shown_ + (restCount_ > 0 ? 1 : 0));
}

NodeId DescentModel::nodeAt(int row) const
{
    return row >= 0 && row < static_cast<int>(shown_) ? children_[static_cast<std::size_t>(row)] : noNode;
}

int DescentModel::rowOf(NodeId node) const
{
    const auto end = children_.begin() + static_cast<std::ptrdiff_t>(shown_);
    const auto found = std::find(children_.begin(), end, node);
    return found == end ? -1 : static_cast<int>(found - children_.begin());
}

QVariant DescentModel::data(const QModelIndex& index, int role) const
{
    if (!tree_ || !index.isValid())
        return {};
    const auto node = nodeAt(index.row());
    const auto size = node == noNode ? restSize_ : tree_->measured(node, measure_);
    switch (role) {
    case Qt::DisplayRole:
        return node == noNode ? tr("rest: %1").arg(itemsText(restCount_, "item")) : toText(tree_->name(node));
    case Qt::AccessibleTextRole:
        return data(index, Qt::DisplayRole).toString() + ", " + data(index, SizeRole).toString() +
               (node != noNode && tree_->isHidden(node) ? tr(", hidden") : QString());
    case Qt::ToolTipRole:
        return node == noNode ? tr("Double-click to list them") : toText(tree_->path(node));
    case NodeRole:
        return node;
    case RestCountRole:
        return static_cast<qulonglong>(node == noNode ? restCount_ : 0);
    case SizeRole:
        return measure_ == Measure::Files ? countText(size) : sizeText(size);
    default:
        return {};
    }
}

} // namespace kurvo::app
