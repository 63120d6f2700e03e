// SPDX-License-Identifier: GPL-3.0-or-later
// What is being done with a plan: how far it is, how long it takes still, pause and stop.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QProgressBar>
#include <QPushButton>

#include "app/jobs/plan_runner.h"

namespace kurvo::app {

class JobCard : public QFrame {
    Q_OBJECT
public:
    explicit JobCard(PlanRunner& runner, QWidget* parent = nullptr);

private:
    void refresh();
    void fill(const PlanJob& job);

    PlanRunner& runner_;
    QTimer soon_; ///< a check that is over at once shows no card
    QLabel* text_;
    QLabel* path_;
    QLabel* left_;
    QProgressBar* bar_;
    QPushButton* pause_;
    QPushButton* stop_;
};

} // namespace kurvo::app
