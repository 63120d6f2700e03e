// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/change_picture.h"

#include <QKeyEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

#include "app/change_rows.h"
#include "app/theme.h"
#include "app/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

/// It stands for one entry, and not for a rest.
bool isOwn(const Tile& tile)
{
    return tile.kind == CellKind::Leaf || tile.kind == CellKind::Folder;
}

QRect pixels(const Rect& r)
{
    const int left = static_cast<int>(std::lround(r.x)), top = static_cast<int>(std::lround(r.y));
    return {left, top, std::max(1, static_cast<int>(std::lround(r.x + r.width)) - left - 1),
            std::max(1, static_cast<int>(std::lround(r.y + r.height)) - top - 1)};
}

} // namespace

QColor growthColour(double share)
{
    static const QColor shrank("#0B6E6E"), same("#DAD7CF"), grew("#B9532B");
    const auto& end = share < 0 ? shrank : grew;
    // Half of the way is for what changed at all, so that small shares can be told from none.
    const auto part = share == 0 ? 0 : 0.3 + 0.7 * std::min(1.0, std::abs(share));
    const auto mix = [part](int a, int b) { return static_cast<int>(a + (b - a) * part); };
    return {mix(same.red(), end.red()), mix(same.green(), end.green()), mix(same.blue(), end.blue())};
}

ChangePicture::ChangePicture(Comparing& comparing, QWidget* parent) : QWidget(parent), comparing_(comparing)
{
    setObjectName("changePicture");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Treemap of what changed"));
    setMinimumSize(180, 120);
    for (const auto signal : {&Comparing::changed, &Comparing::focusChanged})
        connect(&comparing_, signal, this, &ChangePicture::layOut);
    connect(&comparing_, &Comparing::selectionChanged, this, qOverload<>(&QWidget::update));
}

void ChangePicture::setSizeBy(Size by)
{
    by_ = by;
    layOut();
}

const FileTree& ChangePicture::drawn() const
{
    return by_ == Size::Amount ? *shown_->tree() : shown_->now();
}

NodeId ChangePicture::changeOf(NodeId node) const
{
    return by_ == Size::Amount || node == noNode ? node : shown_->atNow(node);
}

NodeId ChangePicture::drawnOf(NodeId node) const
{
    if (by_ == Size::Amount || node == noNode)
        return node;
    return shown_->change(node) == Change::MovedAway ? noNode : shown_->nowOf(node);
}

void ChangePicture::layOut()
{
    shown_ = comparing_.comparison();
    map_ = {};
    hovered_ = -1;
    image_ = {};
    if (shown_) {
        const auto focus = drawnOf(comparing_.focus());
        TreemapOptions options;
        options.measure = comparing_.session().measure();
        options.depth = 5;
        if (focus != noNode && drawn().measured(focus, options.measure) > 0)
            map_ = Treemap(drawn(), focus, {0, 0, static_cast<double>(width()), static_cast<double>(height())}, options);
    }
    update();
}

void ChangePicture::resizeEvent(QResizeEvent*)
{
    layOut();
}

std::int64_t ChangePicture::netOf(const Tile& tile) const
{
    const auto measure = comparing_.session().measure();
    if (by_ == Size::Amount)
        return shown_->net(tile.node, measure);
    const auto then = shown_->matching()->earlier(tile.node);
    const auto change = shown_->atNow(tile.node);
    if (change != noNode)
        return shown_->net(change, measure);
    return then == noNode ? static_cast<std::int64_t>(shown_->now().measured(tile.node, measure)) : 0;
}

QColor ChangePicture::colourOf(const Tile& tile) const
{
    if (!isOwn(tile))
        return theme().window;
    const auto measure = comparing_.session().measure();
    const auto net = netOf(tile);
    const auto node = by_ == Size::Amount ? tile.node : shown_->atNow(tile.node);
    std::uint64_t most = 1;
    if (node != noNode) {
        const auto now = shown_->change(node) == Change::MovedAway ? noNode : shown_->nowOf(node);
        most = std::max(now == noNode ? 0 : shown_->now().measured(now, measure),
                        shown_->beforeOf(node) == noNode ? 0 : shown_->before().measured(shown_->beforeOf(node), measure));
    }
    return growthColour(std::clamp(static_cast<double>(net) / static_cast<double>(std::max<std::uint64_t>(most, 1)), -1.0, 1.0));
}

