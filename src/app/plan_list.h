// SPDX-License-Identifier: GPL-3.0-or-later
// How a planned item is drawn in the list of Clear, and where its "take off" mark is.
#pragma once

#include <QStyledItemDelegate>

#include "app/session.h"

namespace kurvo::app {

class PlanRow : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {200, 46}; }
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    static QRect removeMark(const QRect& row) { return {row.right() - 34, row.y(), 30, row.height()}; }
    /// Left edges of the columns "on disk" and "check" for a row of that width.
    static int sizeColumn(int width) { return width * 50 / 100; }
    static int checkColumn(int width) { return sizeColumn(width) + 24; }
};

} // namespace kurvo::app
