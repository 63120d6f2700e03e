// SPDX-License-Identifier: GPL-3.0-or-later
// A finder's page with a sentence on what to mind, a table, and what can be done with its rows.
#pragma once

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "app/stages/find/finder_page.h"

namespace kurvo::app {

class TablePage : public FinderPage {
    Q_OBJECT
public:
    TablePage(const QString& mind, const QStringList& columns, QWidget* parent = nullptr);

    QTableWidget* table() { return table_; }

protected:
    /// One cell: what is shown, and what it is sorted by.
    struct Cell {
        QString text;
        QVariant order;
        bool figure = false; ///< right-aligned
    };
    void beginRows(int count);
    void setRow(int row, const std::vector<Cell>& cells, const QVariant& key, const QString& tip = {});
    void endRows(int sortColumn, Qt::SortOrder order);
    /// The data of the selected rows.
    QVariantList chosen() const;
    QPushButton* addButton(const QString& text, const QString& name);
    void setSums(const QString& text) { sums_->setText(text); }
    /// Instead of the table, when there is nothing to be shown.
    void showEmpty(const QString& sentence);
    QHBoxLayout* top() { return top_; }

private:
    QHBoxLayout* top_;
    QLabel* empty_;
    QTableWidget* table_;
    QLabel* sums_;
    QHBoxLayout* buttons_;
};

} // namespace kurvo::app
