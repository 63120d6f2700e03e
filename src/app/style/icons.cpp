// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/style/icons.h"

#include <QPainterPath>
#include <QPixmap>

#include "app/style/theme.h"

namespace kurvo::app {

void drawSign(QPainter& painter, Sign sign, const QRectF& square, const QColor& colour)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.translate(square.topLeft());
    painter.scale(square.width() / 20.0, square.height() / 20.0);
    painter.setPen(QPen(colour, 1.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    painter.setBrush(Qt::NoBrush);
    switch (sign) {
    case Sign::Scan: // a drive with a beam passing over it
        painter.drawRoundedRect(QRectF(2.5, 11, 15, 6), 1.5, 1.5);
        painter.drawPoint(QPointF(14.5, 14));
        painter.drawLine(QPointF(10, 2.5), QPointF(5.5, 8.2));
        painter.drawLine(QPointF(10, 2.5), QPointF(14.5, 8.2));
        painter.drawLine(QPointF(4, 8.2), QPointF(16, 8.2));
        break;
    case Sign::Explore: // one large, smaller, smallest
        painter.drawRoundedRect(QRectF(2.5, 2.5, 8.5, 15), 1, 1);
        painter.drawRoundedRect(QRectF(13.2, 2.5, 4.3, 8.6), 1, 1);
        painter.drawRoundedRect(QRectF(13.2, 13.4, 4.3, 4.1), 1, 1);
        break;
    case Sign::Find: // dots of some sizes, as in the age field
        painter.drawEllipse(QPointF(5, 14.5), 2.2, 2.2);
        painter.drawEllipse(QPointF(12.5, 12), 1.4, 1.4);
        painter.drawEllipse(QPointF(14.5, 5), 3.2, 3.2);
        painter.drawEllipse(QPointF(6, 6.5), 1.2, 1.2);
        break;
    case Sign::Compare: // what is used, over time, and one moment of it
        painter.drawPolyline(QPolygonF({{2.5, 14.5}, {7, 12.5}, {11.5, 13.5}, {17.5, 4.5}}));
        painter.setBrush(colour);
        painter.drawEllipse(QPointF(11.5, 13.5), 1.7, 1.7);
        break;
    case Sign::Clear: // lines, the last one done
        painter.drawLine(QPointF(2.5, 5), QPointF(17.5, 5));
        painter.drawLine(QPointF(2.5, 10), QPointF(11, 10));
        painter.drawLine(QPointF(2.5, 15), QPointF(8, 15));
        painter.drawPolyline(QPolygonF({{11, 14}, {13.4, 16.6}, {18, 10.6}}));
        break;
    case Sign::Lock:
        painter.setPen(QPen(colour, 2.4, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
        painter.drawArc(QRectF(5.5, 2, 9, 13), 0, 180 * 16);
        painter.setBrush(colour);
        painter.drawRoundedRect(QRectF(3.5, 9, 13, 9), 1.5, 1.5);
        break;
    case Sign::Menu:
        for (const double y : {5.5, 10.0, 14.5})
            painter.drawLine(QPointF(4, y), QPointF(16, y));
        break;
    }
    painter.restore();
}

QPixmap applicationIcon(int size)
{
    QPixmap pixmap(size, size);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    painter.setRenderHint(QPainter::Antialiasing);
    const double s = size;
    painter.setPen(Qt::NoPen);
    painter.setBrush(QColor("#0B6E6E"));
    painter.drawRoundedRect(QRectF(0, 0, s, s), s * 0.2, s * 0.2);
    // A curve that rises and is brought down again.
    QPainterPath curve(QPointF(s * 0.16, s * 0.78));
    curve.cubicTo(QPointF(s * 0.42, s * 0.74), QPointF(s * 0.46, s * 0.2), QPointF(s * 0.62, s * 0.24));
    curve.cubicTo(QPointF(s * 0.72, s * 0.27), QPointF(s * 0.7, s * 0.62), QPointF(s * 0.86, s * 0.64));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor("#F5F3EE"), s * 0.09, Qt::SolidLine, Qt::RoundCap));
    painter.drawPath(curve);
    return pixmap;
}

} // namespace kurvo::app
