// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/compare/use_curve.h"

#include <QHelpEvent>
#include <QKeyEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>

#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

/// Without unit, which stands on the capacity line.
QString shortSize(std::uint64_t bytes)
{
    return sizeText(bytes);
}

} // namespace

UseCurve::UseCurve(Comparing& comparing, QWidget* parent) : QWidget(parent), comparing_(comparing)
{
    setObjectName("useCurve");
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setFixedHeight(196);
    setAccessibleName(tr("Used space over time"));
    connect(&comparing_, &Comparing::pointsChanged, this, &UseCurve::refresh);
}

void UseCurve::refresh()
{
    const auto& points = comparing_.points();
    if (std::max(from_, to_) >= points.size())
        held_ = Handle::None; // another place came while a handle was held
    if (held_ == Handle::None) {
        from_ = comparing_.from();
        to_ = comparing_.to();
    }
    if (hovered_ >= static_cast<int>(points.size()))
        hovered_ = -1;
    if (!points.empty())
        setAccessibleDescription(
            tr("%1 scans; compared from %2 to %3. Left and Right move a handle, Tab changes handles.")
                .arg(countText(points.size()))
                .arg(dayText(points[from_].info.taken, Day::Axis), dayText(points[to_].info.taken, Day::Axis)));
    update();
}

PaintedPart UseCurve::part(int index) const
{
    const auto i = static_cast<std::size_t>(index);
    const auto& point = comparing_.points()[i];
    const auto at = pointAt(i);
    PaintedPart part;
    part.name = dayText(point.info.taken);
    part.value = sizeText(point.used());
    part.description = i == from_ ? tr("compared from here") : i == to_ ? tr("compared to here") : QString();
    part.rect = QRect(at - QPoint(5, 5), at + QPoint(5, 5));
    part.selected = i == from_ || i == to_;
    part.focused = i == (chosen_ == Handle::From ? from_ : to_);
    return part;
}

QRect UseCurve::field() const
{
    return rect().adjusted(44, 30, -52, -30);
}

UseCurve::Scale UseCurve::scale() const
{
    const auto& points = comparing_.points();
    Scale s;
    if (points.empty())
        return s;
    s.first = points.front().info.taken;
    s.last = std::max(points.back().info.taken, s.first + 1);
    double least = 1e300, most = 0;
    for (const auto& point : points) {
        least = std::min(least, static_cast<double>(point.used()));
        most = std::max({most, static_cast<double>(point.used()),
                         static_cast<double>(point.info.capacity.used + point.info.capacity.free)});
    }
    for (const auto& curve : comparing_.curves())
        for (const auto& size : curve.sizes)
            if (size)
                least = std::min(least, static_cast<double>(*size));
    // Not from nought: then growth is what one sees. The axis says so by having no bottom line.
    s.least = std::max(0.0, least - (most - least) * 0.25);
    s.most = most <= s.least ? s.least + 1 : most;
    return s;
}

double UseCurve::xOf(std::int64_t time) const
{
    const auto s = scale();
    // Room at the right for where it leads.
    const auto wide = comparing_.forecast().full ? field().width() * 0.86 : field().width();
    if (comparing_.points().size() == 1)
        return field().left() + wide / 2.0;
    return field().left() + wide * static_cast<double>(time - s.first) / static_cast<double>(s.last - s.first);
}

double UseCurve::yOf(double bytes) const
{
    const auto s = scale();
    return field().bottom() - field().height() * (bytes - s.least) / (s.most - s.least);
}

QPoint UseCurve::pointAt(std::size_t index) const
{
    const auto& point = comparing_.points()[index];
    return QPointF(xOf(point.info.taken), yOf(static_cast<double>(point.used()))).toPoint();
}

std::size_t UseCurve::nearest(int x) const
{
    const auto& points = comparing_.points();
    std::size_t best = 0;
    for (std::size_t i = 1; i < points.size(); ++i)
        if (std::abs(xOf(points[i].info.taken) - x) < std::abs(xOf(points[best].info.taken) - x))
            best = i;
    return best;
}

