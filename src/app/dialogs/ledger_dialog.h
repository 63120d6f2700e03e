// SPDX-License-Identifier: GPL-3.0-or-later
// The ledger of a drive: what is used, part by part, with the evidence for each part.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>

#include "app/jobs/rights_reader.h"
#include "app/model/place_store.h"
#include "app/model/tree_updater.h"
#include "app/panels/gauge_bar.h"

namespace kurvo::app {

class LedgerDialog : public QDialog {
    Q_OBJECT
public:
    explicit LedgerDialog(PlaceStore& places, TreeUpdater& trees, RightsReader& rights, QWidget* parent = nullptr);

signals:
    void notReadRequested();

private:
    void write();
    void fill(const Result<Ledger>& ledger);

    PlaceStore& places_;
    TreeUpdater& trees_;
    RightsReader& rights_;
    QLabel* title_;
    QLabel* text_;
    GaugeBar* bar_;
    QTreeWidget* list_;
    QLabel* inodes_;
    QPushButton* notRead_;
    QPushButton* again_;
    QPushButton* copy_;
};

} // namespace kurvo::app
