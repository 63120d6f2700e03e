// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the descent, for Qt.
#pragma once

#include <QAbstractListModel>

#include <memory>
#include <vector>

#include "core/explore/descent.h"

namespace kurvo::app {

class DescentModel : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role { NodeRole = Qt::UserRole, RestCountRole, SizeRole };

    explicit DescentModel(QObject* parent = nullptr) : QAbstractListModel(parent) { }
    void show(std::shared_ptr<const FileTree> tree, Measure measure, std::vector<DescentRow> rows);
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;

    const DescentRow* row(int row) const
    {
        return row >= 0 && row < static_cast<int>(rows_.size()) ? &rows_[static_cast<std::size_t>(row)] : nullptr;
    }
    NodeId nodeAt(int row) const { return this->row(row) ? this->row(row)->node : noNode; }
    int rowOf(NodeId node) const;
    bool isRest(int row) const { return this->row(row) && this->row(row)->isRest(); }

private:
    std::shared_ptr<const FileTree> tree_;
    Measure measure_ = Measure::Disk;
    std::vector<DescentRow> rows_;
};

} // namespace kurvo::app
