// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/gauge_bar.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

QBrush brushOf(GaugeBar::Fill fill)
{
    const auto& t = theme();
    switch (fill) {
    case GaugeBar::Fill::Seen:
        return t.seen;
    case GaugeBar::Fill::Planned:
        return plannedHatch();
    case GaugeBar::Fill::Trash:
        return hatchOn(t.warning);
    case GaugeBar::Fill::Known:
        return t.accent;
    case GaugeBar::Fill::NotSeen:
        return notSeenDots();
    case GaugeBar::Fill::Reserved:
        return QBrush(t.line, Qt::VerPattern); // by more than a colour, which may be that of what was seen
    case GaugeBar::Fill::Free:
        break;
    }
    return t.emptyBar;
}

} // namespace

GaugeBar::GaugeBar(QWidget* parent) : QWidget(parent)
{
    setAccessibleName(tr("Capacity of the drive"));
}

void GaugeBar::setSegments(std::vector<Segment> segments)
{
    segments_ = std::move(segments);
    QStringList words;
    for (const auto& s : segments_)
        words << s.label;
    setAccessibleDescription(words.join(", "));
    setToolTip(words.join("\n"));
    update();
}

void GaugeBar::setExplains(bool explains)
{
    explains_ = explains;
    setMouseTracking(explains);
    setFocusPolicy(explains ? Qt::TabFocus : Qt::NoFocus);
}

std::vector<QRect> GaugeBar::rects() const
{
    std::uint64_t total = 0;
    for (const auto& s : segments_)
        total += s.bytes;
    const auto x = [&](std::uint64_t bytes) {
        return total == 0 ? 0 : static_cast<int>(static_cast<double>(bytes) / static_cast<double>(total) * width());
    };
    std::vector<QRect> rects;
    std::uint64_t before = 0;
    for (const auto& s : segments_) {
        const int left = x(before);
        before += s.bytes;
        // What is there at all keeps a pixel or two.
        const int right = std::max(x(before), left + (s.bytes > 0 && s.fill != Fill::Free ? 2 : 0));
        rects.emplace_back(left, 4, right - left, 20);
    }
    return rects;
}

QRect GaugeBar::rectOf(Fill fill) const
{
    const auto all = rects();
    for (std::size_t i = 0; i < segments_.size(); ++i)
        if (segments_[i].fill == fill && segments_[i].bytes > 0)
            return all[i];
    return {};
}

std::vector<std::size_t> GaugeBar::shownSegments() const
{
    std::vector<std::size_t> shown;
    for (std::size_t i = 0; i < segments_.size(); ++i)
        if (segments_[i].bytes > 0)
            shown.push_back(i);
    return shown;
}

PaintedPart GaugeBar::part(int index) const
{
    const auto i = shownSegments()[static_cast<std::size_t>(index)];
    PaintedPart part;
    part.name = segments_[i].label;
    part.rect = rects()[i];
    return part;
}

int GaugeBar::partAt(const QPoint& at) const
{
    const auto shown = shownSegments();
    const auto all = rects();
    for (std::size_t k = 0; k < shown.size(); ++k)
        if (all[shown[k]].contains(at))
            return static_cast<int>(k);
    return -1;
}

void GaugeBar::pressPart(int index)
{
    if (explains_ && segments_[shownSegments()[static_cast<std::size_t>(index)]].fill == Fill::NotSeen)
        emit explainRequested();
}

bool GaugeBar::isOnNotSeen(const QPoint& at) const
{
    return explains_ && rectOf(Fill::NotSeen).adjusted(-4, -4, 4, 4).contains(at);
}