QString ChangePicture::nameOf(const Tile& tile) const
{
    if (tile.kind == CellKind::Rest)
        return tr("rest: %1").arg(countText(tile.restCount));
    return toText(drawn().label(tile.node));
}

void ChangePicture::paintTile(QPainter& painter, const Tile& tile) const
{
    const auto rect = pixels(tile.rect);
    const auto& t = theme();
    if (tile.kind == CellKind::Folder) {
        painter.fillRect(rect, t.panel);
        if (rect.width() > 8 && rect.height() > 8) {
            painter.setPen(t.line);
            painter.setBrush(Qt::NoBrush);
            painter.drawRect(rect.adjusted(0, 0, -1, -1));
        }
        if (!tile.captioned)
            return;
        const QRect strip(rect.x() + 5, rect.y() + 1, rect.width() - 9, 15);
        const auto figures = signedText(netOf(tile), comparing_.session().measure());
        painter.setFont(fontOf(11));
        const int wide = QFontMetrics(painter.font()).horizontalAdvance(figures);
        const bool with = strip.width() > wide + 50;
        if (with) {
            painter.setPen(growthInk(netOf(tile)));
            painter.drawText(strip, Qt::AlignRight | Qt::AlignVCenter, figures);
        }
        const auto font = fontOf(11, tile.depth <= 1 ? QFont::DemiBold : QFont::Normal);
        painter.setFont(font);
        painter.setPen(t.text);
        painter.drawText(strip, Qt::AlignVCenter, cutMiddle(nameOf(tile), font, strip.width() - (with ? wide + 6 : 0)));
        return;
    }
    const auto colour = colourOf(tile);
    painter.fillRect(rect, colour);
    if (!isOwn(tile)) {
        painter.setPen(t.line);
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect.adjusted(0, 0, -1, -1));
    } else if (drawn().isHidden(tile.node) && rect.width() > 3 && rect.height() > 3) {
        painter.fillRect(rect, hatchOn(colour));
    }
    if (rect.width() < 40 || rect.height() < 17)
        return;
    const auto ink = isOwn(tile) ? readableOn(colour) : t.text;
    const auto name = cutMiddle(nameOf(tile), fontOf(11), rect.width() - 8);
    const bool plate = isOwn(tile) && drawn().isHidden(tile.node);
    painter.setFont(fontOf(11));
    const auto draw = [&](int top, const QString& text) {
        const QRect line(rect.x() + 4, rect.y() + top, rect.width() - 6, 14);
        if (plate)
            painter.fillRect(QRect(line.x() - 1, line.y(), QFontMetrics(painter.font()).horizontalAdvance(text) + 3, 14),
                             colour);
        painter.setPen(ink);
        painter.drawText(line, Qt::AlignVCenter, text);
    };
    draw(2, name);
    const auto figures = isOwn(tile) ? signedText(netOf(tile), comparing_.session().measure()) : QString();
    if (rect.height() > 33 && QFontMetrics(painter.font()).horizontalAdvance(figures) < rect.width() - 6)
        draw(16, figures);
}

void ChangePicture::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    if (!shown_ || map_.tiles().empty()) {
        painter.fillRect(rect(), t.panel);
        painter.setPen(t.textSecond);
        painter.setFont(fontOf(13));
        QString text;
        if (comparing_.isBusy())
            text = tr("Comparing …");
        else if (shown_)
            text = tr("Nothing grew or shrank here.");
        painter.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap, text);
        return;
    }
    const auto ratio = devicePixelRatioF();
    if (image_.isNull()) {
        image_ = QImage(size() * ratio, QImage::Format_RGB32);
        image_.setDevicePixelRatio(ratio);
        image_.fill(t.window);
        QPainter cells(&image_);
        for (std::size_t i = 1; i < map_.tiles().size(); ++i)
            paintTile(cells, map_.tiles()[i]);
        if (map_.tiles().size() == 1)
            paintTile(cells, map_.tiles()[0]);
    }
    painter.drawImage(0, 0, image_);
    const auto outline = [&](int tile, const QColor& colour, int width) {
        if (tile < 0)
            return;
        painter.setPen(QPen(colour, width));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(pixels(map_.tiles()[static_cast<std::size_t>(tile)].rect).adjusted(1, 1, -1, -1));
    };
    if (hovered_ > 0)
        outline(hovered_, t.text, 1);
    if (const auto node = drawnOf(comparing_.selection()); node != noNode)
        outline(map_.tileOf(drawn(), node), t.accent, 2);
}

