// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/treemap_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <cmath>

#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {

TreemapView::TreemapView(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setObjectName("treemap");
    setAccessibleName(tr("Treemap"));
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    setMinimumSize(240, 180);
    for (const auto signal : {&Session::placeChanged, &Session::focusChanged, &Session::measureChanged})
        connect(&session_, signal, this, &TreemapView::layOut);
    connect(&session_, &Session::treeChanged, this, &TreemapView::treeChanged);
    soon_.setSingleShot(true);
    soon_.setInterval(0);
    connect(&soon_, &QTimer::timeout, this, [this] {
        if (!next_) {
            next_ = laidOut();
            soon_.start();
            return;
        }
        auto image = painted(*next_);
        map_ = std::move(*next_);
        next_.reset();
        image_ = std::move(image);
        imageStale_ = false;
        hoverTile_ = -1;
        if (session_.hover() != noNode)
            hoverTile_ = map_.tileOf(*session_.place()->tree, session_.hover());
        update();
    });
    connect(&session_, &Session::planChanged, this, [this] {
        imageStale_ = true;
        update();
    });
    connect(&session_, &Session::selectionChanged, this, [this] {
        const auto* place = session_.place();
        setAccessibleDescription(place && place->selection != noNode ? toText(place->tree->path(place->selection))
                                                                     : QString());
        update();
    });
    connect(&session_, &Session::hoverChanged, this, [this] {
        const auto* place = session_.place();
        setHoverTile(place && session_.hover() != noNode ? map_.tileOf(*place->tree, session_.hover()) : -1);
    });
}

/// While a scan runs the picture follows several times a second, in small steps between which the window answers. The
/// one on the screen stays until the next is whole: ids stay what they are.
void TreemapView::treeChanged()
{
    const auto* place = session_.place();
    if (!place || !place->tree || place->tree->sharedStore() != store_ || !isVisible() || imageStale_ ||
        !place->tree->removed().empty() || !place->tree->contains(place->focus))
        return layOut();
    next_.reset();
    soon_.start();
}

Treemap TreemapView::laidOut() const
{
    const auto* place = session_.place();
    if (!place || width() < 2 || height() < 2)
        return {};
    TreemapOptions options;
    options.measure = session_.measure();
    return Treemap(*place->tree, place->focus, {0, 0, static_cast<double>(width()), static_cast<double>(height())},
                   options);
}

void TreemapView::layOut()
{
    soon_.stop();
    next_.reset();
    imageStale_ = true;
    map_ = laidOut();
    const auto* place = session_.place();
    store_ = place ? place->tree->sharedStore() : nullptr;
    hoverTile_ = place && session_.hover() != noNode ? map_.tileOf(*place->tree, session_.hover()) : -1;
    update();
}

QImage TreemapView::painted(const Treemap& map) const
{
    const auto* place = session_.place();
    const auto ratio = devicePixelRatioF();
    QImage image(size() * ratio, QImage::Format_RGB32);
    image.setDevicePixelRatio(ratio);
    image.fill(theme().window);
    if (place) {
        QPainter painter(&image);
        TreemapPainter(*place->tree, *place->dominant, place->plan, session_.measure()).paint(painter, map);
    }
    return image;
}

void TreemapView::outline(QPainter& painter, const Rect& r) const
{
    const QRectF rect(std::round(r.x), std::round(r.y), std::max(3.0, r.width - 1), std::max(3.0, r.height - 1));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme().panel, 4));
    painter.drawRect(rect.adjusted(1, 1, -1, -1));
    painter.setPen(QPen(theme().accent, 2));
    painter.drawRect(rect.adjusted(1, 1, -1, -1));
}

