// SPDX-License-Identifier: GPL-3.0-or-later
// The strip along the top: which place, its drive's capacity as one bar, and what is free now and after the plan. It
// tells the truth about the trash: what lies there is not free yet.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include "app/model/place_store.h"
#include "app/model/plan_model.h"
#include "app/model/tree_updater.h"
#include "app/panels/gauge_bar.h"
#include "app/style/cut_label.h"

namespace kurvo::app {

class Gauge : public QFrame {
    Q_OBJECT
public:
    explicit Gauge(PlaceStore& places, TreeUpdater& trees, PlanModel& planModel, QWidget* parent = nullptr);

    GaugeBar* bar() { return bar_; }
    QPushButton* placeButton() { return place_; }

signals:
    void emptyTrashRequested();
    void ledgerRequested();

private:
    void update();
    void fillPlaceMenu();

    PlaceStore& places_;
    TreeUpdater& trees_;
    PlanModel& planModel_;
    QPushButton* place_;
    CutLabel* facts_;
    GaugeBar* bar_;
    QLabel* free_;
    QLabel* note_;
    QPushButton* emptyTrash_;
};

} // namespace kurvo::app
