// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/tick_style.h"

#include <QLabel>
#include <QPainter>
#include <QStyleOption>

#include "app/style/theme.h"

namespace kurvo::app {

void drawTick(QPainter& painter, const QRect& box, bool ticked, bool enabled)
{
    const auto& t = theme();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QPen(ticked && enabled ? t.accent : t.textSecond, 1.4));
    painter.setBrush(ticked && enabled ? t.accent : t.panel);
    painter.drawRoundedRect(box, 3, 3);
    if (ticked) {
        painter.setPen(QPen(enabled ? t.onAccent : t.textSecond, 2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.setBrush(Qt::NoBrush);
        painter.drawPolyline(QPolygonF(
            {{box.x() + 3.0, box.y() + 7.0}, {box.x() + 6.0, box.y() + 10.0}, {box.x() + 11.0, box.y() + 4.0}}));
    }
    painter.restore();
}

void TickStyle::drawPrimitive(PrimitiveElement element, const QStyleOption* option, QPainter* painter,
                              const QWidget* widget) const
{
    if (element != PE_IndicatorCheckBox && element != PE_IndicatorItemViewItemCheck)
        return QProxyStyle::drawPrimitive(element, option, painter, widget);
    QRect box(0, 0, 14, 14);
    box.moveCenter(option->rect.center());
    drawTick(*painter, box, (option->state & State_On) != 0, (option->state & State_Enabled) != 0);
}

void TickStyle::polish(QWidget* widget)
{
    QProxyStyle::polish(widget);
    if (auto* label = qobject_cast<QLabel*>(widget); label && label->textFormat() == Qt::AutoText)
        label->setTextFormat(Qt::PlainText);
}

} // namespace kurvo::app