QPoint ChangePicture::pointOf(NodeId node) const
{
    const auto of = shown_ ? drawnOf(node) : noNode;
    for (const auto& tile : map_.tiles())
        if (of != noNode && tile.node == of && isOwn(tile))
            return {static_cast<int>(tile.rect.x + tile.rect.width / 2),
                    static_cast<int>(tile.rect.y + std::min(8.0, tile.rect.height / 2))};
    return {};
}

void ChangePicture::mouseMoveEvent(QMouseEvent* event)
{
    const int tile = map_.tileAt(event->position().x(), event->position().y());
    if (tile == hovered_)
        return;
    hovered_ = tile;
    QString words;
    if (tile > 0) {
        const auto& at = map_.tiles()[static_cast<std::size_t>(tile)];
        words = isOwn(at) ? toText(drawn().path(at.node)) + QStringLiteral("   ") +
                                   signedText(netOf(at), comparing_.session().measure())
                             : nameOf(at);
    }
    emit pointedAt(words);
    update();
}

void ChangePicture::leaveEvent(QEvent*)
{
    hovered_ = -1;
    emit pointedAt({});
    update();
}

void ChangePicture::choose(int tile)
{
    if (tile < 0)
        return;
    const auto& at = map_.tiles()[static_cast<std::size_t>(tile)];
    comparing_.select(tile == 0 || !isOwn(at) ? noNode : changeOf(at.node));
}

void ChangePicture::mousePressEvent(QMouseEvent* event)
{
    choose(map_.tileAt(event->position().x(), event->position().y()));
    if (event->button() == Qt::RightButton)
        emit contextRequested(event->globalPosition().toPoint());
    if (event->button() == Qt::BackButton)
        comparing_.goUp();
}

/// Into the folder, or for a file into the folder that it is in.
void ChangePicture::mouseDoubleClickEvent(QMouseEvent* event)
{
    const int tile = map_.tileAt(event->position().x(), event->position().y());
    if (tile <= 0)
        return;
    const auto& at = map_.tiles()[static_cast<std::size_t>(tile)];
    if (!isOwn(at))
        return;
    auto into = changeOf(at.node);
    if (into != noNode && !shown_->tree()->isFolder(into))
        into = shown_->tree()->parent(into);
    comparing_.setFocus(into);
}

void ChangePicture::walk(int dx, int dy)
{
    const auto node = shown_ ? drawnOf(comparing_.selection()) : noNode;
    const int from = node == noNode ? -1 : map_.tileOf(drawn(), node);
    choose(from < 0 ? map_.firstInside(0) : map_.neighbour(from, dx, dy));
}

void ChangePicture::keyPressEvent(QKeyEvent* event)
{
    switch (event->key()) {
    case Qt::Key_Left:
        return walk(-1, 0);
    case Qt::Key_Right:
        return walk(1, 0);
    case Qt::Key_Up:
        return walk(0, -1);
    case Qt::Key_Down:
        return walk(0, 1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return comparing_.setFocus(comparing_.selection());
    case Qt::Key_Backspace:
        return comparing_.goUp();
    default:
        QWidget::keyPressEvent(event);
    }
}

bool ChangePicture::event(QEvent* event)
{
    if (event->type() == QEvent::PaletteChange || event->type() == QEvent::StyleChange)
        image_ = {};
    return QWidget::event(event);
}

} // namespace kurvo::app
