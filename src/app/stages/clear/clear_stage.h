// SPDX-License-Identifier: GPL-3.0-or-later
// Clear: the plan with what it frees, its check, carrying it out, and the logbook.
#pragma once

#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QStackedWidget>
#include <QTimer>
#include <QVBoxLayout>

#include "app/jobs/models.h"
#include "app/lists/plan_list.h"
#include "app/panels/gauge_bar.h"
#include "app/panels/job_card.h"
#include "app/stages/clear/run_view.h"

namespace kurvo::app {

class ClearStage : public QWidget {
    Q_OBJECT
public:
    explicit ClearStage(Models& models, QWidget* parent = nullptr);
    QListView* list() { return list_; }
    std::vector<QWidget*> panes() { return {stack_->currentWidget(), side_}; }
    RunView* runView() { return run_; }
    void showRun(std::int64_t run);
    void showPlan();

signals:
    void exploreRequested();
    void emptyTrashRequested();
    void reportRequested(std::int64_t run);
    void savePlanRequested();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void showEvent(QShowEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    QWidget* makePlanPage();
    QWidget* makeEmptyPage();
    QWidget* makeSide();
    void refresh();
    void refreshFigures();
    void refreshButtons();
    void refreshLogbook();
    void checkWhatIsNew();
    void carryOut();
    void carryOutWithRights();
    bool preparing_ = false; ///< the list for the question is being put together

    QTimer checkNext_;
    Models& models_;
    PlanRows* model_;
    QLabel* title_;
    QLabel* checked_;
    QWidget* head_;
    QStackedWidget* stack_;
    PlanColumns* columns_;
    QListView* list_;
    QLabel* emptyText_;
    RunView* run_;
    QLabel* driveName_;
    QLabel* before_;
    QLabel* after_;
    QLabel* afterNote_;
    GaugeBar* bar_;
    QLabel* destinations_;
    QPushButton* carryOut_;
    QPushButton* rights_;
    QPushButton* check_;
    QPushButton* save_;
    JobCard* job_;
    QWidget* side_ = nullptr;
    QLabel* logbookTitle_;
    QVBoxLayout* logbook_;
};

} // namespace kurvo::app
