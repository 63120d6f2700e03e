// SPDX-License-Identifier: GPL-3.0-or-later
// The long list of files in Find: any number of rows, each read from the tree when it is drawn.
#pragma once

#include <QAbstractTableModel>

#include <memory>
#include <unordered_map>
#include <vector>

#include "app/model/place_store.h"
#include "app/services/knowledge.h"

namespace kurvo::app {

class FileListModel : public QAbstractTableModel {
    Q_OBJECT
public:
    enum Column { Name, Folder, Disk, Apparent, Changed, Type, Owner, Mark, Advice, RoleOf, Columns };
    enum Role { NodeRole = Qt::UserRole };

    explicit FileListModel(PlaceStore& places, Knowledge& knowledge, QObject* parent = nullptr)
        : QAbstractTableModel(parent), places_(places), knowledge_(knowledge)
    {
    }
    void show(std::shared_ptr<const FileTree> tree, std::vector<NodeId> files);
    /// What the files are of; null before anything is shown.
    const std::shared_ptr<const FileTree>& tree() const { return tree_; }
    const std::vector<NodeId>& files() const { return files_; }
    NodeId nodeAt(int row) const
    {
        return row >= 0 && row < static_cast<int>(files_.size()) ? files_[static_cast<std::size_t>(row)] : noNode;
    }
    /// The row of a file, or -1.
    int rowOf(NodeId node) const;

    int rowCount(const QModelIndex& parent = {}) const override
    {
        return parent.isValid() ? 0 : static_cast<int>(files_.size());
    }
    int columnCount(const QModelIndex& parent = {}) const override { return parent.isValid() ? 0 : Columns; }
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

private:
    PlaceStore& places_;
    Knowledge& knowledge_;
    std::shared_ptr<const FileTree> tree_;
    std::vector<NodeId> files_;
};

} // namespace kurvo::app
