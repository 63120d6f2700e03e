// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of the descent: children of the focus folder, some of them opened in place, what is small gathered.
#pragma once

#include <QAbstractListModel>

#include <memory>
#include <set>
#include <vector>

#include "app/model/place.h"

namespace kurvo::app {

enum class DescentSort { Size, Count, Name, Date };

/// What rows are made from; plain data, so that many can be made off the interface thread.
struct DescentWish {
    std::shared_ptr<const FileTree> tree;
    NodeId focus = noNode;
    Measure measure = Measure::Disk;
    DescentSort sort = DescentSort::Size;
    std::set<NodeId> opened; ///< folders whose children stand below them
    std::set<NodeId> whole;  ///< folders whose rest is listed one by one
    std::uint32_t childCount() const;
};

struct DescentRow {
    NodeId node = noNode;   ///< noNode for a rest
    NodeId folder = noNode; ///< in which it lies
    int level = 0;
    std::uint64_t size = 0;
    std::uint64_t largest = 0; ///< of the rows beside it
    std::size_t restCount = 0;
    bool opened = false;
    bool isRest() const { return node == noNode; }
};

/// Worth a row of its own are the dozen largest, and whatever holds one part in two hundred.
std::vector<DescentRow> descentRows(const DescentWish& wish);

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