void TreemapView::paintEvent(QPaintEvent* e)
{
    const auto* growing = session_.place() && session_.place()->isGrowing() ? session_.place() : nullptr;
    if (imageStale_ && growing) {
        // Not in this event: what is shown first while a scan runs is laid out and painted between others.
        if (!soon_.isActive())
            soon_.start();
        QPainter(this).fillRect(e->rect(), theme().window);
        return;
    }
    if (imageStale_) {
        image_ = painted(map_);
        imageStale_ = false;
    }
    QPainter painter(this);
    const auto ratio = image_.devicePixelRatioF();
    const QRectF part = e->rect();
    painter.drawImage(part, image_, QRectF(part.topLeft() * ratio, part.size() * ratio));
    const auto* place = session_.place();
    if (!place)
        return;
    const auto& tiles = map_.tiles();
    if (tiles.size() <= 1) {
        painter.setPen(theme().textSecond);
        painter.setFont(fontOf(13));
        const auto& store = place->tree->store();
        const auto text =
            store.has(place->focus, FlagUnreadable)         ? tr("This folder could not be read with your permissions.")
            : place->isGrowing()                            ? tr("Nothing with a size was found here yet.")
            : store.has(place->focus, FlagUnfinished)       ? tr("The scan was stopped before it came here.")
            : place->tree->countChildren(place->focus) == 0 ? tr("This folder is empty.")
                                                            : tr("Everything in here has no size by this measure.");
        painter.drawText(rect(), Qt::AlignCenter, text);
        return;
    }
    if (hoverTile_ > 0 && hoverTile_ < static_cast<int>(tiles.size())) {
        const auto& r = tiles[static_cast<std::size_t>(hoverTile_)].rect;
        painter.fillRect(QRectF(r.x, r.y, r.width - 1, r.height - 1), QColor(255, 255, 255, theme().dark ? 45 : 85));
    }
    if (place->selection != noNode && place->selection != place->focus) {
        const int tile = map_.tileOf(*place->tree, place->selection);
        if (tile > 0)
            outline(painter, tiles[static_cast<std::size_t>(tile)].rect);
    }
    if (hasFocus()) {
        painter.setPen(QPen(theme().accent, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void TreemapView::resizeEvent(QResizeEvent*)
{
    layOut();
}

bool TreemapView::event(QEvent* e)
{
    if (e->type() == QEvent::StyleChange || e->type() == QEvent::PaletteChange)
        imageStale_ = true;
    return QWidget::event(e);
}

NodeId TreemapView::nodeOf(int tile) const
{
    return tile < 0 ? noNode : map_.tiles()[static_cast<std::size_t>(tile)].node;
}

QPoint TreemapView::pointOf(NodeId node) const
{
    const auto* place = session_.place();
    const int tile = place ? map_.tileOf(*place->tree, node) : -1;
    if (tile < 0 || nodeOf(tile) != node)
        return {};
    const auto& t = map_.tiles()[static_cast<std::size_t>(tile)];
    if (t.kind == TileKind::Folder && t.captioned)
        return QPointF(t.rect.x + t.rect.width / 2, t.rect.y + 7).toPoint();
    return QPointF(t.rect.x + t.rect.width / 2, t.rect.y + t.rect.height / 2).toPoint();
}

void TreemapView::mouseMoveEvent(QMouseEvent* e)
{
    const int tile = map_.tileAt(e->position().x(), e->position().y());
    const auto node = tile > 0 ? nodeOf(tile) : noNode;
    session_.setHover(node);
    setHoverTile(tile); // a rest tile and its folder are the same node
}

void TreemapView::setHoverTile(int tile)
{
    if (tile == hoverTile_)
        return;
    // Only the two tiles are painted anew: a hover costs the same on a picture of any size.
    for (const int changed : {hoverTile_, tile})
        if (changed > 0 && changed < static_cast<int>(map_.tiles().size())) {
            const auto& r = map_.tiles()[static_cast<std::size_t>(changed)].rect;
            update(QRectF(r.x, r.y, r.width, r.height).toAlignedRect().adjusted(-1, -1, 1, 1));
        }
    hoverTile_ = tile;
}

void TreemapView::leaveEvent(QEvent*)
{
    session_.setHover(noNode);
}

void TreemapView::mousePressEvent(QMouseEvent* e)
{
    const int tile = map_.tileAt(e->position().x(), e->position().y());
    if (e->button() == Qt::BackButton)
        return session_.goBack();
    if (e->button() == Qt::ForwardButton)
        return session_.goForward();
    if (tile > 0)
        session_.select(nodeOf(tile));
    if (e->button() == Qt::RightButton && tile > 0)
        emit contextRequested(e->globalPosition().toPoint());
}

void TreemapView::mouseDoubleClickEvent(QMouseEvent* e)
{
    if (e->button() == Qt::LeftButton)
        enter(map_.tileAt(e->position().x(), e->position().y()));
}

/// Into the folder, or, for a file, into the folder that holds it.
void TreemapView::enter(int tile)
{
    const auto node = nodeOf(tile);
    if (node == noNode || tile == 0)
        return;
    const auto& tree = *session_.place()->tree;
    session_.setFocus(tree.isFolder(node) ? node : tree.parent(node));
}

void TreemapView::walk(int dx, int dy)
{
    auto* place = session_.place();
    if (!place || map_.tiles().size() < 2)
        return;
    int tile = place->selection == noNode ? -1 : map_.tileOf(*place->tree, place->selection);
    int to = tile > 0 ? map_.neighbour(tile, dx, dy) : map_.firstInside(0);
    if (to > 0 && map_.tiles()[static_cast<std::size_t>(to)].kind == TileKind::Rest && nodeOf(to) == place->focus)
        return; // the rest of the focus itself cannot be selected, only opened in the descent
    if (to > 0)
        session_.select(nodeOf(to));
}

void TreemapView::keyPressEvent(QKeyEvent* e)
{
    auto* place = session_.place();
    const bool control = (e->modifiers() & Qt::ControlModifier) != 0;
    switch (place ? e->key() : 0) {
    case Qt::Key_Left:
        return walk(-1, 0);
    case Qt::Key_Right:
        return walk(1, 0);
    case Qt::Key_Up:
        if (control && place->selection != noNode && place->tree->parent(place->selection) != place->focus &&
            place->selection != place->focus)
            return session_.select(place->tree->parent(place->selection));
        return walk(0, -1);
    case Qt::Key_Down:
        if (control && place->selection != noNode) {
            const int inside = map_.firstInside(map_.tileOf(*place->tree, place->selection));
            if (inside > 0)
                session_.select(nodeOf(inside));
            return;
        }
        return walk(0, 1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (place->selection != noNode)
            enter(map_.tileOf(*place->tree, place->selection));
        return;
    default:
        QWidget::keyPressEvent(e);
    }
}

void TreemapView::focusInEvent(QFocusEvent*)
{
    update();
}

void TreemapView::focusOutEvent(QFocusEvent*)
{
    update();
}

} // namespace kurvo::app
