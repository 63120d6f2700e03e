// SPDX-License-Identifier: GPL-3.0-or-later
// Leads as a list: how much, what, how surely it may go, where. Wide it has the whole sentence.
#pragma once

#include <QAbstractListModel>
#include <QStyledItemDelegate>

#include "app/jobs/lead_finder.h"

namespace kurvo::app {

class LeadRows : public QAbstractListModel {
    Q_OBJECT
public:
    enum Data { BytesRole = Qt::UserRole, SentenceRole, SureRole, PlaceRole, ShareRole, PlannedRole };
    explicit LeadRows(const LeadFinder& finder, const PlaceStore& places, QObject* parent = nullptr)
        : QAbstractListModel(parent), finder_(finder), places_(places)
    {
    }
    /// Makes the rows anew. `all`: with those beyond the twelve.
    void show(bool all);
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    /// Null where there is no such row.
    const Lead* leadAt(int row) const;
    int rowOf(const std::string& id) const;

private:
    const LeadFinder& finder_;
    const PlaceStore& places_;
    std::shared_ptr<const Leads> leads_; ///< keeps what the rows look at
    std::vector<const Lead*> rows_;
};

class LeadRow : public QStyledItemDelegate {
    Q_OBJECT
public:
    LeadRow(bool wide, QObject* parent) : QStyledItemDelegate(parent), wide_(wide) { }
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;

private:
    bool wide_;
};

} // namespace kurvo::app
