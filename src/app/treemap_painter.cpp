// SPDX-License-Identifier: GPL-3.0-or-later
#include <QPainter>

#include <cmath>

#include "app/theme.h"
#include "app/treemap_view.h"
#include "app/words.h"

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

} // namespace

TreemapPainter::TreemapPainter(const FileTree& tree, const std::vector<Family>& dominant, const Plan& plan,
                               Measure measure)
    : tree_(tree), dominant_(dominant), plan_(plan), measure_(measure)
{
}

QColor TreemapPainter::colourOf(const Tile& tile) const
{
    if (tile.kind == TileKind::Rest)
        return faint(familyColour(dominant_[tree_.store().folderIndex(tile.node)]));
    if (tree_.isFolder(tile.node))
        return paler(familyColour(dominant_[tree_.store().folderIndex(tile.node)]));
    return familyColour(typeInfo(tree_.store().type(tile.node)).family);
}

void TreemapPainter::paint(QPainter& painter, const Treemap& map) const
{
    const auto& tiles = map.tiles();
    if (tiles.empty())
        return;
    painter.fillRect(pixels(tiles[0].rect), theme().window);
    for (std::size_t i = 1; i < tiles.size(); ++i) {
        const auto& tile = tiles[i];
        if (tile.kind == TileKind::Folder) {
            paintFolder(painter, tile);
            continue;
        }
        const auto rect = pixels(tile.rect);
        const auto colour = colourOf(tile);
        const bool notSeen =
            tile.kind == TileKind::Leaf && (tree_.store().flags(tile.node) & (FlagUnreadable | FlagUnfinished)) != 0;
        const bool hidden = tile.kind == TileKind::Leaf && tree_.isHidden(tile.node);
        const bool wide = rect.width() > 12 && rect.height() > 12;
        const QBrush brush = notSeen                                           ? notSeenDots()
                             : hidden && rect.width() > 3 && rect.height() > 3 ? hatchOn(colour)
                                                                               : QBrush(colour);
        if (wide) {
            painter.setRenderHint(QPainter::Antialiasing);
            painter.setPen(needsEdge(colour) ? QPen(colour.lighter(190)) : QPen(Qt::NoPen));
            painter.setBrush(brush);
            painter.drawRoundedRect(rect, 2, 2);
            painter.setRenderHint(QPainter::Antialiasing, false);
        } else {
            painter.fillRect(rect, brush);
        }
        if (rect.width() > 34 && rect.height() > 16)
            paintLabel(painter, tile, colour);
    }
    // Planned items on top of everything: faded and crossed through.
    for (const auto& item : plan_.items()) {
        const int index = map.tileOf(tree_, item.node);
        if (index <= 0 || tiles[static_cast<std::size_t>(index)].node != item.node ||
            tiles[static_cast<std::size_t>(index)].kind == TileKind::Rest)
            continue;
        const auto rect = pixels(tiles[static_cast<std::size_t>(index)].rect);
        auto veil = theme().panel;
        veil.setAlpha(165);
        painter.fillRect(rect, veil);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(theme().accent, 2));
        painter.drawLine(rect.topLeft(), rect.bottomRight());
        painter.drawLine(rect.topRight(), rect.bottomLeft());
        painter.setRenderHint(QPainter::Antialiasing, false);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect.adjusted(0, 0, -1, -1));
    }
}

void TreemapPainter::paintFolder(QPainter& painter, const Tile& tile) const
{
    const auto rect = pixels(tile.rect);
    painter.fillRect(rect, theme().panel);
    if (rect.width() > 8 && rect.height() > 8) {
        painter.setPen(theme().line);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect.adjusted(0, 0, -1, -1));
    }
    if (!tile.captioned)
        return;
    const QRect strip(rect.x() + 5, rect.y() + 1, rect.width() - 9, 15);
    const auto nameFont = fontOf(11, tile.depth <= 1 ? QFont::DemiBold : QFont::Normal);
    const auto size = measure_ == Measure::Files ? countText(tile.size) : sizeText(tile.size);
    painter.setFont(fontOf(11));
    const int sizeWidth = QFontMetrics(painter.font()).horizontalAdvance(size);
    const bool withSize = strip.width() > sizeWidth + 50;
    if (withSize) {
        painter.setPen(theme().textSecond);
        painter.drawText(strip, Qt::AlignRight | Qt::AlignVCenter, size);
    }
    painter.setPen(theme().text);
    painter.setFont(nameFont);
    const auto name =
        cutMiddle(toText(tree_.name(tile.node)), nameFont, strip.width() - (withSize ? sizeWidth + 6 : 0));
    painter.drawText(strip, Qt::AlignLeft | Qt::AlignVCenter, name);
}

void TreemapPainter::paintLabel(QPainter& painter, const Tile& tile, const QColor& background) const
{
    const auto rect = pixels(tile.rect).adjusted(4, 2, -3, -2);
    const auto font = fontOf(11);
    const QFontMetrics metrics(font);
    const auto name = tile.kind == TileKind::Rest ? QObject::tr("rest: %1").arg(itemsText(tile.restCount, "item"))
                                                  : toText(tree_.name(tile.node));
    const auto size = measure_ == Measure::Files ? countText(tile.size) : sizeText(tile.size);
    const auto shown = metrics.elidedText(name, Qt::ElideMiddle, rect.width());
    if (shown.size() < 7 && shown != name)
        return;
    painter.setFont(font);
    painter.setPen(readableOn(background));
    const QRect first(rect.x(), rect.y(), rect.width(), 14);
    if (tile.kind == TileKind::Leaf && tree_.isHidden(tile.node)) {
        // The hatch would run through the letters.
        painter.fillRect(QRect(first.x() - 2, first.y(), metrics.horizontalAdvance(shown) + 4, 14), background);
    }
    painter.drawText(first, Qt::AlignLeft | Qt::AlignVCenter, shown);
    if (rect.height() < 28 || metrics.horizontalAdvance(size) > rect.width())
        return;
    const QRect second(rect.x(), rect.y() + 14, rect.width(), 14);
    if (tile.kind == TileKind::Leaf && tree_.isHidden(tile.node))
        painter.fillRect(QRect(second.x() - 2, second.y(), metrics.horizontalAdvance(size) + 4, 14), background);
    painter.drawText(second, Qt::AlignLeft | Qt::AlignVCenter, size);
}

} // namespace kurvo::app
