// SPDX-License-Identifier: GPL-3.0-or-later
// The snapshots of the current place: names, notes and pins, checking, removing, importing, and how many are kept.
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QTableWidget>

#include "app/model/place_store.h"
#include "app/services/app_folders.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::app {

class SnapshotsDialog : public QDialog {
    Q_OBJECT
public:
    explicit SnapshotsDialog(PlaceStore& places, const AppFolders& folders, QWidget* parent = nullptr);
    QTableWidget* table() { return table_; }

signals:
    void catalogueChanged();

private:
    QLayout* makePolicy();
    void refresh();
    void show(std::vector<CatalogueEntry> entries);
    void updateButtons();
    const CatalogueEntry* current() const;
    void changeAbout(const std::function<void(SnapshotAbout&)>& change);
    void askForName();
    void remove();
    void verify();
    void import();
    void saveCopy();
    void keepPolicy();
    void switchTimer(bool on);
    void afterwards(const QString& problem);

    PlaceStore& places_;
    const AppFolders& folders_;
    QTableWidget* table_;
    QLabel* sums_;
    QLabel* state_;
    QPushButton *pin_, *name_, *verify_, *remove_, *import_, *copy_;
    QSpinBox *last_, *weeks_, *months_;
    QCheckBox* weekly_;
    std::vector<CatalogueEntry> entries_;
    bool filling_ = false;
};

} // namespace kurvo::app
