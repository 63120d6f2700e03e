// SPDX-License-Identifier: GPL-3.0-or-later
// Dragging what is selected from a view: to the plan in the rail, which knows the selection itself, or as files into
// another program, which may copy or open them.
#pragma once

#include <QAbstractItemView>
#include <QObject>
#include <QPoint>

#include <functional>
#include <string>
#include <vector>

namespace kurvo::app {

inline constexpr const char* draggedItems = "application/x-kurvo-items";

/// Watches a view: what is pressed there and pulled away is dragged, where `mayDrag` says so of the place of the press
/// (in a list only what is selected already, so that pulling over rows still selects them).
class ItemDrag : public QObject {
    Q_OBJECT
public:
    /// Of the files that another program would get; none where they are not to be had.
    using Paths = std::function<std::vector<std::string>()>;
    ItemDrag(QWidget* view, std::function<bool(const QPoint&)> mayDrag, Paths paths);
    /// For the rows of a list or table.
    static ItemDrag* ofRows(QAbstractItemView* view, Paths paths);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    QWidget* view_;
    std::function<bool(const QPoint&)> mayDrag_;
    Paths paths_;
    QPoint pressed_;
    bool armed_ = false;
};

} // namespace kurvo::app
