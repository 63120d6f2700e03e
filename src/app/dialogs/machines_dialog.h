// SPDX-License-Identifier: GPL-3.0-or-later
// Other machines: an address to scan over SSH, and the machines of the user's list with what is known of each.
#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QTableWidget>

#include <memory>

#include "app/services/app_folders.h"
#include "core/report/machine_table.h"

namespace kurvo::app {

class MachinesDialog : public QDialog {
    Q_OBJECT
public:
    explicit MachinesDialog(const AppFolders& folders, QWidget* parent = nullptr);
    QTableWidget* table() { return table_; }

signals:
    void scanWanted(const kurvo::RemoteAddress& address, bool rights);
    void openWanted(const std::string& snapshot);

private:
    struct Known {
        MachineList list;
        std::vector<MachineRow> rows; ///< of that list
        QString problem;
    };
    void read();
    void show(const std::shared_ptr<const Known>& known);
    const MachineRow* current() const;
    void updateButtons();
    void scanTyped();
    void scanChosen();

    const AppFolders& folders_;
    QLineEdit* address_;
    QCheckBox* rights_;
    QLabel* wrong_;
    QTableWidget* table_;
    QLabel* state_;
    QPushButton *scan_, *open_, *scanChosen_;
    std::shared_ptr<const Known> known_;
};

} // namespace kurvo::app
