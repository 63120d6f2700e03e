// SPDX-License-Identifier: GPL-3.0-or-later
// How a row of the descent is drawn: mark, name, tags, size, facts on request, bar.
#pragma once

#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>
#include <cstdlib>

#include "app/lists/change_rows.h"
#include "app/lists/descent_view.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {

class DescentRowPainter : public QStyledItemDelegate {
public:
    DescentRowPainter(PlaceStore& places, Cursor& cursor, DescentView& view)
        : QStyledItemDelegate(&view), places_(places), cursor_(cursor), view_(view)
    {
    }

    /// Where the mark that opens a folder in place stands in a row.
    static QRect markIn(const QRect& row, int level) { return {row.x() + 3 + level * indent, row.y() + 5, 13, 16}; }
    static bool canOpen(const FileTree& tree, NodeId node)
    {
        return node != noNode && tree.isFolder(node) && tree.countChildren(node) > 0;
    }

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override
    {
        return {100, hasFacts() ? 50 : 35};
    }

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const auto* place = places_.place();
        const auto* row = view_.model()->row(index.row());
        if (!place || !row || (!row->isRest() && !place->tree->contains(row->node)))
            return;
        const auto& t = theme();
        const auto& tree = *place->shown();
        const NodeId node = row->node;
        const bool selected = (option.state & QStyle::State_Selected) != 0;
        painter->save();
        if (selected)
            painter->fillRect(option.rect, t.accentFill);
        else if ((option.state & QStyle::State_MouseOver) != 0 || (!row->isRest() && node == cursor_.hover()))
            painter->fillRect(option.rect, t.window);
        if (canOpen(tree, node))
            paintMark(*painter, markIn(option.rect, row->level), row->opened);
        const QRect inner = option.rect.adjusted(16 + row->level * indent, 4, -14, -4);
        const QRect line(inner.x(), inner.y(), inner.width(), 18);

        const auto size = index.data(DescentModel::SizeRole).toString();
        painter->setFont(fontOf(13));
        painter->setPen(row->isRest() ? t.textSecond : t.text);
        const int sizeWidth = drawFigures(*painter, line, size) + 8;
        const int growthWidth =
            row->isRest() ? 0 : paintGrowth(*painter, line.adjusted(0, 0, -sizeWidth, 0), *place, node);
        paintName(*painter, line, index.data().toString(), sizeWidth + growthWidth, *place, node);
        if (hasFacts()) {
            painter->setFont(fontOf(11));
            painter->setPen(t.textSecond);
            painter->drawText(
                QRect(inner.x(), inner.y() + 18, inner.width(), 14), Qt::AlignLeft | Qt::AlignVCenter,
                QFontMetrics(painter->font()).elidedText(facts(*place, *row), Qt::ElideRight, inner.width()));
        }
        paintBar(*painter, QRect(inner.x(), inner.bottom() - 4, inner.width(), 4), *place, *row);
        if (selected && (option.state & QStyle::State_HasFocus) != 0) {
            painter->setPen(QPen(t.accent, 2));
            painter->setBrush(Qt::NoBrush);
            painter->drawRect(option.rect.adjusted(1, 1, -1, -1));
        }
        painter->restore();
    }