void UseCurve::paintLines(QPainter& painter) const
{
    const auto& points = comparing_.points();
    const auto& t = theme();
    const auto& last = points.back().info.capacity;
    if (last.total > 0) {
        const auto capacity = static_cast<double>(last.used + last.free);
        const auto y = yOf(capacity);
        painter.setPen(QPen(t.danger, 1, Qt::DashLine));
        painter.drawLine(QPointF(field().left() - 16, y), QPointF(field().right() + 36, y));
        painter.setFont(fontOf(11));
        const auto words = tr("can hold %1").arg(sizeText(static_cast<std::uint64_t>(capacity)));
        const QRectF plate(field().left() + 22, y - 17, QFontMetrics(painter.font()).horizontalAdvance(words) + 8, 14);
        painter.setPen(Qt::NoPen);
        painter.setBrush(t.panel);
        painter.drawRoundedRect(plate, 3, 3);
        painter.setPen(t.danger);
        painter.drawText(plate, Qt::AlignCenter, words);
    }
    static constexpr int families[] = {0, 2, 4, 6};
    for (std::size_t c = 0; c < comparing_.curves().size(); ++c) {
        const auto& curve = comparing_.curves()[c];
        QPolygonF line;
        for (std::size_t i = 0; i < curve.sizes.size() && i < points.size(); ++i)
            if (curve.sizes[i])
                line << QPointF(xOf(points[i].info.taken), yOf(static_cast<double>(*curve.sizes[i])));
        if (line.isEmpty())
            continue;
        auto colour = familyColour(static_cast<Family>(families[c % 4]));
        if (needsEdge(colour)) // it would sink into a dark panel
            colour = colour.lighter(220);
        painter.setPen(QPen(colour, 2));
        painter.drawPolyline(line);
        painter.setPen(t.text);
        painter.setFont(fontOf(11));
        const auto name =
            curve.name + QStringLiteral(" ") + (curve.sizes.back() ? sizeText(*curve.sizes.back()) : QString());
        const auto wide = QFontMetrics(painter.font()).horizontalAdvance(name);
        painter.drawText(QPointF(line.back().x() - wide, line.back().y() - 6), name);
    }
    QPolygonF line;
    for (std::size_t i = 0; i < points.size(); ++i)
        line << QPointF(pointAt(i));
    painter.setPen(QPen(t.accent, 2.4));
    painter.drawPolyline(line);
}

void UseCurve::paintForecast(QPainter& painter) const
{
    const auto& forecast = comparing_.forecast();
    const auto& points = comparing_.points();
    if (!forecast.full || !forecast.trend)
        return;
    // As far as there is room at the right, as fast as it may go.
    const auto& last = points.back();
    const auto from = QPointF(pointAt(points.size() - 1));
    const auto s = scale();
    const auto ahead = static_cast<double>(s.last - s.first) * 0.14 / 0.86;
    painter.setClipRect(rect().adjusted(0, 0, -4, 0));
    for (const auto slope : {forecast.trend->least, forecast.trend->perSecond, forecast.trend->most}) {
        const auto bytes = static_cast<double>(last.used()) + slope * ahead;
        painter.setPen(QPen(theme().textSecond, slope == forecast.trend->perSecond ? 1.6 : 1, Qt::DotLine));
        painter.drawLine(from, QPointF(field().right(), yOf(bytes)));
    }
    painter.setClipping(false);
}

void UseCurve::paintDots(QPainter& painter) const
{
    const auto& points = comparing_.points();
    const auto& t = theme();
    painter.setFont(fontOf(11));
    int free = -1000; // up to where dates are written
    for (std::size_t i = 0; i < points.size(); ++i) {
        const auto at = QPointF(pointAt(i));
        const bool chosen = i == from_ || i == to_;
        painter.setPen(QPen(points[i].info.partial ? t.textSecond : t.accent, 2));
        painter.setBrush(chosen ? t.accent : t.panel);
        const double r = chosen ? 6 : static_cast<int>(i) == hovered_ ? 5.5 : 4;
        painter.drawEllipse(at, r, r);
        const auto label = shortSize(points[i].used());
        const int wide = QFontMetrics(painter.font()).horizontalAdvance(label);
        const int date = QFontMetrics(painter.font()).horizontalAdvance(dayText(points[i].info.taken, Day::Axis));
        const int needed = std::max(wide, date) / 2 + 5;
        if (at.x() - needed > free || chosen) {
            // On a plate, so that no line runs through the figures; below where the capacity is too near.
            const bool below = at.y() - 26 < yOf(scale().most) + 2;
            const QRectF plate(at.x() - wide / 2.0 - 3, below ? at.y() + 11 : at.y() - 25, wide + 6, 14);
            painter.setPen(Qt::NoPen);
            painter.setBrush(t.panel);
            painter.drawRoundedRect(plate, 3, 3);
            painter.setPen(t.text);
            painter.drawText(plate, Qt::AlignCenter, label);
            painter.setPen(chosen ? t.text : t.textSecond);
            painter.setFont(fontOf(11, chosen ? QFont::DemiBold : QFont::Normal));
            painter.drawText(QRectF(at.x() - date / 2.0 - 8, height() - 24, date + 16, 16), Qt::AlignCenter,
                             dayText(points[i].info.taken, Day::Axis));
            painter.setFont(fontOf(11));
            free = static_cast<int>(at.x()) + needed;
        }
    }
}

