// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/table_page.h"

#include <QHeaderView>
#include <QVBoxLayout>

#include "app/style/theme.h"

namespace kurvo::app {
namespace {

/// Sorted by what it stands for, not by its words.
class OrderedItem : public QTableWidgetItem {
public:
    using QTableWidgetItem::QTableWidgetItem;
    bool operator<(const QTableWidgetItem& other) const override
    {
        const auto a = data(Qt::UserRole + 1), b = other.data(Qt::UserRole + 1);
        if (a.typeId() == QMetaType::QString)
            return QString::compare(a.toString(), b.toString(), Qt::CaseInsensitive) < 0;
        return a.toLongLong() < b.toLongLong();
    }
};

} // namespace

TablePage::TablePage(const QString& mind, const QStringList& columns, QWidget* parent)
    : FinderPage(parent), top_(new QHBoxLayout), empty_(new QLabel),
      table_(new QTableWidget(0, static_cast<int>(columns.size()))), sums_(new QLabel), buttons_(new QHBoxLayout)
{
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 10, 12, 8);
    layout->setSpacing(8);
    auto* sentence = new QLabel(mind);
    sentence->setWordWrap(true);
    sentence->setProperty("role", "second");
    layout->addWidget(sentence);
    layout->addLayout(top_);
    empty_->setObjectName("finderEmpty");
    empty_->setAlignment(Qt::AlignCenter);
    empty_->setWordWrap(true);
    empty_->setProperty("role", "second");
    empty_->hide();
    table_->setHorizontalHeaderLabels(columns);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setShowGrid(false);
    table_->setWordWrap(false);
    table_->setTextElideMode(Qt::ElideMiddle);
    table_->setTabKeyNavigation(false);
    table_->setFrameShape(QFrame::NoFrame);
    table_->verticalHeader()->hide();
    table_->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    table_->verticalHeader()->setDefaultSectionSize(26);
    table_->horizontalHeader()->setHighlightSections(false);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    layout->addWidget(table_, 1);
    layout->addWidget(empty_, 1);
    sums_->setObjectName("finderSums");
    sums_->setProperty("role", "second");
    sums_->setWordWrap(true);
    auto* foot = new QHBoxLayout;
    foot->addWidget(sums_, 1);
    foot->addLayout(buttons_);
    layout->addLayout(foot);
}

QPushButton* TablePage::addButton(const QString& text, const QString& name)
{
    auto* button = new QPushButton(text);
    button->setObjectName(name);
    buttons_->addWidget(button);
    return button;
}

void TablePage::beginRows(int count)
{
    table_->setSortingEnabled(false);
    table_->clearContents();
    table_->setRowCount(count);
}

void TablePage::setRow(int row, const std::vector<Cell>& cells, const QVariant& key, const QString& tip)
{
    int column = 0;
    for (const auto& cell : cells) {
        auto* item = new OrderedItem(cell.text);
        item->setData(Qt::UserRole + 1, cell.order.isValid() ? cell.order : QVariant(cell.text));
        if (cell.figure)
            item->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        if (column > 0)
            item->setForeground(cell.figure ? theme().text : theme().textSecond);
        item->setToolTip(tip.isEmpty() ? cell.text : tip);
        table_->setItem(row, column++, item);
    }
    table_->item(row, 0)->setData(Qt::UserRole, key);
}

void TablePage::endRows(int sortColumn, Qt::SortOrder order)
{
    table_->sortItems(sortColumn, order);
    table_->setSortingEnabled(true);
    table_->show();
    empty_->hide();
}

QVariantList TablePage::chosen() const
{
    QVariantList all;
    for (const auto& index : table_->selectionModel()->selectedRows())
        all << table_->item(index.row(), 0)->data(Qt::UserRole);
    return all;
}

void TablePage::showEmpty(const QString& sentence)
{
    table_->setRowCount(0);
    table_->hide();
    empty_->setText(sentence);
    empty_->show();
    sums_->clear();
}

} // namespace kurvo::app