private:
    static constexpr int indent = 12;

    /// How much it grew or shrank since the snapshot before, where that is worth a word: its width.
    int paintGrowth(QPainter& painter, const QRect& line, const Place& place, NodeId node) const
    {
        constexpr std::int64_t worth = 1 << 20;
        if (!place.earlier || &place.earlier->now().store() != &place.tree->store() || place.narrowing)
            return 0;
        const auto measure = places_.measure();
        const auto growth = place.earlier->growth(*place.tree, node, measure);
        const auto size = place.tree->measured(node, measure);
        if (measure == Measure::Files
                ? growth == 0
                : std::llabs(growth) < worth || static_cast<std::uint64_t>(std::llabs(growth)) * 100 < size)
            return 0;
        const auto text = signedText(growth, measure);
        painter.setFont(fontOf(11));
        painter.setPen(growthInk(growth));
        if (QFontMetrics(painter.font()).horizontalAdvance(text) + 98 > line.width())
            return 0;
        const int wide = drawFigures(painter, line, text) + 8;
        painter.setPen(theme().text);
        return wide;
    }

    bool hasFacts() const { return view_.facts() != 0 || (places_.place() && places_.place()->lit.any()); }

    static void paintMark(QPainter& painter, const QRect& box, bool opened)
    {
        QPolygonF mark;
        const QPointF c = QRectF(box).center();
        if (opened)
            mark << c + QPointF(-4, -2) << c + QPointF(4, -2) << c + QPointF(0, 3.5);
        else
            mark << c + QPointF(-2, -4) << c + QPointF(-2, 4) << c + QPointF(3.5, 0);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(Qt::NoPen);
        painter.setBrush(theme().textSecond);
        painter.drawPolygon(mark);
        painter.setRenderHint(QPainter::Antialiasing, false);
    }

    static void paintName(QPainter& painter, const QRect& line, const QString& text, int sizeWidth, const Place& place,
                          NodeId node)
    {
        const auto& t = theme();
        const auto& tree = *place.shown();
        QStringList tags;
        if (node != noNode) {
            if (place.plan.coveringItem(tree, node) != noNode)
                tags << QObject::tr("planned");
            if (const auto* mark = place.marks ? place.marks->own(node) : nullptr) {
                const auto& kind = place.marks->book().kinds[*place.marks->book().kindIndex(mark->kind)];
                tags << QStringLiteral("%1 %2").arg(QString::fromStdString(kind.sign),
                                                    QString::fromStdString(kind.name));
            }
            if (tree.name(node).starts_with('.'))
                tags << QObject::tr("hidden");
            if (place.hasLock(node))
                tags << QObject::tr("protected");
            if (tree.store().has(node, FlagDoor))
                tags << QObject::tr("other drive");
            else if (tree.store().has(node, FlagUnreadable))
                tags << QObject::tr("not read");
            else if (tree.store().has(node, FlagUnfinished))
                tags << QObject::tr("not reached");
        }
        const auto tagFont = fontOf(11);
        const QFontMetrics tagMetrics(tagFont);
        int tagsWidth = 0;
        for (const auto& tag : tags)
            tagsWidth += tagMetrics.horizontalAdvance(tag) + 16;
        const auto font = fontOf(13, node != noNode && tree.isFolder(node) ? QFont::Medium : QFont::Normal);
        const auto name = cutMiddle(text, font, line.width() - sizeWidth - tagsWidth);
        painter.setFont(font);
        painter.drawText(line, Qt::AlignLeft | Qt::AlignVCenter, name);
        int at = line.x() + QFontMetrics(font).horizontalAdvance(name) + 8;
        painter.setFont(tagFont);
        for (const auto& tag : tags) {
            const QRect box(at, line.y() + 1, tagMetrics.horizontalAdvance(tag) + 10, 15);
            painter.setPen(tag == QObject::tr("planned") ? t.accent : t.line);
            painter.setBrush(Qt::NoBrush);
            painter.drawRoundedRect(box, 2, 2);
            painter.setPen(tag == QObject::tr("planned") ? t.accent : t.textSecond);
            painter.drawText(box, Qt::AlignCenter, tag);
            at += box.width() + 6;
        }
    }

    void paintBar(QPainter& painter, const QRect& bar, const Place& place, const DescentRow& row) const
    {
        const auto& t = theme();
        painter.fillRect(bar, t.emptyBar);
        if (row.largest == 0 || row.size == 0)
            return;
        const auto length = [&](std::uint64_t size) {
            const double share = static_cast<double>(size) / static_cast<double>(row.largest);
            return std::clamp(static_cast<int>(share * bar.width()), size > 0 ? 1 : 0, bar.width());
        };
        const bool hidden = !row.isRest() && place.tree->isHidden(row.node);
        const bool lit = place.lit.any() && place.litSums;
        painter.fillRect(QRect(bar.x(), bar.y(), length(row.size), bar.height()), lit      ? QBrush(t.line)
                                                                                  : hidden ? hatchOn(t.accent)
                                                                                           : QBrush(t.seen));
        if (lit)
            painter.fillRect(QRect(bar.x(), bar.y(), length(litOf(place, row)), bar.height()), t.accent);
    }

    std::uint64_t litOf(const Place& place, const DescentRow& row) const
    {
        return row.isRest() ? 0 : place.litSize(row.node, places_.measure());
    }

    QString facts(const Place& place, const DescentRow& row) const
    {
        const auto& tree = *place.shown();
        QStringList words;
        if (place.lit.any() && place.litSums && !row.isRest()) {
            const auto lit = litOf(place, row);
            words << (lit == 0 ? QObject::tr("nothing highlighted")
                               : QObject::tr("highlighted: %1, %2")
                                     .arg(places_.measure() == Measure::Files ? countText(lit) : sizeText(lit),
                                          shareText(lit, row.size)));
        }
        const auto facts = view_.facts();
        if ((facts & FactDriveShare) != 0 && place.capacity.total > 0 && places_.measure() == Measure::Disk)
            words << QObject::tr("%1 of drive").arg(shareText(row.size, place.capacity.total));
        if (row.isRest())
            return words.join(QStringLiteral(" · "));
        if ((facts & FactCount) != 0 && tree.isFolder(row.node))
            words << itemsText(tree.sums(row.node).files, "file");
        if ((facts & FactHidden) != 0 && tree.isFolder(row.node) && tree.disk(row.node) > 0)
            words << QObject::tr("%1 hidden").arg(shareText(tree.sums(row.node).hiddenDisk, tree.disk(row.node)));
        if ((facts & FactNewest) != 0)
            words << whenText(tree.newest(row.node));
        return words.join(QStringLiteral(" · "));
    }

    PlaceStore& places_;
    Cursor& cursor_;
    DescentView& view_;
};

} // namespace kurvo::app
