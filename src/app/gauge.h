// SPDX-License-Identifier: GPL-3.0-or-later
// The strip along the top: which place, its drive's capacity as one bar, and what is free now and after the plan. It
// tells the truth about the trash: what lies there is not free yet.
#pragma once

#include <QFrame>
#include <QLabel>
#include <QPushButton>

#include <vector>

#include "app/cut_label.h"
#include "app/session.h"

namespace kurvo::app {

/// The bar and its legend.
class GaugeBar : public QWidget {
    Q_OBJECT
public:
    enum class Fill { Seen, Planned, Trash, Known, NotSeen, Reserved, Free };
    struct Segment {
        Fill fill;
        std::uint64_t bytes;
        QString label;
    };

    explicit GaugeBar(QWidget* parent = nullptr);
    void setSegments(std::vector<Segment> segments);
    const std::vector<Segment>& segments() const { return segments_; }
    QSize minimumSizeHint() const override { return {220, 46}; }
    /// Makes what was not seen a thing to click, for the ledger.
    void setExplains(bool explains);
    /// Where the segment is drawn; empty where it has no bytes.
    QRect rectOf(Fill fill) const;

signals:
    void explainRequested();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    std::vector<QRect> rects() const;
    bool isOnNotSeen(const QPoint& at) const;

    std::vector<Segment> segments_;
    bool explains_ = false;
};

/// The segments for a place, from left to right; they add up to the capacity of its drive.
std::vector<GaugeBar::Segment> gaugeSegments(const Place& place);

class Gauge : public QFrame {
    Q_OBJECT
public:
    explicit Gauge(Session& session, QWidget* parent = nullptr);

    GaugeBar* bar() { return bar_; }

signals:
    void emptyTrashRequested();
    void ledgerRequested();

private:
    void update();
    void fillPlaceMenu();

    Session& session_;
    QPushButton* place_;
    CutLabel* facts_;
    GaugeBar* bar_;
    QLabel* free_;
    QLabel* note_;
    QPushButton* emptyTrash_;
};

} // namespace kurvo::app
