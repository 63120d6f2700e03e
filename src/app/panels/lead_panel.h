// SPDX-License-Identifier: GPL-3.0-or-later
// What stands out, the first thing to look at in a place: the leads, and of the one that is chosen what is known of it
// and the next step. At the right of Explore, and as the first page of Find.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QListView>
#include <QPushButton>

#include "app/lists/lead_rows.h"

namespace kurvo::app {

class LeadPanel : public QFrame {
    Q_OBJECT
public:
    enum class Width { Narrow, Wide };
    LeadPanel(LeadFinder& finder, PlaceStore& places, PlanModel& plan, Notices& notices, Width width,
              QWidget* parent = nullptr);

    QListView* list() { return list_; }
    QPushButton* stepButton() { return step_; }
    QPushButton* asideButton() { return aside_; }
    QPushButton* restButton() { return rest_; }
    /// The one whose facts are shown; null where none is chosen.
    const Lead* current() const;
    /// "12 leads, 371 GiB": for who lists what can be asked.
    QString figures() const;

signals:
    void stepRequested(const QString& kind); ///< "copies", "held-open", "trash", "ledger", "growing"
    void exploreRequested();                 ///< the chosen item's folder was gone to
    void contextRequested(const QPoint& global);
    void figuresChanged();

private:
    void refresh();
    void takeChoice();
    void showChoice();
    void showCurrent();
    void takeStep();
    void askAside();
    void showAside();

    LeadFinder& finder_;
    PlaceStore& places_;
    PlanModel& plan_;
    Notices& notices_;
    LeadRows* rows_;
    QLabel* title_;
    QLabel* sums_;
    QListView* list_;
    QPushButton* rest_;
    QPushButton* brought_; ///< those that were put aside
    QFrame* facts_;
    QLabel* sentence_;
    QLabel* where_;
    QLabel* why_;
    QLabel* command_;
    QPushButton* step_;
    QPushButton* go_;
    QPushButton* aside_;
    bool all_ = false;
    bool following_ = false;
};

} // namespace kurvo::app
