// SPDX-License-Identifier: GPL-3.0-or-later
// How large the selected item was at each earlier scan: a small curve in the dossier.
#pragma once

#include <QTimer>
#include <QWidget>

#include <vector>

#include "app/jobs/snapshot_keeper.h"
#include "app/model/place_store.h"
#include "app/services/app_folders.h"
#include "app/style/painted_parts.h"
#include "core/compare/forecast.h"

namespace kurvo::app {

class HistoryPanel : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit HistoryPanel(PlaceStore& places, SnapshotKeeper& snapshotKeeper, const AppFolders& folders,
                          QWidget* parent = nullptr);
    /// Looks it up a moment later; hides itself where there is nothing to be shown.
    void show(NodeId node);
    void clear();
    const std::vector<UsePoint>& points() const { return points_; }
    /// "12.1 GiB in January, +15.2 GiB a month".
    QString words() const { return words_; }
    QSize sizeHint() const override { return {200, 84}; }
    QAccessible::Role partsRole() const override { return QAccessible::Chart; }
    int partCount() const override { return static_cast<int>(points_.size()); }
    PaintedPart part(int index) const override;

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void ask();
    void askTogether(const Place& together);
    void take(std::vector<UsePoint> points, std::int64_t taken, unsigned request);

    PlaceStore& places_;
    SnapshotKeeper& snapshotKeeper_;
    const AppFolders& folders_;
    QTimer soon_;
    NodeId node_ = noNode;
    std::vector<UsePoint> points_;
    QString words_, first_;
    unsigned request_ = 0;
};

} // namespace kurvo::app
