// SPDX-License-Identifier: GPL-3.0-or-later
// Changes as rows: what changed in one folder, or all changes of a place in one list. Each with its net change and a
// bar that goes to the right for growth and to the left for shrinking.
#pragma once

#include <QAbstractListModel>
#include <QStyledItemDelegate>

#include "app/jobs/comparing.h"

namespace kurvo::app {

struct ChangeRow {
    NodeId node = noNode; ///< of the tree of changes; noNode for what stands for the rest
    Change change = Change::None;
    QString name;
    QString tag;     ///< "appeared", "moved from /home/…"; may be empty
    QString figures; ///< "+61.0 GiB"
    QString apart;   ///< "+40.0 −38.0 GiB" where both happened
    std::int64_t net = 0;
    std::uint64_t amount = 0;
    bool isFolder = false;
    bool hidden = false;
};

class ChangeModel : public QAbstractListModel {
    Q_OBJECT
public:
    explicit ChangeModel(QObject* parent = nullptr) : QAbstractListModel(parent) { }
    void show(std::vector<ChangeRow> rows);
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    const ChangeRow& row(int index) const { return rows_[static_cast<std::size_t>(index)]; }
    /// The row of a node, or -1.
    int rowOf(NodeId node) const;
    /// The longest bar stands for so much.
    std::uint64_t largest() const { return largest_; }

private:
    std::vector<ChangeRow> rows_;
    std::uint64_t largest_ = 1;
};

class ChangeDelegate : public QStyledItemDelegate {
    Q_OBJECT
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
};

/// Any thread, as the next two. Of the children of a folder, largest amount of change first; what moved stands where
/// its size puts it.
std::vector<ChangeRow> rowsOfFolder(const Comparison& comparison, NodeId folder, Measure measure);
/// Of changes, with their paths.
std::vector<ChangeRow> rowsOfLines(const Comparison& comparison, const std::vector<ChangeLine>& lines, Measure measure);

/// What came and what went, where net alone would hide it.
QString apartText(const ChangeSums& sums, Measure measure);

/// Of growth and shrinking in text and bars; on the panel.
QColor growthInk(std::int64_t net);

} // namespace kurvo::app
