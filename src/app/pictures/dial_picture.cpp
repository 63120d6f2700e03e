// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cmath>
#include <numbers>

#include "app/pictures/picture.h"
#include "app/style/icons.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/layout/dial.h"

namespace kurvo::app {
namespace {

constexpr double degree = std::numbers::pi / 180;

class DialPicture : public Picture {
public:
    DialPicture(Dial dial, double height) : dial_(std::move(dial)), height_(height) { }

    int size() const override { return static_cast<int>(dial_.arcs().size()); }
    const Cell& cell(int index) const override { return arc(index); }
    int at(const QPointF& point) const override { return dial_.arcAt(point.x(), point.y()); }
    int of(const FileTree& tree, NodeId node) const override { return dial_.arcOf(tree, node); }
    int neighbour(int from, int dx, int dy) const override { return dial_.neighbour(from, dx, dy); }
    int firstInside(int cell) const override { return dial_.firstInside(cell); }

    QPainterPath shape(int index) const override
    {
        if (index == 0) {
            QPainterPath circle;
            circle.addEllipse(centre(), dial_.innerRadius() - 2, dial_.innerRadius() - 2);
            return circle;
        }
        return band(arc(index), 0.5);
    }

    QPointF middle(int index) const override
    {
        if (index == 0)
            return centre();
        const auto& a = arc(index);
        return onDial((a.from + a.to) / 2, dial_.radiusOf(a) + dial_.ringWidth() / 2);
    }

protected:
    void paintCells(QPainter& painter, const CellLook& look, int from, int to) const override;
    void paintCross(QPainter& painter, int index) const override
    {
        const auto& a = arc(index);
        const double inner = dial_.radiusOf(a), outer = inner + dial_.ringWidth();
        QPainterPath out, in;
        constexpr int steps = 24;
        for (int i = 0; i <= steps; ++i) {
            const double part = static_cast<double>(i) / steps, along = a.from + (a.to - a.from) * part;
            const auto rising = onDial(along, inner + (outer - inner) * part);
            const auto falling = onDial(along, outer - (outer - inner) * part);
            i == 0 ? out.moveTo(rising) : out.lineTo(rising);
            i == 0 ? in.moveTo(falling) : in.lineTo(falling);
        }
        painter.drawPath(out);
        painter.drawPath(in);
    }

private:
    const Arc& arc(int index) const { return dial_.arcs()[static_cast<std::size_t>(index)]; }
    QPointF centre() const { return {dial_.centreX(), dial_.centreY()}; }
    static double degreesAt(double along) { return Dial::startDegrees + Dial::sweepDegrees * along; }
    QPointF onDial(double along, double radius) const
    {
        const double angle = degreesAt(along) * degree;
        return centre() + QPointF(std::cos(angle), std::sin(angle)) * radius;
    }

    /// The band of an arc, with half the gap to its neighbours taken off.
    QPainterPath band(const Arc& a, double gap) const
    {
        const double inner = dial_.radiusOf(a) + gap, outer = inner + std::max(1.0, dial_.ringWidth() - 2 * gap);
        const double from = degreesAt(a.from), span = Dial::sweepDegrees * (a.to - a.from);
        const double trimOuter = std::min(span / 3, gap / outer / degree);
        const double trimInner = std::min(span / 3, gap / std::max(1.0, inner) / degree);
        const auto box = [this](double r) { return QRectF(centre() - QPointF(r, r), QSizeF(2 * r, 2 * r)); };
        QPainterPath path;
        // Qt counts anticlockwise.
        path.arcMoveTo(box(outer), -(from + trimOuter));
        path.arcTo(box(outer), -(from + trimOuter), -(span - 2 * trimOuter));
        path.arcTo(box(inner), -(from + span - trimInner), span - 2 * trimInner);
        path.closeSubpath();
        return path;
    }

    void paintLabel(QPainter& painter, const Arc& a, const QColor& background, const CellLook& look) const;
    void paintCentre(QPainter& painter, const CellLook& look) const;

