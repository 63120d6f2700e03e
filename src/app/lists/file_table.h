// SPDX-License-Identifier: GPL-3.0-or-later
// The list of Find as a table: its columns, which can be chosen, and their widths.
#pragma once

#include <QTableView>

#include "app/lists/file_list.h"

namespace kurvo::app {

class FileTable : public QTableView {
    Q_OBJECT
public:
    explicit FileTable(FileListModel* model, QWidget* parent = nullptr);

    /// Which columns there are and how wide; empty as long as nobody chose.
    QByteArray columns() const;
    void setColumns(const QByteArray& state);

signals:
    void columnsChanged();
    void goneInto(); ///< Enter or a double click on a row

protected:
    void resizeEvent(QResizeEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void layOutColumns();
    void chooseColumns(const QPoint& global);

    bool chosen_ = false;
    bool layingOut_ = false;
    bool dragging_ = false; ///< the mouse is down on the header
};

} // namespace kurvo::app
