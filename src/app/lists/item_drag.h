// SPDX-License-Identifier: GPL-3.0-or-later
// Dragging what is selected from a view to the plan in the rail. Nothing but the kind travels along: the selection is
// the session's, and only this program knows it.
#pragma once

#include <QAbstractItemView>
#include <QObject>
#include <QPoint>

#include <functional>

namespace kurvo::app {

inline constexpr const char* draggedItems = "application/x-kurvo-items";

/// Watches a view: what is pressed there and pulled away is dragged, where `mayDrag` says so of the place of the press
/// (in a list only what is selected already, so that pulling over rows still selects them).
class ItemDrag : public QObject {
    Q_OBJECT
public:
    ItemDrag(QWidget* view, std::function<bool(const QPoint&)> mayDrag);
    /// For the rows of a list or table.
    static ItemDrag* ofRows(QAbstractItemView* view);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    QWidget* view_;
    std::function<bool(const QPoint&)> mayDrag_;
    QPoint pressed_;
    bool armed_ = false;
};

} // namespace kurvo::app