    Dial dial_;
    double height_;
};

void DialPicture::paintCells(QPainter& painter, const CellLook& look, int from, int to) const
{
    painter.setLayoutDirection(Qt::LeftToRight); // as rows draw names
    painter.setRenderHint(QPainter::Antialiasing);
    for (int i = std::max(from, 1); i < to; ++i) {
        const auto& a = arc(i);
        const auto colour = look.of(a);
        const double length =
            (a.to - a.from) * Dial::sweepDegrees * degree * (dial_.radiusOf(a) + dial_.ringWidth() / 2);
        painter.setBrush(look.brush(a, colour, length > 4));
        painter.setPen(!a.isEntry() || look.isNotSeen(a) ? QPen(theme().line, 1, Qt::DashLine)
                       : needsEdge(colour)               ? QPen(colour.lighter(190), 0.7)
                                                         : QPen(Qt::NoPen));
        painter.drawPath(band(a, 0.5));
        if (look.isDrawn())
            look.drawPattern(painter, a, colour, band(a, 0.5));
        if (length > 13 && dial_.ringWidth() > 12)
            paintLabel(painter, a, colour, look);
        if (length > 44 && dial_.ringWidth() > 22 && look.hasLock(a)) {
            const double outer = dial_.radiusOf(a) + dial_.ringWidth() - 9;
            const auto at = onDial(a.from + 9 / outer / degree / Dial::sweepDegrees, outer);
            drawSign(painter, Sign::Lock, QRectF(at - QPointF(5, 5), QSizeF(10, 10)), readableOn(colour));
        }
    }
    if (to == size())
        paintCentre(painter, look);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

/// Along the arc when it is long enough, else outwards; never upside down.
void DialPicture::paintLabel(QPainter& painter, const Arc& a, const QColor& background, const CellLook& look) const
{
    const auto font = fontOf(11);
    const QFontMetrics metrics(font);
    const auto text = look.name(a);
    const int wide = metrics.horizontalAdvance(text);
    const double radius = dial_.radiusOf(a) + dial_.ringWidth() / 2;
    const double length = (a.to - a.from) * Dial::sweepDegrees * degree * radius;
    const double middle = degreesAt((a.from + a.to) / 2);
    painter.setFont(font);
    const bool hatched = look.isHidden(a) || look.isNotSeen(a);
    const auto ink = a.isEntry() && !look.isNotSeen(a) ? readableOn(background) : theme().textSecond;
    const auto behind = look.isNotSeen(a) ? theme().window : background;
    // Scripts whose letters join or combine are not taken apart.
    const bool simple = std::all_of(text.begin(), text.end(), [](QChar c) {
        return !c.isMark() && !c.isSurrogate() && c.direction() != QChar::DirR && c.direction() != QChar::DirAL;
    });
    if (wide + 12 < length && text.size() < 40 && simple) {
        // Letter by letter. In the lower half they would stand on their heads: there they run the other way.
        const bool turned = std::sin(middle * degree) > 0.35;
        double at = middle + (turned ? 1 : -1) * wide / 2.0 / radius / degree;
        for (const auto& letter : text) {
            const double advance = metrics.horizontalAdvance(letter) / radius / degree;
            const double here = at + (turned ? -advance : advance) / 2;
            painter.save();
            painter.translate(centre() + QPointF(std::cos(here * degree), std::sin(here * degree)) * radius);
            painter.rotate(here + (turned ? -90 : 90));
            const QRectF box(-advance * radius * degree / 2 - 0.5, -7, advance * radius * degree + 1, 14);
            if (hatched)
                painter.fillRect(box, behind);
            painter.setPen(ink);
            painter.drawText(box.adjusted(-4, 0, 4, 0), Qt::AlignCenter, QString(letter));
            painter.restore();
            at += turned ? -advance : advance;
        }
        return;
    }
    const int room = static_cast<int>(dial_.ringWidth()) - 8;
    const auto shown = metrics.elidedText(text, Qt::ElideMiddle, room);
    if (length < 15 || (shown != text && shown.size() < 5))
        return;
    const bool left = std::cos(middle * degree) < 0;
    painter.save();
    painter.translate(centre() + QPointF(std::cos(middle * degree), std::sin(middle * degree)) * radius);
    painter.rotate(left ? middle + 180 : middle);
    const QRectF box(-dial_.ringWidth() / 2 + 3, -7, dial_.ringWidth() - 6, 14);
    if (hatched) {
        const double half = metrics.horizontalAdvance(shown) / 2.0 + 2;
        painter.fillRect(QRectF(-half, -6, 2 * half, 12), behind);
    }
    painter.setPen(ink);
    painter.drawText(box, Qt::AlignCenter, shown);
    painter.restore();
}

/// The figures in the centre, the scale around them, and the name in the opening.
void DialPicture::paintCentre(QPainter& painter, const CellLook& look) const
{
    const auto& t = theme();
    const auto& focus = arc(0);
    const auto words = look.centre(focus, size() > 1 && !arc(size() - 1).isEntry());
    const double radius = dial_.innerRadius();
    double entries = 0; // where they end along the dial
    for (std::size_t i = 1; i < dial_.arcs().size(); i = dial_.arcs()[i].end)
        if (dial_.arcs()[i].isEntry())
            entries = dial_.arcs()[i].to;
    // A thin scale: what is filled, and a tick at each tenth.
    const double scale = radius - 7;
    const QRectF box(centre() - QPointF(scale, scale), QSizeF(2 * scale, 2 * scale));
    painter.setBrush(Qt::NoBrush);
    const auto stroke = [&](double from, double to, const QColor& colour) {
        painter.setPen(QPen(colour, 3, Qt::SolidLine, Qt::FlatCap));
        painter.drawArc(box, static_cast<int>(-degreesAt(from) * 16),
                        static_cast<int>(-(to - from) * Dial::sweepDegrees * 16));
    };
    stroke(0, 1, t.line);
    stroke(0, entries, t.seen);
    painter.setPen(QPen(t.textSecond, 1));
    for (int tick = 0; tick <= 10; ++tick)
        painter.drawLine(onDial(tick / 10.0, scale - (tick % 5 == 0 ? 8 : 5)), onDial(tick / 10.0, scale - 2));

    const auto line = [&](double y, const QFont& font, const QColor& colour, const QString& text, double room) {
        painter.setFont(font);
        painter.setPen(colour);
        const QFontMetrics metrics(font);
        painter.drawText(QRectF(dial_.centreX() - room / 2, y, room, metrics.height()), Qt::AlignCenter,
                         metrics.elidedText(text, Qt::ElideMiddle, static_cast<int>(room)));
    };
    // A small dial has room for two lines, and only across its middle.
    const bool small = radius < 62;
    const double room = 2 * (scale - (small ? 2 : 10));
    const double top = dial_.centreY() - (small ? 19 : 28);
    line(top, fontOf(small ? 13 : 20, QFont::DemiBold), t.text, look.size(focus), room);
    if (!small)
        line(top + 26, fontOf(11), t.textSecond, words.second, room);
    line(top + (small ? 17 : 43), fontOf(11), t.accent, words.third, room);
    // In the opening.
    const double below = dial_.centreY() + radius + 8, opening = std::max(60.0, radius * 1.7);
    if (below + 40 < height_) {
        line(below, fontOf(15, QFont::DemiBold), t.text, words.title, opening);
        if (words.isDrive && below + 60 < height_ && opening > 125) {
            line(below + 22, fontOf(11), t.textSecond, QObject::tr("the dial is the drive,"), opening);
            line(below + 37, fontOf(11), t.textSecond, QObject::tr("its unfilled end is free"), opening);
        }
    }
}

} // namespace

std::unique_ptr<Picture> layOutDial(const FileTree& tree, NodeId focus, const QSizeF& size, const DialOptions& options)
{
    constexpr double margin = 6;
    return std::make_unique<DialPicture>(
        Dial(tree, focus, {margin, margin, size.width() - 2 * margin, size.height() - 2 * margin}, options),
        size.height());
}

} // namespace kurvo::app
