// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/explore/band_painter.h"

#include <QPainter>

#include "app/style/theme.h"

namespace kurvo::app {

QSize BandPainter::sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto size = QStyledItemDelegate::sizeHint(option, index);
    return {size.width(), index.parent().isValid() ? 27 : 34};
}

void BandPainter::paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const
{
    const auto& t = theme();
    const bool selected = (option.state & QStyle::State_Selected) != 0;
    const bool top = !index.parent().isValid();
    const bool isName = index.column() == name_;
    if (selected)
        painter->fillRect(option.rect, t.accentFill);
    if (isName && index.data(ShareRole).isValid()) {
        const auto colour = index.data(ColourRole).value<QColor>();
        const double share = index.data(ShareRole).toDouble();
        const QRect room = option.rect.adjusted(2, 0, -6, -4);
        const int wide = std::max(2, static_cast<int>(room.width() * share));
        painter->fillRect(QRect(room.x(), room.bottom() - (top ? 4 : 2), room.width(), top ? 5 : 3), t.emptyBar);
        painter->setPen(needsEdge(colour) ? QPen(colour.lighter(190)) : QPen(Qt::NoPen));
        painter->setBrush(colour);
        painter->drawRect(QRect(room.x(), room.bottom() - (top ? 4 : 2), wide, top ? 4 : 2));
    }
    painter->setPen(isName || index.column() == size_ ? t.text : t.textSecond);
    painter->setFont(fontOf(13, top && isName ? QFont::DemiBold : QFont::Normal));
    const auto text = index.data().toString();
    const QRect room = option.rect.adjusted(4, 0, -8, isName ? -7 : -4);
    if (isName)
        painter->drawText(room, Qt::AlignLeft | Qt::AlignVCenter, cutMiddle(text, painter->font(), room.width()));
    else
        drawFigures(*painter, room, text);
    if (selected && (option.state & QStyle::State_HasFocus) != 0 && isName) {
        painter->setPen(QPen(t.accent, 2));
        painter->setBrush(Qt::NoBrush);
        painter->drawRect(option.rect.adjusted(1, 1, -1, -1));
    }
}

} // namespace kurvo::app