void GaugeBar::mouseMoveEvent(QMouseEvent* event)
{
    setCursor(isOnNotSeen(event->pos()) ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

void GaugeBar::mousePressEvent(QMouseEvent* event)
{
    // The legend's last word is as good a handle as a segment of few pixels.
    if (explains_ && event->button() == Qt::LeftButton && (isOnNotSeen(event->pos()) || event->pos().y() > 28))
        emit explainRequested();
}

void GaugeBar::keyPressEvent(QKeyEvent* event)
{
    if (explains_ && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Space))
        emit explainRequested();
    else
        QWidget::keyPressEvent(event);
}

void GaugeBar::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    const QRect bar(0, 4, width(), 20);
    painter.fillRect(bar, t.emptyBar);
    painter.setBrushOrigin(bar.topLeft());
    const auto all = rects();
    for (std::size_t i = 0; i < segments_.size(); ++i) {
        painter.fillRect(all[i], brushOf(segments_[i].fill));
        // Neighbours of one kind stay apart.
        if (i > 0 && segments_[i].fill == segments_[i - 1].fill && segments_[i].bytes > 0)
            painter.fillRect(QRect(all[i].x(), all[i].y(), 1, all[i].height()), t.panel);
    }
    painter.setPen(t.line);
    painter.drawRect(bar.adjusted(0, 0, -1, -1));
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 2));
        painter.drawRect(bar.adjusted(1, 1, -1, -1));
    }

    painter.setFont(fontOf(11));
    const QFontMetrics metrics(painter.font());
    const auto wideOf = [&](const Segment& s) { return 14 + metrics.horizontalAdvance(s.label) + 14; };
    // What is free always has its words; those of the others give way, and the tooltip has them all.
    int kept = 0;
    for (const auto& s : segments_)
        if (s.fill == Fill::Free && s.bytes > 0)
            kept = wideOf(s);
    int at = 0;
    for (const auto& s : segments_) {
        if (s.bytes == 0)
            continue;
        const int wide = wideOf(s);
        if (at + wide - 14 + (s.fill == Fill::Free ? 0 : kept) > width())
            continue;
        painter.fillRect(QRect(at, 33, 9, 9), brushOf(s.fill));
        painter.setPen(t.line);
        painter.drawRect(QRect(at, 33, 8, 8));
        painter.setPen(t.textSecond);
        painter.drawText(QPoint(at + 14, 42), s.label);
        at += wide;
    }
}

std::vector<GaugeBar::Segment> gaugeSegments(const Place& place)
{
    const auto& c = place.capacity;
    const auto seenAgain = place.bytesInTrashSeen();
    const auto whole = place.tree->disk(rootNode);
    const auto seen = whole > seenAgain ? whole - seenAgain : 0;
    // What is planned is part of what was seen, or of the trash outside of it.
    const auto fromTrash = place.bytesOfTrashPlanned();
    const auto planned = std::min(place.bytesToCome() - std::min(place.bytesToCome(), fromTrash), seen);
    const auto trash = place.bytesInTrash() - fromTrash;
    const auto known = seen + trash + fromTrash;
    const auto notSeen = c.used > known ? c.used - known : 0;
    using Fill = GaugeBar::Fill;
    std::vector<GaugeBar::Segment> segments;
    segments.push_back({Fill::Seen, seen - planned,
                        planned > 0 ? QObject::tr("stays %1").arg(sizeText(seen - planned))
                                    : QObject::tr("seen %1").arg(sizeText(seen))});
    segments.push_back(
        {Fill::Planned, planned + fromTrash, QObject::tr("planned %1").arg(sizeText(planned + fromTrash))});
    segments.push_back({Fill::Trash, trash, QObject::tr("in the trash %1").arg(sizeText(trash))});
    segments.push_back({Fill::NotSeen, notSeen,
                        (place.isGrowing()    ? QObject::tr("not seen yet %1")
                         : !place.hasLedger() ? QObject::tr("not seen %1")
                         : place.wholeDrive   ? QObject::tr("not seen %1: why?")
                                              : QObject::tr("elsewhere on the drive %1"))
                            .arg(sizeText(notSeen))});
    segments.push_back({Fill::Reserved, c.reserved, QObject::tr("reserved %1").arg(sizeText(c.reserved))});
    segments.push_back({Fill::Free, c.free, QObject::tr("free %1").arg(sizeText(c.free))});
    return segments;
}

} // namespace kurvo::app
