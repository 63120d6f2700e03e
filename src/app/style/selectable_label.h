// SPDX-License-Identifier: GPL-3.0-or-later
// Text that can be selected with the mouse and taken along.
#pragma once

#include <QLabel>

namespace kurvo::app {

/// Wrapped, and copied as it is read: without the marks that let a path be wrapped (breakable), which a terminal would
/// take for part of a name.
class SelectableLabel : public QLabel {
    Q_OBJECT
public:
    explicit SelectableLabel(const QString& text = {}, QWidget* parent = nullptr);

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;

private:
    void copy() const;
    void tellSelection() const;
};

} // namespace kurvo::app
