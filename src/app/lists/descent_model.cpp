// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/descent_model.h"

#include <algorithm>

#include "app/style/words.h"

namespace kurvo::app {
void DescentModel::show(std::shared_ptr<const FileTree> tree, Measure measure, std::vector<DescentRow> rows)
{
    beginResetModel();
    tree_ = std::move(tree);
    measure_ = measure;
    rows_ = std::move(rows);
    endResetModel();
}

int DescentModel::rowCount(const QModelIndex& parent) const
{
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int DescentModel::rowOf(NodeId node) const
{
    if (node == noNode)
        return -1;
    const auto found =
        std::find_if(rows_.begin(), rows_.end(), [node](const DescentRow& row) { return row.node == node; });
    return found == rows_.end() ? -1 : static_cast<int>(found - rows_.begin());
}

QVariant DescentModel::data(const QModelIndex& index, int role) const
{
    const auto* at = index.isValid() ? row(index.row()) : nullptr;
    if (!tree_ || !at)
        return {};
    switch (role) {
    case Qt::DisplayRole:
        return at->isRest() ? tr("rest: %1").arg(itemsText(at->restCount, "item")) : toText(tree_->name(at->node));
    case Qt::AccessibleTextRole: {
        const auto whole = tree_->measured(at->folder, measure_);
        return (!at->isRest() && tree_->isHidden(at->node) ? tr("%1, %2, %3, hidden") : tr("%1, %2, %3"))
            .arg(data(index, Qt::DisplayRole).toString(), data(index, SizeRole).toString(), shareText(at->size, whole));
    }
    case Qt::ToolTipRole:
        return at->isRest() ? tr("Double-click to list them") : toText(tree_->path(at->node));
    case NodeRole:
        return at->node;
    case RestCountRole:
        return static_cast<qulonglong>(at->restCount);
    case SizeRole:
        return measure_ == Measure::Files ? countText(at->size) : sizeText(at->size);
    default:
        return {};
    }
}

} // namespace kurvo::app
