// SPDX-License-Identifier: GPL-3.0-or-later
// The rules of upkeep: which are on, what each says and did, and what it would do now.
#pragma once

#include <QDialog>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "app/dialogs/rule_dialog.h"

namespace kurvo::app {

class UpkeepDialog : public QDialog {
    Q_OBJECT
public:
    explicit UpkeepDialog(UpkeepModel& upkeep, QWidget* parent = nullptr);
    QTableWidget* table() { return table_; }

signals:
    /// What a rule did is to be undone.
    void undoWanted(std::int64_t run);

private:
    void showRules();
    void showCurrent();
    const UpkeepRule* current() const;
    /// The newest run of the current rule that can be undone; null where there is none.
    const RunRecord* undoable() const;
    void look();
    void carryOut();
    void edit(RuleDialog::Begin begin);
    void switchCurrent();
    void removeCurrent();

    UpkeepModel& upkeep_;
    QTableWidget* table_;
    QLabel *timer_, *problems_, *says_, *looked_;
    UpkeepItems* items_;
    QPushButton *look_, *run_, *switch_, *edit_, *undo_, *remove_;
    std::string chosen_;                           ///< name of the current rule
    std::shared_ptr<const UpkeepOutcome> outcome_; ///< of the last look at it
};

} // namespace kurvo::app
