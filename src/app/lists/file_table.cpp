// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/lists/file_table.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QMenu>
#include <QScopedValueRollback>

namespace kurvo::app {

FileTable::FileTable(FileListModel* model, QWidget* parent) : QTableView(parent)
{
    setObjectName("fileList");
    setAccessibleName(tr("Files"));
    setModel(model);
    setSelectionBehavior(QAbstractItemView::SelectRows);
    setSelectionMode(QAbstractItemView::ExtendedSelection);
    setShowGrid(false);
    setTabKeyNavigation(false);
    horizontalHeader()->setSectionsMovable(true);
    setWordWrap(false);
    setMouseTracking(true);
    setContextMenuPolicy(Qt::CustomContextMenu);
    setTextElideMode(Qt::ElideMiddle);
    setIconSize(QSize(10, 10));
    verticalHeader()->hide();
    verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    verticalHeader()->setDefaultSectionSize(26);
    auto* header = horizontalHeader();
    header->setHighlightSections(false);
    header->setSortIndicatorShown(true);
    header->setSortIndicator(FileListModel::Disk, Qt::DescendingOrder);
    header->setSectionsClickable(true);
    header->setSectionResizeMode(FileListModel::Folder, QHeaderView::Stretch);
    header->viewport()->installEventFilter(this);
    header->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(header, &QHeaderView::customContextMenuRequested, this,
            [this, header](const QPoint& at) { chooseColumns(header->mapToGlobal(at)); });
    connect(header, &QHeaderView::sectionResized, this, [this](int column) {
        // By a person: the style sets widths as well, and the folder takes the room that is left.
        if (layingOut_ || column == FileListModel::Folder || (!dragging_ && !chosen_))
            return;
        chosen_ = true;
        emit columnsChanged();
    });
    connect(header, &QHeaderView::sectionMoved, this, [this] {
        if (layingOut_)
            return;
        chosen_ = true;
        emit columnsChanged();
    });
    connect(this, &QTableView::doubleClicked, this, &FileTable::goneInto);
}

bool FileTable::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == horizontalHeader()->viewport()) {
        if (event->type() == QEvent::MouseButtonPress || event->type() == QEvent::MouseButtonDblClick)
            dragging_ = true;
        else if (event->type() == QEvent::MouseButtonRelease)
            dragging_ = false;
    }
    return QTableView::eventFilter(watched, event);
}

void FileTable::resizeEvent(QResizeEvent* event)
{
    layOutColumns();
    QTableView::resizeEvent(event);
}

void FileTable::keyPressEvent(QKeyEvent* event)
{
    if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && event->modifiers() == Qt::NoModifier &&
        currentIndex().isValid()) {
        emit goneInto();
        return;
    }
    QTableView::keyPressEvent(event);
}

/// As somebody chose them; else what there is no room for is left out: the dossier says it.
void FileTable::layOutColumns()
{
    if (chosen_)
        return;
    const std::pair<int, int> widths[] = {{FileListModel::Disk, 84},    {FileListModel::Changed, 104},
                                          {FileListModel::Advice, 124}, {FileListModel::Type, 120},
                                          {FileListModel::Owner, 84},   {FileListModel::Mark, 96},
                                          {FileListModel::RoleOf, 140}, {FileListModel::Apparent, 84}};
    const QScopedValueRollback quiet(layingOut_, true);
    constexpr int margins = 26;
    int used = 170 + 130;
    setColumnWidth(FileListModel::Name, 190);
    for (const auto& [column, wide] : widths) {
        used += wide;
        setColumnHidden(column, used > width() + margins && column != FileListModel::Disk);
        setColumnWidth(column, wide);
    }
}

QByteArray FileTable::columns() const
{
    return chosen_ ? horizontalHeader()->saveState() : QByteArray();
}

void FileTable::setColumns(const QByteArray& state)
{
    const QScopedValueRollback quiet(layingOut_, true);
    chosen_ = !state.isEmpty() && horizontalHeader()->restoreState(state);
    horizontalHeader()->setSortIndicator(FileListModel::Disk, Qt::DescendingOrder);
    setColumnHidden(FileListModel::Name, false);
}

void FileTable::chooseColumns(const QPoint& global)
{
    auto* menu = new QMenu(this);
    menu->setObjectName("columnMenu");
    menu->setAttribute(Qt::WA_DeleteOnClose);
    for (int column = FileListModel::Folder; column < FileListModel::Columns; ++column) {
        auto* action = menu->addAction(model()->headerData(column, Qt::Horizontal, Qt::DisplayRole).toString(), this,
                                       [this, column] {
                                           chosen_ = true;
                                           setColumnHidden(column, !isColumnHidden(column));
                                           if (columnWidth(column) < 40)
                                               setColumnWidth(column, 100);
                                           emit columnsChanged();
                                       });
        action->setCheckable(true);
        action->setChecked(!isColumnHidden(column));
    }
    menu->addSeparator();
    menu->addAction(tr("As there is room"), this, [this] {
        chosen_ = false;
        layOutColumns();
        emit columnsChanged();
    });
    menu->popup(global);
}

} // namespace kurvo::app
