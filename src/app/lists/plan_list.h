// SPDX-License-Identifier: GPL-3.0-or-later
// The plan as a list: grouped by what will happen, each item with its size, advice, mark and what the check said.
#pragma once

#include <QAbstractListModel>
#include <QStyledItemDelegate>

#include "app/model/place_store.h"
#include "app/services/knowledge.h"

namespace kurvo::app {

enum class PlanSort { Size, Name, Advice, Check };

class PlanRows : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role { PathRole = Qt::UserRole, SizeRole, AdviceRole, MarkRole, FindingRole, ReadyRole, GroupRole };
    PlanRows(const PlaceStore& places, const Knowledge& knowledge, QObject* parent = nullptr)
        : QAbstractListModel(parent), places_(places), knowledge_(knowledge)
    {
    }
    /// By size until another order is chosen; groups stay in the order they are carried out in.
    void setSort(PlanSort sort) { sort_ = sort; }
    PlanSort sort() const { return sort_; }
    /// The plan of the current place. What stands in a row is worked out when it is drawn. A few rows that came or went
    /// are told as such; true where all rows are others.
    bool show();
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    Qt::ItemFlags flags(const QModelIndex& index) const override;
    /// Null for a group's title.
    const PlanItem* itemAt(int row) const;
    int rowOf(const std::string& path) const;

private:
    struct Row {
        const PlanItem* item; ///< of a title: the first of its group
        bool title = false;
    };
    struct Shown {
        KeptState state; ///< keeps the items
        std::vector<Row> rows;
        std::vector<QString> titles; ///< of the groups, in their order
    };
    Shown make() const;
    bool showDifference(Shown& now);
    QString titleOf(std::size_t row) const;
    QString adviceOf(const PlanItem& item) const;
    QString markOf(const PlanItem& item) const;
    Finding findingOf(const PlanItem& item) const;

    const PlaceStore& places_;
    const Knowledge& knowledge_;
    Shown shown_;
    PlanSort sort_ = PlanSort::Size;
};

/// How a row is drawn, and where its "take off" mark is.
class PlanRow : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex& index) const override;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    static QRect removeMark(const QRect& row) { return {row.right() - 30, row.y(), 28, row.height()}; }
    /// For a row of that width: the right edge of "on disk", the left edges of "advice" and "check".
    static int sizeColumn(int width) { return width * 47 / 100; }
    static int adviceColumn(int width) { return sizeColumn(width) + 18; }
    static int checkColumn(int width) { return adviceColumn(width) + 112; }
};

/// The names of the columns, which sort by a click.
class PlanColumns : public QWidget {
    Q_OBJECT
public:
    explicit PlanColumns(QWidget* parent = nullptr);
    void setSort(PlanSort sort);

signals:
    void sortChosen(PlanSort sort);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

private:
    QRect rectOf(PlanSort column) const;
    PlanSort sort_ = PlanSort::Size;
};

} // namespace kurvo::app
