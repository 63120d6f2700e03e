// SPDX-License-Identifier: GPL-3.0-or-later
// The capacity of a drive as one bar: what was seen, planned, in the trash, not seen, reserved and free.
#pragma once

#include <QWidget>

#include <vector>

#include "app/model/place.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

/// The bar and its legend.
class GaugeBar : public QWidget, public PaintedParts {
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

    QAccessible::Role partsRole() const override { return QAccessible::Chart; }
    int partCount() const override { return static_cast<int>(shownSegments().size()); }
    PaintedPart part(int index) const override;
    int partAt(const QPoint& at) const override;
    void pressPart(int index) override;

signals:
    void explainRequested();

protected:
    void paintEvent(QPaintEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    std::vector<QRect> rects() const;
    std::vector<std::size_t> shownSegments() const; ///< those that have bytes
    bool isOnNotSeen(const QPoint& at) const;

    std::vector<Segment> segments_;
    bool explains_ = false;
};

/// The segments for a place, from left to right; they add up to the capacity of its drive.
std::vector<GaugeBar::Segment> gaugeSegments(const Place& place);

} // namespace kurvo::app
