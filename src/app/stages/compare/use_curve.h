// SPDX-License-Identifier: GPL-3.0-or-later
// The curve of used space over time, with a dot for each snapshot and two handles for what is compared. Painted here: a
// dozen points, two handles and their keys are less than a chart library would have to be taught.
#pragma once

#include <QWidget>

#include "app/jobs/comparing.h"
#include "app/style/painted_parts.h"

namespace kurvo::app {

class UseCurve : public QWidget, public PaintedParts {
    Q_OBJECT
public:
    explicit UseCurve(Comparing& comparing, QWidget* parent = nullptr);
    /// Where a point is drawn.
    QPoint pointAt(std::size_t index) const;
    QSize sizeHint() const override { return {400, 196}; }
    QAccessible::Role partsRole() const override { return QAccessible::Chart; }
    int partCount() const override { return static_cast<int>(comparing_.points().size()); }
    PaintedPart part(int index) const override;
    void pressPart(int index) override { move(chosen_, static_cast<std::size_t>(index)); }

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

private:
    enum class Handle { None, From, To };
    struct Scale {
        std::int64_t first = 0, last = 1;
        double least = 0, most = 1;
    };
    Scale scale() const;
    QRect field() const;
    double xOf(std::int64_t time) const;
    double yOf(double bytes) const;
    std::size_t nearest(int x) const;
    void move(Handle handle, std::size_t to);
    void refresh();
    void paintLines(QPainter& painter) const;
    void paintForecast(QPainter& painter) const;
    void paintDots(QPainter& painter) const;

    Comparing& comparing_;
    Handle held_ = Handle::None;
    Handle chosen_ = Handle::From;  ///< which the arrow keys move
    std::size_t from_ = 0, to_ = 0; ///< while one is dragged
    int hovered_ = -1;
};

} // namespace kurvo::app
