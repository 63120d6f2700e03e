// SPDX-License-Identifier: GPL-3.0-or-later
// A button for what cannot be taken back: it has to be held down with the mouse until it has filled, so that no click
// by mistake and no key that is leaned on does it. With its lock taken off (by a tick beside it) a press is enough.
#pragma once

#include <QElapsedTimer>
#include <QPushButton>
#include <QTimer>

namespace kurvo::app {

class HoldButton : public QPushButton {
    Q_OBJECT
public:
    static constexpr int holdMs = 1200;

    explicit HoldButton(const QString& text, QWidget* parent = nullptr);
    void setUnlocked(bool unlocked);

signals:
    void held();

protected:
    void mousePressEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

private:
    void letGo();

    QTimer timer_;
    QElapsedTimer since_;
    bool unlocked_ = false;
};

} // namespace kurvo::app
