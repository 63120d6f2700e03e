// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/cell_look.h"

#include <cmath>

#include "app/style/theme.h"

namespace kurvo::app {

QColor CellLook::sizeInk(const Cell&) const
{
    return theme().textSecond;
}

QBrush CellLook::brush(const Cell& cell, const QColor& colour, bool large) const
{
    if (isNotSeen(cell))
        return drawn_ ? QBrush(theme().panel) : notSeenDots();
    return isHidden(cell) && large && !drawn_ ? hatchOn(colour) : QBrush(colour);
}

void CellLook::drawPattern(QPainter& painter, const Cell& cell, const QColor& colour, const QPainterPath& shape) const
{
    if (!drawn_ || (!isNotSeen(cell) && !isHidden(cell)))
        return;
    const auto box = shape.boundingRect();
    painter.save();
    painter.setPen(Qt::NoPen);
    if (isNotSeen(cell)) {
        painter.setBrush(theme().textSecond);
        for (double y = std::floor(box.top() / 6) * 6; y < box.bottom(); y += 6)
            for (double x = std::floor(box.left() / 6) * 6; x < box.right(); x += 6)
                if (shape.contains(QPointF(x, y)))
                    painter.drawEllipse(QPointF(x, y), 0.8, 0.8);
    } else if (box.width() > 3 && box.height() > 3) {
        QPainterPath stripes;
        const double height = box.height();
        for (double x = std::floor((box.left() - height) / 8) * 8; x < box.right(); x += 8)
            stripes.addPolygon(QPolygonF{{x, box.bottom()},
                                         {x + 1.6, box.bottom()},
                                         {x + height + 1.6, box.top()},
                                         {x + height, box.top()},
                                         {x, box.bottom()}});
        painter.setBrush(hatchColour(colour));
        painter.drawPath(stripes.intersected(shape));
    }
    painter.restore();
}

} // namespace kurvo::app
