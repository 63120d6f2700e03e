// SPDX-License-Identifier: GPL-3.0-or-later
// Roles: a band for each thing that files are there for, which opens into the places where they lie. What is chosen is
// highlighted in the other views.
#pragma once

#include <QElapsedTimer>
#include <QLabel>
#include <QTreeWidget>
#include <QWidget>

#include "app/model/cursor.h"
#include "app/model/place_view.h"
#include "app/services/knowledge.h"
#include "core/explore/role_table.h"

namespace kurvo::app {

class RolesView : public QWidget {
    Q_OBJECT
public:
    RolesView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView, Knowledge& knowledge,
              QWidget* parent = nullptr);
    QTreeWidget* list() { return list_; }
    const RoleTable& table() const { return table_; }

    enum Column { Name, Share, Size, Files, Largest, Oldest, Columns };
    enum Data { RoleRole = Qt::UserRole + 2, NodeRole, LargestRole };

protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    struct Found {
        RoleTable table;
        std::shared_ptr<const TreeAdvice> advice;
        std::shared_ptr<const FileTree> tree;
    };
    void later();
    void refresh();
    void fill(const Found& found);
    void fillFolders(QTreeWidgetItem* item);
    void lightCurrent();
    void activate(QTreeWidgetItem* item, int column);
    QString sizeOf(std::uint64_t value) const;

    PlaceStore& places_;
    Cursor& cursor_;
    PlaceView& placeView_;
    Knowledge& knowledge_;
    QTreeWidget* list_;
    QLabel* empty_;
    RoleTable table_;
    std::shared_ptr<const TreeAdvice> advice_; ///< of what is in the list
    std::weak_ptr<const FileTree> tree_;
    unsigned request_ = 0;
    unsigned lightRequest_ = 0;
    bool stale_ = true;
    bool filling_ = false;
    QElapsedTimer age_;
};

} // namespace kurvo::app
