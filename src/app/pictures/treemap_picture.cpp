// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>

#include "app/pictures/picture.h"
#include "app/style/icons.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/layout/treemap.h"

namespace kurvo::app {
namespace {

/// Whole pixels, with the 1 px gap to the next tile taken off.
QRect pixels(const Rect& r)
{
    const int left = static_cast<int>(std::lround(r.x)), top = static_cast<int>(std::lround(r.y));
    const int right = static_cast<int>(std::lround(r.x + r.width)),
              bottom = static_cast<int>(std::lround(r.y + r.height));
    return {left, top, std::max(1, right - left - 1), std::max(1, bottom - top - 1)};
}

constexpr int lockWidth = 13; ///< the small lock of what is protected, with a gap

class TreemapPicture : public Picture {
public:
    explicit TreemapPicture(Treemap map) : map_(std::move(map)) { }

    int size() const override { return static_cast<int>(map_.tiles().size()); }
    const Cell& cell(int index) const override { return tile(index); }
    int at(const QPointF& point) const override { return map_.tileAt(point.x(), point.y()); }
    int of(const FileTree& tree, NodeId node) const override { return map_.tileOf(tree, node); }
    int neighbour(int from, int dx, int dy) const override { return map_.neighbour(from, dx, dy); }
    int firstInside(int cell) const override { return map_.firstInside(cell); }

    QPainterPath shape(int index) const override
    {
        QPainterPath path;
        path.addRect(QRectF(pixels(tile(index).rect)));
        return path;
    }

    QPointF middle(int index) const override
    {
        const auto& t = tile(index);
        if (t.kind == CellKind::Folder && t.captioned)
            return {t.rect.x + t.rect.width / 2, t.rect.y + 7};
        return {t.rect.x + t.rect.width / 2, t.rect.y + t.rect.height / 2};
    }

protected:
    void paintCells(QPainter& painter, const CellLook& look, int from, int to) const override;
    void paintCross(QPainter& painter, int index) const override
    {
        const auto rect = pixels(tile(index).rect);
        painter.drawLine(rect.topLeft(), rect.bottomRight());
        painter.drawLine(rect.topRight(), rect.bottomLeft());
    }

private:
    const Tile& tile(int index) const { return map_.tiles()[static_cast<std::size_t>(index)]; }
    void paintFolder(QPainter& painter, const Tile& tile, const CellLook& look) const;
    void paintLabel(QPainter& painter, const Tile& tile, const QColor& background, const CellLook& look) const;

    Treemap map_;
};

void TreemapPicture::paintCells(QPainter& painter, const CellLook& look, int from, int to) const
{
    painter.setLayoutDirection(Qt::LeftToRight); // as rows draw names
    if (from == 0)
        painter.fillRect(pixels(tile(0).rect), theme().window);
    for (int i = std::max(from, 1); i < to; ++i) {
        const auto& t = tile(i);
        if (t.kind == CellKind::Folder) {
            paintFolder(painter, t, look);
            continue;
        }
        const auto rect = pixels(t.rect);
        const auto colour = look.of(t);
        const auto brush = look.brush(t, colour, rect.width() > 3 && rect.height() > 3);
        if (rect.width() > 12 && rect.height() > 12) {
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(!t.isEntry()        ? QPen(theme().line)
                           : needsEdge(colour) ? QPen(colour.lighter(190))
                                               : QPen(Qt::NoPen));
            painter.setBrush(brush);
            painter.drawRoundedRect(rect, 2, 2);
            painter.setRenderHint(QPainter::Antialiasing, false);
        } else {
            painter.fillRect(rect, brush);
        }
        if (look.isDrawn())
            look.drawPattern(painter, t, colour, shape(i));
        if (rect.width() > 34 && rect.height() > 16)
            paintLabel(painter, t, colour, look);
    }
}

void TreemapPicture::paintFolder(QPainter& painter, const Tile& t, const CellLook& look) const
{
    const auto rect = pixels(t.rect);
    painter.fillRect(rect, theme().panel);
    if (rect.width() > 8 && rect.height() > 8) {
        painter.setPen(theme().line);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect.adjusted(0, 0, -1, -1));
    }
    if (!t.captioned)
        return;
    const QRect strip(rect.x() + 5, rect.y() + 1, rect.width() - 9, 15);
    const auto nameFont = fontOf(11, t.depth <= 1 ? QFont::DemiBold : QFont::Normal);
    const auto size = look.size(t);
    painter.setFont(fontOf(11));
    const int sizeWidth = QFontMetrics(painter.font()).horizontalAdvance(size);
    const bool withSize = strip.width() > sizeWidth + 50;
    if (withSize) {
        painter.setPen(look.sizeInk(t));
        painter.drawText(strip, Qt::AlignRight | Qt::AlignVCenter, size);
    }
    painter.setPen(theme().text);
    painter.setFont(nameFont);
    const int lock = look.hasLock(t) ? lockWidth : 0;
    if (lock > 0)
        drawSign(painter, Sign::Lock, QRectF(strip.x(), strip.y() + 2, 10, 10), theme().textSecond);
    painter.drawText(strip.adjusted(lock, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                     cutMiddle(look.name(t), nameFont, strip.width() - lock - (withSize ? sizeWidth + 6 : 0)));
}

void TreemapPicture::paintLabel(QPainter& painter, const Tile& t, const QColor& background, const CellLook& look) const
{
    const auto rect = pixels(t.rect).adjusted(4, 2, -3, -2);
    const auto font = fontOf(11);
    const QFontMetrics metrics(font);
    const auto name = look.name(t);
    const auto size = look.size(t);
    const int lock = rect.width() > 50 && look.hasLock(t) ? lockWidth : 0;
    const auto shown = metrics.elidedText(name, Qt::ElideMiddle, rect.width() - lock);
    if (shown.size() < 7 && shown != name)
        return;
    painter.setFont(font);
    painter.setPen(t.isEntry() && !look.isNotSeen(t) ? readableOn(background) : theme().text);
    const bool hatched = look.isHidden(t) || look.isNotSeen(t); // which would run through the letters
    const auto write = [&](int line, const QString& text) {
        const QRect at(rect.x(), rect.y() + 14 * line, rect.width(), 14);
        if (hatched)
            painter.fillRect(QRect(at.x() - 2, at.y(), metrics.horizontalAdvance(text) + 4, 14),
                             look.isNotSeen(t) ? theme().panel : background);
        painter.drawText(at, Qt::AlignLeft | Qt::AlignVCenter, text);
    };
    if (lock > 0)
        drawSign(painter, Sign::Lock, QRectF(rect.right() - 10, rect.y() + 2, 10, 10), painter.pen().color());
    write(0, shown);
    if (rect.height() >= 28 && metrics.horizontalAdvance(size) <= rect.width())
        write(1, size);
}

} // namespace

std::unique_ptr<Picture> layOutTreemap(const FileTree& tree, NodeId focus, const QSizeF& size,
                                       const TreemapOptions& options)
{
    return std::make_unique<TreemapPicture>(Treemap(tree, focus, {0, 0, size.width(), size.height()}, options));
}

} // namespace kurvo::app
