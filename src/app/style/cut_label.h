// SPDX-License-Identifier: GPL-3.0-or-later
// A label whose text is cut in the middle to whatever width it has. The tail, if any, is never cut.
#pragma once

#include <QPainter>
#include <QWidget>

#include "app/style/theme.h"

namespace kurvo::app {

class CutLabel : public QWidget {
public:
    explicit CutLabel(int pixels, QWidget* parent = nullptr) : QWidget(parent), font_(fontOf(pixels))
    {
        setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    }
    void setText(const QString& text, const QString& tail = {})
    {
        text_ = text;
        tail_ = tail;
        setToolTip(text + tail);
        setAccessibleName(text + tail);
        updateGeometry();
        update();
    }
    QString text() const { return text_ + tail_; }
    QSize sizeHint() const override { return {80, QFontMetrics(font_).height() + 2}; }

protected:
    void paintEvent(QPaintEvent*) override
    {
        QPainter painter(this);
        painter.setFont(font_);
        painter.setPen(theme().textSecond);
        const int tail = QFontMetrics(font_).horizontalAdvance(tail_);
        painter.drawText(rect(), Qt::AlignVCenter, cutMiddle(text_, font_, width() - tail - 2) + tail_);
    }

private:
    QFont font_;
    QString text_;
    QString tail_;
};

} // namespace kurvo::app
