// SPDX-License-Identifier: GPL-3.0-or-later
// All marks of a machine in one list: to look through, to take away, to hand over as CSV; and the kinds of mark.
#pragma once

#include <QDialog>
#include <QTableWidget>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/services/knowledge.h"
#include "app/services/notices.h"

namespace kurvo::app {

class MarksDialog : public QDialog {
    Q_OBJECT
public:
    explicit MarksDialog(PlaceStore& places, Cursor& cursor, Notices& notices, Knowledge& knowledge,
                         QWidget* parent = nullptr);
    QTableWidget* list() { return list_; }

signals:
    void saveRequested(); ///< as CSV

private:
    void fill();
    void addKind();
    void removeKind();
    void goTo(int row);

    PlaceStore& places_;
    Cursor& cursor_;
    Notices& notices_;
    Knowledge& knowledge_;
    std::string host_;
    QTableWidget* list_;
    QLabel* empty_;
    QLabel* kinds_;
};

} // namespace kurvo::app
