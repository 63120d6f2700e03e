// SPDX-License-Identifier: GPL-3.0-or-later
// A rule of upkeep in two steps: what it says, and then what it would do now, item by item, before it is switched on.
#pragma once

#include <QComboBox>
#include <QDialog>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QStackedWidget>
#include <QTableWidget>

#include "app/jobs/upkeep_model.h"

namespace kurvo::app {

/// What a rule would do: the items that go, then those that stay and why.
class UpkeepItems : public QTableWidget {
    Q_OBJECT
public:
    explicit UpkeepItems(QWidget* parent = nullptr);
    void show(const UpkeepLook& look);
};

class RuleDialog : public QDialog {
    Q_OBJECT
public:
    enum class Begin { Form, Preview };
    RuleDialog(UpkeepModel& upkeep, UpkeepRule rule, Begin begin, QWidget* parent = nullptr);
    UpkeepItems* items() { return items_; }

private:
    QWidget* makeForm();
    QWidget* makePreview();
    void fill();
    /// From the form; false, with a word, where it is wrong.
    bool take();
    void showPreview();
    void showLooked(const std::shared_ptr<const UpkeepOutcome>& outcome, const QString& problem);
    void save(bool on);
    void updateFields();
    void chooseFolder();

    UpkeepModel& upkeep_;
    UpkeepRule rule_;
    QStackedWidget* steps_;
    QLineEdit *title_, *filter_, *moreThan_, *most_, *to_;
    QLabel *what_, *wrong_;
    QSpinBox *older_, *fuller_, *keep_;
    QComboBox* action_;
    QPushButton* choose_;
    QLabel *sentence_, *says_;
    UpkeepItems* items_;
    QPushButton *next_, *back_, *keepOff_, *on_;
    QList<QPair<QLabel*, QWidget*>> rows_; ///< of the form, each with its label
};

} // namespace kurvo::app
