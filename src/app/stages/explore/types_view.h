// SPDX-License-Identifier: GPL-3.0-or-later
// File types: a band for each family, which opens into its types, and these into the folders where they lie. What is
// chosen lights up in the other views.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QWidget>

#include <stop_token>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"
#include "app/model/tree_updater.h"
#include "core/explore/type_table.h"

namespace kurvo::app {

class TypesView : public QWidget {
    Q_OBJECT
public:
    explicit TypesView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                       QWidget* parent = nullptr);
    ~TypesView() override;
    QTreeWidget* list() { return list_; }
    const TypeTable& table() const { return table_; }

    enum Column { Name, Share, Size, Files, Average, Largest, Oldest, Columns };
    enum Role { FamilyRole = Qt::UserRole + 2, TypeRole, NodeRole, LargestRole };

protected:
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void refresh();
    void forgetOtherStore();
    void fill(const TypeTable& table);
    void fillFolders(QTreeWidgetItem* item);
    void lightCurrent();
    void activate(QTreeWidgetItem* item, int column);
    void tellByContent();
    void showTold();
    void setFigures(QTreeWidgetItem* item, const TypeFigures& figures, std::uint64_t whole);

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    PlaceView& placeView_;
    QTreeWidget* list_;
    QLabel* empty_;
    QLabel* toldText_;
    QPushButton* tell_;
    TypeTable table_;
    std::weak_ptr<const NodeStore> store_; ///< to which the ids in the list belong
    unsigned request_ = 0;
    bool stale_ = true;
    bool filling_ = false;
    QElapsedTimer age_;

    /// What was told by content: the largest files without a type of their own.
    struct Told {
        NodeId node = noNode;
        QString kind; ///< in the words of the shared MIME database
    };
    std::vector<Told> told_;
    std::uint64_t toldPlace_ = 0;
    NodeId toldFocus_ = noNode;
    std::stop_source stopTelling_;
    bool telling_ = false;
};

} // namespace kurvo::app
