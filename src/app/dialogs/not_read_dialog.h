// SPDX-License-Identifier: GPL-3.0-or-later
// What a scan could not read, with the reason, and the way to read it with administrator rights.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTreeWidget>

#include "app/jobs/rights_reader.h"
#include "app/model/place_store.h"
#include "app/model/tree_updater.h"

namespace kurvo::app {

class NotReadDialog : public QDialog {
    Q_OBJECT
public:
    explicit NotReadDialog(PlaceStore& places, TreeUpdater& trees, RightsReader& rights, QWidget* parent = nullptr);

private:
    void fill();
    void showJob();
    void showTerminal(const QString& command);

    PlaceStore& places_;
    TreeUpdater& trees_;
    RightsReader& rights_;
    QLabel* title_;
    QLabel* text_;
    QTreeWidget* list_;
    QWidget* terminal_;
    QLineEdit* command_;
    QLabel* status_;
    QPushButton* read_;
    QPushButton* stop_;
};

} // namespace kurvo::app