void UseCurve::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const auto& t = theme();
    painter.setPen(t.line);
    painter.setBrush(t.panel);
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
    const auto& points = comparing_.points();
    if (points.empty())
        return;
    if (points.size() > 1 && !comparing_.stranger()) {
        const auto left = xOf(points[from_].info.taken), right = xOf(points[to_].info.taken);
        const QRectF between(left, field().top() - 14, right - left, field().height() + 22);
        auto fill = t.accentFill;
        fill.setAlpha(130);
        painter.fillRect(between, fill);
        painter.setFont(fontOf(11, QFont::DemiBold));
        for (const auto handle : {Handle::From, Handle::To}) {
            const auto x = handle == Handle::From ? left : right;
            painter.setPen(QPen(t.accent, handle == chosen_ && hasFocus() ? 2.5 : 1.4));
            painter.drawLine(QPointF(x, between.top()), QPointF(x, between.bottom()));
            painter.setPen(t.accent);
            const auto word = handle == Handle::From ? tr("from") : tr("to");
            const auto wide = QFontMetrics(painter.font()).horizontalAdvance(word);
            painter.drawText(QPointF(x - wide - 6, between.bottom() - 4), word);
        }
    }
    paintLines(painter);
    paintForecast(painter);
    paintDots(painter);
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 1));
        painter.setBrush(Qt::NoBrush);
        painter.drawRoundedRect(QRectF(rect()).adjusted(2.5, 2.5, -2.5, -2.5), 5, 5);
    }
}

void UseCurve::move(Handle handle, std::size_t to)
{
    (handle == Handle::From ? from_ : to_) = to;
    // One may be drawn past the other.
    if (from_ > to_) {
        std::swap(from_, to_);
        held_ = held_ == Handle::From ? Handle::To : held_ == Handle::To ? Handle::From : held_;
        chosen_ = chosen_ == Handle::From ? Handle::To : Handle::From;
    }
    update();
}

void UseCurve::mousePressEvent(QMouseEvent* event)
{
    if (comparing_.points().size() < 2 || event->button() != Qt::LeftButton)
        return;
    const auto x = event->position().x();
    const auto toFrom = std::abs(x - xOf(comparing_.points()[from_].info.taken));
    const auto toTo = std::abs(x - xOf(comparing_.points()[to_].info.taken));
    held_ =
        toFrom < toTo || (toFrom == toTo && x < xOf(comparing_.points()[from_].info.taken)) ? Handle::From : Handle::To;
    chosen_ = held_;
    move(held_, nearest(static_cast<int>(x)));
}

void UseCurve::mouseMoveEvent(QMouseEvent* event)
{
    if (comparing_.points().empty())
        return;
    const auto at = nearest(static_cast<int>(event->position().x()));
    if (held_ != Handle::None)
        move(held_, at);
    if (static_cast<int>(at) != hovered_) {
        hovered_ = static_cast<int>(at);
        update();
    }
}

void UseCurve::mouseReleaseEvent(QMouseEvent* event)
{
    if (held_ == Handle::None)
        return;
    move(held_, nearest(static_cast<int>(event->position().x())));
    held_ = Handle::None;
    comparing_.choose(from_, to_);
}

void UseCurve::leaveEvent(QEvent*)
{
    hovered_ = -1;
    update();
}

void UseCurve::keyPressEvent(QKeyEvent* event)
{
    const auto count = comparing_.points().size();
    if (count < 2)
        return QWidget::keyPressEvent(event);
    auto at = chosen_ == Handle::From ? from_ : to_;
    switch (event->key()) {
    case Qt::Key_Left:
        at -= at > 0 ? 1 : 0;
        break;
    case Qt::Key_Right:
        at += at + 1 < count ? 1 : 0;
        break;
    case Qt::Key_Home:
        at = 0;
        break;
    case Qt::Key_End:
        at = count - 1;
        break;
    case Qt::Key_Up:
    case Qt::Key_Down:
        chosen_ = chosen_ == Handle::From ? Handle::To : Handle::From;
        update();
        return;
    default:
        return QWidget::keyPressEvent(event);
    }
    move(chosen_, at);
    comparing_.choose(from_, to_);
}

bool UseCurve::event(QEvent* event)
{
    if (event->type() == QEvent::FocusIn || event->type() == QEvent::FocusOut)
        update();
    if (event->type() == QEvent::ToolTip && !comparing_.points().empty()) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const auto& point = comparing_.points()[nearest(help->pos().x())];
        auto text = (point.info.partial ? tr("%1: %2 used, %3; stopped before its end") : tr("%1: %2 used, %3"))
                        .arg(whenText(point.info.taken), sizeText(point.used()),
                             itemsText(point.info.entries, "entry", "entries"));
        for (std::size_t i = 0; point.joint && i < point.joint->scans.size(); ++i)
            if (const auto& scan = point.joint->scans[i].info; point.joint->isOlder[i])
                text += QStringLiteral("\n") + tr("%1 as of %2").arg(toText(scan.placeName), dayText(scan.taken));
        if (point.entry && !point.entry->about.name.empty())
            text += QStringLiteral("\n") + toText(point.entry->about.name);
        if (point.entry && !point.entry->about.note.empty())
            text += QStringLiteral("\n") + toText(point.entry->about.note);
        QToolTip::showText(help->globalPos(), text, this);
        return true;
    }
    return QWidget::event(event);
}

} // namespace kurvo::app
