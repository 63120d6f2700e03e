// SPDX-License-Identifier: GPL-3.0-or-later
// Rows of a table of kinds of files: below a name a band as long as its share.
#pragma once

#include <QStyledItemDelegate>

namespace kurvo::app {

class BandPainter : public QStyledItemDelegate {
    Q_OBJECT
public:
    enum Data { ShareRole = Qt::UserRole, ColourRole };
    /// The columns with the name, which has the band, and with the size.
    BandPainter(int name, int size, QObject* parent) : QStyledItemDelegate(parent), name_(name), size_(size) { }
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;

private:
    int name_, size_;
};

} // namespace kurvo::app
