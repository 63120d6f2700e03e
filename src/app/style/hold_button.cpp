// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/hold_button.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/style/theme.h"

namespace kurvo::app {

HoldButton::HoldButton(const QString& text, QWidget* parent) : QPushButton(text, parent)
{
    setAutoDefault(false);
    setAccessibleDescription(tr("Hold the mouse button down, or tick the confirmation and press Enter here"));
    timer_.setInterval(16);
    connect(&timer_, &QTimer::timeout, this, [this] {
        if (since_.elapsed() < holdMs)
            return update();
        letGo();
        emit held();
    });
    connect(this, &QPushButton::clicked, this, [this] {
        if (unlocked_)
            emit held();
    });
}

void HoldButton::setUnlocked(bool unlocked)
{
    unlocked_ = unlocked;
    letGo();
}

void HoldButton::mousePressEvent(QMouseEvent* event)
{
    QPushButton::mousePressEvent(event);
    if (event->button() == Qt::LeftButton && !unlocked_) {
        since_.start();
        timer_.start();
    }
}

void HoldButton::mouseReleaseEvent(QMouseEvent* event)
{
    letGo();
    QPushButton::mouseReleaseEvent(event);
}

void HoldButton::leaveEvent(QEvent* event)
{
    letGo();
    QPushButton::leaveEvent(event);
}

/// Without the tick no key does anything, so that Enter and Space by habit are harmless.
void HoldButton::keyPressEvent(QKeyEvent* event)
{
    if (!unlocked_ &&
        (event->key() == Qt::Key_Space || event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter))
        return event->accept();
    if (unlocked_ && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && !event->isAutoRepeat())
        return click();
    QPushButton::keyPressEvent(event);
}

void HoldButton::letGo()
{
    timer_.stop();
    update();
}

void HoldButton::paintEvent(QPaintEvent* event)
{
    QPushButton::paintEvent(event);
    if (!timer_.isActive())
        return;
    QPainter painter(this);
    auto fill = theme().danger;
    fill.setAlpha(90);
    const auto share = std::min(1.0, static_cast<double>(since_.elapsed()) / holdMs);
    painter.fillRect(QRectF(1, 1, (width() - 2) * share, height() - 2), fill);
}

} // namespace kurvo::app
