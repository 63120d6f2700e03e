// SPDX-License-Identifier: GPL-3.0-or-later
// One run of the logbook: what came free and why not more, each step with its outcome, and the way back.
#pragma once

#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>

#include "app/jobs/logbook_model.h"
#include "app/jobs/plan_runner.h"
#include "app/model/place_store.h"

namespace kurvo::app {

class RunView : public QWidget {
    Q_OBJECT
public:
    explicit RunView(PlaceStore& places, PlanRunner& runner, LogbookModel& logbookModel, QWidget* parent = nullptr);
    void show(std::int64_t run);
    std::int64_t run() const { return run_; }
    QTreeWidget* steps() { return steps_; }

signals:
    void backRequested(); ///< to the plan
    void emptyTrashRequested();
    void reportRequested(std::int64_t run);

private:
    void refresh();
    void updateButtons();
    std::vector<std::int64_t> chosenSteps() const;

    PlaceStore& places_;
    PlanRunner& runner_;
    LogbookModel& logbookModel_;
    std::int64_t run_ = 0;
    QLabel* title_;
    QLabel* when_;
    QLabel* free_;
    QLabel* proof_;
    QTreeWidget* steps_;
    QPushButton *back_, *undo_, *undoChosen_, *undoWithRights_, *empty_, *report_;
};

/// "3 items, 8.4 GiB" and what became of them, for a line of the logbook.
QString runText(const RunRecord& record);

} // namespace kurvo::app
