// SPDX-License-Identifier: GPL-3.0-or-later
// The line along the bottom: what is under the pointer (or selected, when the pointer is elsewhere), in words.
#pragma once

#include <QWidget>

#include "app/model/cursor.h"
#include "app/model/place_store.h"
#include "app/model/place_view.h"
#include "app/model/plan_model.h"
#include "app/model/tree_updater.h"

namespace kurvo::app {

class PointerLine : public QWidget {
    Q_OBJECT
public:
    explicit PointerLine(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent = nullptr);
    /// The whole line as text, for tests and accessibility.
    QString text() const;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void update();

    PlaceStore& places_;
    TreeUpdater& trees_;
    Cursor& cursor_;
    PlaceView& placeView_;
    PlanModel& planModel_;
    QString path_;
    QStringList facts_;
    QString state_;
};

} // namespace kurvo::app
