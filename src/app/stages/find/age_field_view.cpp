// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/age_field_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

constexpr double hour = 3600, day = 86400;

} // namespace

AgeFieldView::AgeFieldView(PlaceStore& places, Cursor& cursor, QWidget* parent)
    : QWidget(parent), places_(places), cursor_(cursor)
{
    setObjectName("ageField");
    setAccessibleName(tr("Age field: size against age"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    listen(this, qOverload<>(&QWidget::update), cursor_, &Cursor::hoverChanged, cursor_, &Cursor::selectionChanged);
}

void AgeFieldView::setField(std::shared_ptr<const AgeField> field)
{
    field_ = std::move(field);
    setAccessibleDescription(field_ ? tr("%1 by age and size").arg(itemsText(field_->files, "file")) : QString());
    largest_.clear();
    std::vector<const AgeField::Spot*> spots;
    for (std::size_t i = 0; field_ && i < field_->spots.size(); ++i)
        if (field_->spots[i].largest != noNode)
            spots.push_back(&field_->spots[i]);
    constexpr std::size_t told = 30;
    const auto end = spots.begin() + static_cast<std::ptrdiff_t>(std::min(told, spots.size()));
    std::partial_sort(spots.begin(), end, spots.end(), [](const auto* a, const auto* b) { return a->disk > b->disk; });
    for (auto spot = spots.begin(); spot != end; ++spot)
        largest_.push_back((*spot)->largest);
    update();
    tellParts(this);
}

PaintedPart AgeFieldView::part(int index) const
{
    const auto* place = places_.place();
    const NodeId node = largest_[static_cast<std::size_t>(index)];
    if (!place || !place->tree->contains(node))
        return {};
    const auto at = pointOf(node).toPoint();
    return {toText(place->tree->name(node)),
            tr("%1, changed %2").arg(sizeText(place->tree->disk(node)), whenText(place->tree->store().modified(node))),
            toText(place->tree->path(node)),
            QRect(at - QPoint(4, 4), at + QPoint(4, 4)),
            place->isSelected(node),
            node == place->selection};
}

int AgeFieldView::partAt(const QPoint& at) const
{
    const auto found = std::find(largest_.begin(), largest_.end(), fileAt(at));
    return found == largest_.end() ? -1 : static_cast<int>(found - largest_.begin());
}

void AgeFieldView::pressPart(int index)
{
    if (const auto* place = places_.place(); place && place->tree->contains(largest_[static_cast<std::size_t>(index)]))
        cursor_.select(largest_[static_cast<std::size_t>(index)]);
}

/// The box in words.
QString AgeFieldView::partsValue() const
{
    if (!box_)
        return tr("no box");
    const auto size = [](double at) { return sizeText(static_cast<std::uint64_t>(positionToSize(at))); };
    const auto days = [](double at) { return itemsText(static_cast<std::uint64_t>(positionToAge(at) / day), "day"); };
    return tr("box from %1 to %2 old, from %3 to %4")
        .arg(days(box_->youngest), days(box_->oldest), size(box_->smallest), size(box_->largest));
}

void AgeFieldView::setBox(std::optional<FieldBox> box)
{
    box_ = box;
    update();
}

QRectF AgeFieldView::plot() const
{
    return QRectF(rect()).adjusted(56, 6, -8, -20);
}

QRectF AgeFieldView::boxRect(const FieldBox& box) const
{
    const auto p = plot();
    return {p.left() + box.youngest * p.width(), p.bottom() - box.largest * p.height(),
            (box.oldest - box.youngest) * p.width(), (box.largest - box.smallest) * p.height()};
}

FieldBox AgeFieldView::boxOf(const QRectF& rect) const
{
    const auto p = plot();
    const auto r = rect.normalized().intersected(p);
    return {(r.left() - p.left()) / p.width(), (r.right() - p.left()) / p.width(),
            (p.bottom() - r.bottom()) / p.height(), (p.bottom() - r.top()) / p.height()};
}

QPointF AgeFieldView::pointOf(NodeId file) const
{
    const auto* place = places_.place();
    if (!place || file == noNode)
        return {};
    const auto p = plot();
    const auto age = static_cast<double>(place->info.taken - place->tree->store().modified(file));
    return {p.left() + ageToPosition(age) * p.width(),
            p.bottom() - sizeToPosition(static_cast<double>(place->tree->disk(file))) * p.height()};
}

void AgeFieldView::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    const auto p = plot();
    painter.fillRect(p, t.panel);
    painter.setPen(t.line);
    painter.drawRect(p);
    painter.setFont(fontOf(11));
    const std::pair<double, QString> ages[] = {{day, tr("a day")},         {7 * day, tr("a week")},
                                               {30 * day, tr("a month")},  {365 * day, tr("a year")},
                                               {5 * 365 * day, tr("5 y")}, {20 * 365 * day, tr("20 y")}};
    for (const auto& [age, text] : ages) {
        const double x = p.left() + ageToPosition(age) * p.width();
        painter.setPen(t.line);
        painter.drawLine(QPointF(x, p.top()), QPointF(x, p.bottom()));
        painter.setPen(t.textSecond);
        painter.drawText(QRectF(x - 40, p.bottom() + 2, 80, 16), Qt::AlignCenter, text);
    }
    painter.drawText(QRectF(p.left(), p.bottom() + 2, 60, 16), Qt::AlignLeft | Qt::AlignVCenter, tr("new"));
    for (const double size : {4096.0, 1048576.0, 104857600.0, 10737418240.0}) {
        const double y = p.bottom() - sizeToPosition(size) * p.height();
        painter.setPen(t.line);
        painter.drawLine(QPointF(p.left(), y), QPointF(p.right(), y));
        painter.setPen(t.textSecond);
        painter.drawText(QRectF(0, y - 8, 50, 16), Qt::AlignRight | Qt::AlignVCenter,
                         sizeText(static_cast<std::uint64_t>(size)));
    }
    if (!field_ || field_->spots.empty()) {
        painter.setPen(t.textSecond);
        painter.drawText(p, Qt::AlignCenter, tr("Files that match will stand here by age and size."));
        return;
    }
    painter.setRenderHint(QPainter::Antialiasing);
    const double wide = p.width() / AgeField::columns, high = p.height() / AgeField::rows;
    for (int row = 0; row < AgeField::rows; ++row)
        for (int column = 0; column < AgeField::columns; ++column) {
            const auto& spot = field_->at(column, row);
            if (spot.files == 0)
                continue;
            const QPointF at(p.left() + (column + 0.5) * wide, p.bottom() - (row + 0.5) * high);
            const double crowd = std::log2(1.0 + spot.files); // more of them: larger and darker
            const double radius = std::min(1.5 + crowd * 0.28, 4.2);
            auto colour = t.accent;
            colour.setAlphaF(static_cast<float>(std::min(1.0, 0.45 + crowd * 0.06)));
            const bool hidden = spot.hidden * 2 > spot.files;
            painter.setPen(hidden ? QPen(colour, 1.2) : QPen(Qt::NoPen));
            painter.setBrush(hidden ? QBrush(Qt::NoBrush) : QBrush(colour));
            painter.drawEllipse(at, radius, radius);
        }
    const auto* place = places_.place();
    for (const NodeId node : {cursor_.hover(), place ? place->selection : noNode})
        if (place && node != noNode && place->tree->contains(node) && !place->tree->isFolder(node)) {
            painter.setPen(QPen(t.text, 2));
            painter.setBrush(Qt::NoBrush);
            painter.drawEllipse(pointOf(node), 5, 5);
        }
    painter.setRenderHint(QPainter::Antialiasing, false);
    if (box_) {
        auto fill = t.accent;
        fill.setAlpha(28);
        painter.setPen(QPen(t.accent, 2));
        painter.setBrush(fill);
        painter.drawRect(boxRect(*box_));
    }
    if (hasFocus()) {
        painter.setPen(QPen(t.accent, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

int AgeFieldView::edgesAt(const QPointF& at) const
{
    if (!box_)
        return 0;
    const auto r = boxRect(*box_);
    constexpr double near = 5;
    if (!r.adjusted(-near, -near, near, near).contains(at))
        return 0;
    int edges = 0;
    if (std::abs(at.x() - r.left()) < near)
        edges |= Qt::LeftEdge;
    else if (std::abs(at.x() - r.right()) < near)
        edges |= Qt::RightEdge;
    if (std::abs(at.y() - r.top()) < near)
        edges |= Qt::TopEdge;
    else if (std::abs(at.y() - r.bottom()) < near)
        edges |= Qt::BottomEdge;
    return edges;
}

/// The largest file of the nearest dot, if there is one near.
NodeId AgeFieldView::fileAt(const QPointF& at) const
{
    if (!field_ || field_->spots.empty())
        return noNode;
    const auto p = plot();
    const double wide = p.width() / AgeField::columns, high = p.height() / AgeField::rows;
    const int column = static_cast<int>((at.x() - p.left()) / wide),
              row = static_cast<int>((p.bottom() - at.y()) / high);
    constexpr double near = 7;
    NodeId best = noNode;
    double bestDistance = near;
    const int across = static_cast<int>(near / wide) + 1, up = static_cast<int>(near / high) + 1;
    for (int r = std::max(0, row - up); r <= std::min(AgeField::rows - 1, row + up); ++r)
        for (int c = std::max(0, column - across); c <= std::min(AgeField::columns - 1, column + across); ++c) {
            const auto& spot = field_->at(c, r);
            const double distance =
                std::hypot(p.left() + (c + 0.5) * wide - at.x(), p.bottom() - (r + 0.5) * high - at.y());
            if (spot.files > 0 && distance < bestDistance) {
                bestDistance = distance;
                best = spot.largest;
            }
        }
    return best;
}

void AgeFieldView::mousePressEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton || !plot().adjusted(-6, -6, 6, 6).contains(event->position()))
        return;
    pressed_ = event->position();
    edges_ = edgesAt(pressed_);
    dragging_ = false;
}

void AgeFieldView::mouseMoveEvent(QMouseEvent* event)
{
    const auto at = event->position();
    if ((event->buttons() & Qt::LeftButton) == 0 || pressed_.isNull()) {
        const int edges = edgesAt(at);
        const bool across = (edges & (Qt::LeftEdge | Qt::RightEdge)) != 0;
        const bool up = (edges & (Qt::TopEdge | Qt::BottomEdge)) != 0;
        setCursor(across && up ? Qt::SizeAllCursor
                  : across     ? Qt::SizeHorCursor
                  : up         ? Qt::SizeVerCursor
                               : Qt::CrossCursor);
        return cursor_.setHover(fileAt(at));
    }
    if (!dragging_ && (at - pressed_).manhattanLength() < 5)
        return;
    dragging_ = true;
    auto r = edges_ != 0 && box_ ? boxRect(*box_) : QRectF(pressed_, at);
    if ((edges_ & Qt::LeftEdge) != 0)
        r.setLeft(std::min(at.x(), r.right() - 4));
    if ((edges_ & Qt::RightEdge) != 0)
        r.setRight(std::max(at.x(), r.left() + 4));
    if ((edges_ & Qt::TopEdge) != 0)
        r.setTop(std::min(at.y(), r.bottom() - 4));
    if ((edges_ & Qt::BottomEdge) != 0)
        r.setBottom(std::max(at.y(), r.top() + 4));
    box_ = boxOf(r);
    update();
}

void AgeFieldView::mouseReleaseEvent(QMouseEvent* event)
{
    if (event->button() != Qt::LeftButton || pressed_.isNull())
        return;
    if (dragging_) {
        emit boxChanged();
    } else if (const auto file = fileAt(event->position()); file != noNode) {
        cursor_.select(file);
    }
    pressed_ = {};
    dragging_ = false;
}

void AgeFieldView::leaveEvent(QEvent*)
{
    cursor_.setHover(noNode);
}

/// Arrows move the box, with Shift its far edges; Return makes one; Escape clears it.
void AgeFieldView::keyPressEvent(QKeyEvent* event)
{
    const auto changed = [this](const FieldBox& box) {
        box_ = box;
        update();
        emit boxChanged();
    };
    constexpr double step = 0.03;
    const bool shift = (event->modifiers() & Qt::ShiftModifier) != 0;
    const auto move = [&](double across, double up) {
        auto b = box_.value_or(FieldBox{0.4, 0.9, 0.5, 0.95});
        const auto slide = [shift](double& low, double& high, double by) {
            if (high + by > 1.0001 || (!shift && low + by < -0.0001) || (shift && high + by < low + 0.02))
                return;
            low += shift ? 0 : by;
            high += by;
        };
        slide(b.youngest, b.oldest, across);
        slide(b.smallest, b.largest, up);
        changed(b);
    };
    switch (event->key()) {
    case Qt::Key_Escape:
        if (!box_)
            return QWidget::keyPressEvent(event);
        box_.reset();
        update();
        emit boxChanged();
        return;
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return move(0, 0);
    case Qt::Key_Left:
        return move(-step, 0);
    case Qt::Key_Right:
        return move(step, 0);
    case Qt::Key_Up:
        return move(0, step);
    case Qt::Key_Down:
        return move(0, -step);
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace kurvo::app
