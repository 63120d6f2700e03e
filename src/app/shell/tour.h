// SPDX-License-Identifier: GPL-3.0-or-later
// A walk through the stages, a sentence or two at each, in the window itself: one works on while it is there, and
// leaves it at any moment.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include <vector>

#include "app/shell/rail.h"

namespace kurvo::app {

class TourBar : public QFrame {
    Q_OBJECT
public:
    struct Step {
        Stage stage;
        QString words;
    };
    explicit TourBar(QWidget* parent = nullptr);
    void start(std::vector<Step> steps);
    /// Somebody went to that stage: its words are told.
    void follow(Stage stage);

signals:
    void stageWanted(Stage stage);
    void left(); ///< at its end, or before

private:
    void show(std::size_t step);
    void tell(std::size_t step);
    void leave();

    std::vector<Step> steps_;
    std::size_t at_ = 0;
    QLabel* words_;
    QPushButton* back_;
    QPushButton* next_;
};

} // namespace kurvo::app
