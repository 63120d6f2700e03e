// SPDX-License-Identifier: GPL-3.0-or-later
// Clear: the plan with what it frees, its check, carrying it out, and taking it back.
#pragma once

#include <QAbstractListModel>
#include <QLabel>
#include <QListView>
#include <QProgressBar>
#include <QPushButton>
#include <QStackedWidget>
#include <QVBoxLayout>

#include "app/gauge.h"
#include "app/session.h"

namespace kurvo::app {

class PlanModel : public QAbstractListModel {
    Q_OBJECT
public:
    enum Role { PathRole = Qt::UserRole, SizeRole, FindingRole, ReadyRole };
    explicit PlanModel(QObject* parent = nullptr) : QAbstractListModel(parent) { }
    void show(const Place* place);
    int rowCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    NodeId nodeAt(int row) const;

private:
    struct Row {
        PlanItem item;
        Finding finding;
        bool hidden = false;
    };
    std::vector<Row> rows_;
};

class ClearStage : public QWidget {
    Q_OBJECT
public:
    explicit ClearStage(Session& session, QWidget* parent = nullptr);
    QListView* list() { return list_; }

signals:
    void exploreRequested();
    void emptyTrashRequested();

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;
    void showEvent(QShowEvent* event) override;

private:
    void refresh();
    void refreshJob();
    void refreshRuns();
    void checkWhatIsNew();

    Session& session_;
    PlanModel* model_;
    QLabel* title_;
    QLabel* checked_;
    QStackedWidget* stack_;
    QListView* list_;
    QLabel* emptyText_;
    QLabel* driveName_;
    QLabel* before_;
    QLabel* after_;
    QLabel* afterNote_;
    GaugeBar* bar_;
    QPushButton* carryOut_;
    QPushButton* check_;
    QFrame* jobCard_;
    QLabel* jobText_;
    QProgressBar* jobBar_;
    QPushButton* stop_;
    QWidget* runsBox_;
    QVBoxLayout* runs_;
};

} // namespace kurvo::app
