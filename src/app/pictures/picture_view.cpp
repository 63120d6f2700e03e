// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/picture_view.h"

#include <QAccessible>
#include <QContextMenuEvent>
#include <QGestureEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <set>

#include "app/services/listen.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// Why nothing of the focus is known.
QString whyUnread(const Place& place)
{
    const auto path = place.tree->path(place.focus);
    const auto found = std::find_if(place.unreadable.begin(), place.unreadable.end(),
                                    [&](const Unreadable& one) { return one.path == path; });
    if (found == place.unreadable.end() || found->sysError == EACCES || found->sysError == EPERM)
        return PictureView::tr("This folder could not be read with your permissions.");
    return QString::fromStdString(systemError("read", path, found->sysError).sentence);
}

} // namespace

PictureView::PictureView(PlaceStore& places, TreeUpdater& trees, Cursor& cursor, PlaceView& placeView,
                         PlanModel& planModel, QWidget* parent)
    : QWidget(parent), places_(places), trees_(trees), cursor_(cursor), placeView_(placeView), planModel_(planModel)
{
    setObjectName("picture");
    setMouseTracking(true);
    setFocusPolicy(Qt::StrongFocus);
    grabGesture(Qt::PinchGesture);
    setMinimumSize(240, 180);
    motionRun_.setDuration(150);
    motionRun_.setStartValue(0.0);
    motionRun_.setEndValue(1.0);
    motionRun_.setEasingCurve(QEasingCurve::OutCubic);
    connect(&motionRun_, &QVariantAnimation::valueChanged, this, qOverload<>(&QWidget::update));
    connect(&motionRun_, &QVariantAnimation::finished, this, [this] {
        before_ = {};
        update();
    });
    listen(this, &PictureView::layOut, places_, &PlaceStore::placeChanged, placeView_, &PlaceView::measureChanged);
    connect(&placeView_, &PlaceView::viewChanged, this, &PictureView::viewChanged);
    connect(&cursor_, &Cursor::focusChanged, this, &PictureView::focusChanged);
    connect(&trees_, &TreeUpdater::treeChanged, this, &PictureView::treeChanged);
    connect(&trees_, &TreeUpdater::shownChanged, this, &PictureView::layOut);
    // Free space and what was not seen belong to the picture of a drive.
    connect(&places_, &PlaceStore::capacityChanged, this, &PictureView::layOut);
    listen(this, &PictureView::repaintCells, planModel_, &PlanModel::planChanged, placeView_,
           &PlaceView::coloursChanged, placeView_, &PlaceView::litChanged);
    soon_.setSingleShot(true);
    soon_.setInterval(0);
    connect(&soon_, &QTimer::timeout, this, &PictureView::takeStep);
    connect(&cursor_, &Cursor::selectionChanged, this, [this] {
        describe();
        update();
        const auto* place = places_.place();
        if (QAccessible::isActive() && place && picture_ && place->selection != noNode)
            tellParts(this, partAt(pointOf(place->selection)));
    });
    connect(&cursor_, &Cursor::hoverChanged, this, [this] {
        const auto* place = places_.place();
        setHoverCell(place && picture_ ? picture_->of(*place->tree, cursor_.hover()) : -1);
    });
    describe();
}

/// For assistive tools: which picture, of what, and what is selected in it.
void PictureView::describe()
{
    const auto* place = places_.place();
    setAccessibleName(places_.view().picture == PictureKind::Sunburst ? tr("Sunburst") : tr("Treemap"));
    setAccessibleDescription(!place                       ? QString()
                             : place->selection == noNode ? toText(place->tree->path(place->focus))
                                                          : toText(place->tree->path(place->selection)));
}

const std::vector<int>& PictureView::firstLevel() const
{
    if (layouts_ != firstLevelOf_ || !picture_) {
        firstLevelOf_ = layouts_;
        firstLevel_.clear();
        for (int i = 1; picture_ && i < picture_->size(); i = static_cast<int>(picture_->cell(i).end))
            firstLevel_.push_back(i);
    }
    return firstLevel_;
}

PaintedPart PictureView::part(int index) const
{
    const auto* place = places_.place();
    if (!place)
        return {};
    const int at = firstLevel()[static_cast<std::size_t>(index)];
    const auto& cell = picture_->cell(at);
    const CellColours words(*place, places_.measure());
    return {words.isHidden(cell) ? tr("%1, hidden").arg(words.name(cell)) : words.name(cell),
            words.size(cell),
            cell.node != noNode ? toText(place->tree->path(cell.node)) : QString(),
            picture_->shape(at).boundingRect().toRect(),
            place->isSelected(cell.node),
            cell.node != noNode && cell.node == place->selection};
}

int PictureView::partAt(const QPoint& point) const
{
    int at = picture_ ? picture_->at(point) : -1;
    while (at > 0 && picture_->cell(at).depth > 1)
        at = static_cast<int>(picture_->cell(at).parent);
    const auto& all = firstLevel();
    const auto found = std::find(all.begin(), all.end(), at);
    return found == all.end() ? -1 : static_cast<int>(found - all.begin());
}

void PictureView::pressPart(int index)
{
    if (const NodeId node = nodeOf(firstLevel()[static_cast<std::size_t>(index)]); node != noNode)
        cursor_.select(node);
}

/// While a scan runs the picture follows several times a second, in small steps between which the window answers. The
/// one on the screen stays until the next is whole: ids stay what they are.
void PictureView::treeChanged()
{
    const auto* place = places_.place();
    if (!place || !place->tree || place->tree->sharedStore() != store_ || !isVisible() || imageStale_ ||
        !place->tree->removed().empty() || !place->tree->contains(place->focus) || place->focus != focus_)
        return layOut();
    next_.reset();
    soon_.start();
}

/// Lays it out, then paints as many of its cells as fit between two events.
void PictureView::takeStep()
{
    const auto* place = places_.place();
    if (!next_) {
        next_ = laidOut();
        nextImage_ = blank();
        nextCell_ = 0;
        if (next_)
            soon_.start();
        return;
    }
    constexpr std::chrono::milliseconds most{5};
    if (place) {
        QPainter painter(&nextImage_);
        nextCell_ = next_->paintSome(painter, CellColours(*place, places_.measure()), nextCell_, most);
    }
    if (place && nextCell_ < next_->size())
        return soon_.start();
    image_ = std::move(nextImage_);
    picture_ = std::move(next_);
    ++layouts_;
    imageStale_ = false;
    hoverCell_ = place && picture_ ? picture_->of(*place->tree, cursor_.hover()) : -1;
    update();
}

std::unique_ptr<Picture> PictureView::laidOut() const
{
    const auto* place = places_.place();
    if (!place || isTable(place->view.picture) || width() < 2 || height() < 2)
        return nullptr;
    return layOutPicture(*place, size());
}

/// Other colours need no other layout: they come with coloursChanged().
void PictureView::viewChanged()
{
    auto view = places_.view();
    view.colour = view_.colour;
    if (!picture_ || view != view_)
        return layOut();
    if (places_.place() && places_.place()->scheme.get() != scheme_)
        repaintCells();
}

void PictureView::layOut()
{
    soon_.stop();
    next_.reset();
    imageStale_ = true;
    motionRun_.stop();
    before_ = {};
    picture_ = isVisible() ? laidOut() : nullptr; // else when it is shown
    ++layouts_;
    view_ = places_.view();
    const auto* place = places_.place();
    store_ = place ? place->tree->sharedStore() : nullptr;
    focus_ = place ? place->focus : noNode;
    hoverCell_ = place && picture_ ? picture_->of(*place->tree, cursor_.hover()) : -1;
    describe();
    update();
}

/// Into a folder and out of one moves, so that the eye can follow: what one goes into grows out of its cell.
void PictureView::focusChanged()
{
    const auto* place = places_.place();
    const auto from = focus_;
    if (!place || (from == place->focus && picture_))
        return;
    const bool move = motion_ && picture_ && !image_.isNull() && isVisible() && !imageStale_ && from != noNode &&
                      place->tree->sharedStore() == store_ && place->tree->contains(from);
    QImage before = move ? image_ : QImage();
    QRectF rect;
    const bool inwards = move && place->tree->isAtOrBelow(place->focus, from);
    if (inwards && picture_->of(*place->tree, place->focus) > 0)
        rect = picture_->shape(picture_->of(*place->tree, place->focus)).boundingRect();
    layOut();
    if (!inwards && move && picture_ && picture_->of(*place->tree, from) > 0)
        rect = picture_->shape(picture_->of(*place->tree, from)).boundingRect();
    if (rect.width() < 4 || rect.height() < 4)
        return;
    before_ = std::move(before);
    motionRect_ = rect;
    inwards_ = inwards;
    motionRun_.start();
}

void PictureView::repaintCells()
{
    imageStale_ = true;
    if (next_) {
        nextImage_ = blank();
        nextCell_ = 0;
    }
    update();
}

QImage PictureView::blank() const
{
    const auto ratio = devicePixelRatioF();
    QImage image(size() * ratio, QImage::Format_RGB32);
    image.setDevicePixelRatio(ratio);
    image.fill(theme().window);
    return image;
}

QImage PictureView::painted(const Picture* picture) const
{
    const auto* place = places_.place();
    auto image = blank();
    if (place && picture) {
        QPainter painter(&image);
        picture->paint(painter, CellColours(*place, places_.measure()));
    }
    return image;
}

void PictureView::outline(QPainter& painter, int cell) const
{
    const auto shape = picture_->shape(cell);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme().panel, 5));
    painter.drawPath(shape);
    painter.setPen(QPen(theme().accent, 2));
    painter.drawPath(shape);
    painter.setRenderHint(QPainter::Antialiasing, false);
}

void PictureView::paintMotion(QPainter& painter)
{
    const double part = motionRun_.currentValue().toDouble();
    // The cell's rectangle on its way to the whole picture, or back.
    const double t = inwards_ ? part : 1 - part;
    const QRectF whole(rect());
    const auto between = [t](double a, double b) { return a + (b - a) * t; };
    const QRectF here(between(motionRect_.x(), whole.x()), between(motionRect_.y(), whole.y()),
                      between(motionRect_.width(), whole.width()), between(motionRect_.height(), whole.height()));
    painter.drawImage(whole, inwards_ ? before_ : image_);
    painter.setOpacity(std::min(1.0, 0.25 + t));
    painter.drawImage(here, inwards_ ? image_ : before_);
    painter.setOpacity(1);
}

void PictureView::paintEmpty(QPainter& painter, const Place& place)
{
    painter.setPen(theme().textSecond);
    painter.setFont(fontOf(13));
    const auto& store = place.tree->store();
    const auto text = store.has(place.focus, FlagUnreadable)   ? whyUnread(place)
                      : place.isGrowing()                      ? tr("Nothing with a size was found here yet.")
                      : store.has(place.focus, FlagUnfinished) ? tr("The scan was stopped before it came here.")
                      : place.narrowing                        ? tr("Nothing in here matches the filter.")
                      : place.tree->countChildren(place.focus) == 0
                          ? tr("This folder is empty.")
                          : tr("Everything in here has no size by this measure.");
    painter.drawText(rect(), Qt::AlignCenter, text);
}

void PictureView::paintEvent(QPaintEvent* e)
{
    const auto* place = places_.place();
    if (imageStale_ && place && place->isGrowing()) {
        // Not in this event: what is shown first while a scan runs is laid out and painted between others.
        if (!soon_.isActive())
            soon_.start();
        QPainter(this).fillRect(e->rect(), theme().window);
        return;
    }
    if (!picture_)
        picture_ = laidOut();
    if (imageStale_ || image_.devicePixelRatioF() != devicePixelRatioF()) { // moved to another screen
        image_ = painted(picture_.get());
        imageStale_ = false;
        scheme_ = place ? place->scheme.get() : nullptr;
    }
    QPainter painter(this);
    if (isMoving() && !before_.isNull())
        return paintMotion(painter);
    const auto ratio = image_.devicePixelRatioF();
    const QRectF part = e->rect();
    painter.drawImage(part, image_, QRectF(part.topLeft() * ratio, part.size() * ratio));
    if (!place || !picture_)
        return;
    if (picture_->size() <= 1)
        return paintEmpty(painter, *place);
    if (hoverCell_ > 0 && hoverCell_ < picture_->size()) {
        painter.setRenderHint(QPainter::Antialiasing);
        painter.fillPath(picture_->shape(hoverCell_), QColor(255, 255, 255, theme().dark ? 45 : 85));
        painter.setRenderHint(QPainter::Antialiasing, false);
    }
    std::set<int> selected;
    constexpr std::size_t mostLookedUp = 2000;
    for (std::size_t i = 0; i < std::min(place->alsoSelected.size(), mostLookedUp); ++i)
        selected.insert(picture_->of(*place->tree, place->alsoSelected[i]));
    if (place->selection != noNode && place->selection != place->focus)
        selected.insert(picture_->of(*place->tree, place->selection));
    for (const int cell : selected)
        if (cell > 0)
            outline(painter, cell);
    if (hasFocus()) {
        painter.setPen(QPen(theme().accent, 1, Qt::DotLine));
        painter.setBrush(Qt::NoBrush);
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void PictureView::resizeEvent(QResizeEvent*)
{
    layOut();
}

bool PictureView::event(QEvent* e)
{
    if (e->type() == QEvent::StyleChange || e->type() == QEvent::PaletteChange)
        repaintCells();
    if (e->type() == QEvent::Show && !picture_)
        layOut();
    if (e->type() == QEvent::Gesture) {
        const auto* gestures = static_cast<QGestureEvent*>(e);
        if (const auto* pinch = static_cast<const QPinchGesture*>(gestures->gesture(Qt::PinchGesture)))
            pinched(*pinch);
        return true;
    }
    return QWidget::event(e);
}

/// Two fingers apart go in where they were, together they go out; once, when they are lifted.
void PictureView::pinched(const QPinchGesture& pinch)
{
    constexpr double meant = 1.25;
    if (pinch.state() != Qt::GestureFinished)
        return;
    if (pinch.totalScaleFactor() > meant)
        goInAt(mapFromGlobal(pinch.hotSpot()));
    else if (pinch.totalScaleFactor() < 1 / meant)
        cursor_.goUp();
}

NodeId PictureView::nodeOf(int cell) const
{
    return cell < 0 || !picture_ || cell >= picture_->size() ? noNode : picture_->cell(cell).node;
}

QPoint PictureView::pointOf(NodeId node) const
{
    const auto* place = places_.place();
    const int cell = place && picture_ ? picture_->of(*place->tree, node) : -1;
    if (cell < 0 || nodeOf(cell) != node || picture_->cell(cell).kind == CellKind::Rest)
        return {};
    return picture_->middle(cell).toPoint();
}

void PictureView::mouseMoveEvent(QMouseEvent* e)
{
    const int cell = picture_ ? picture_->at(e->position()) : -1;
    cursor_.setHover(cell > 0 ? nodeOf(cell) : noNode);
    setHoverCell(cell); // a rest and its folder are the same node
    const auto* place = places_.place();
    const bool up = cell == 0 && place && place->view.picture == PictureKind::Sunburst && place->focus != rootNode;
    setCursor(up ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (cell > 0 && !picture_->cell(cell).isEntry() && place)
        setToolTip(QStringLiteral("%1 %2").arg(CellColours(*place, places_.measure()).name(picture_->cell(cell)),
                                               sizeText(picture_->cell(cell).size)));
    else
        setToolTip({});
}

void PictureView::setHoverCell(int cell)
{
    if (cell == hoverCell_)
        return;
    // Only the two cells are painted anew: a hover costs the same on a picture of any size.
    for (const int changed : {hoverCell_, cell})
        if (changed > 0 && picture_ && changed < picture_->size())
            update(picture_->shape(changed).boundingRect().toAlignedRect().adjusted(-1, -1, 1, 1));
    hoverCell_ = cell;
}

void PictureView::leaveEvent(QEvent*)
{
    cursor_.setHover(noNode);
}

void PictureView::mousePressEvent(QMouseEvent* e)
{
    if (e->button() == Qt::BackButton)
        return cursor_.goBack();
    if (e->button() == Qt::ForwardButton)
        return cursor_.goForward();
    const int cell = picture_ ? picture_->at(e->position()) : -1;
    const auto node = cell > 0 ? nodeOf(cell) : noNode;
    const auto* place = places_.place();
    if (cell == 0 && place && place->view.picture == PictureKind::Sunburst && e->button() == Qt::LeftButton)
        return cursor_.goUp();
    if (node == noNode)
        return;
    if (e->button() == Qt::LeftButton && (e->modifiers() & Qt::ControlModifier) != 0)
        return cursor_.toggleSelected(node);
    if (e->button() == Qt::LeftButton || !place->isSelected(node))
        cursor_.select(node);
    if (e->button() == Qt::RightButton)
        emit contextRequested(e->globalPosition().toPoint());
}

void PictureView::mouseDoubleClickEvent(QMouseEvent* e)
{
    if (e->button() == Qt::LeftButton && picture_)
        enter(picture_->at(e->position()));
}

/// With Ctrl: in and out at the pointer, a folder a notch.
void PictureView::wheelEvent(QWheelEvent* e)
{
    const auto* place = places_.place();
    if ((e->modifiers() & Qt::ControlModifier) == 0 || !place || !picture_)
        return QWidget::wheelEvent(e);
    e->accept();
    wheel_ += e->angleDelta().y();
    constexpr int notch = 120;
    if (std::abs(wheel_) < notch)
        return;
    const bool in = wheel_ > 0;
    wheel_ = 0;
    in ? goInAt(e->position()) : cursor_.goUp();
}

/// One level towards what is there.
void PictureView::goInAt(const QPointF& point)
{
    const auto* place = places_.place();
    NodeId node = place && picture_ ? nodeOf(picture_->at(point)) : noNode;
    if (node == noNode || node == place->focus)
        return;
    while (place->tree->parent(node) != place->focus)
        node = place->tree->parent(node);
    if (place->tree->isFolder(node))
        cursor_.setFocus(node);
}

/// Into the folder, or, for a file, into the folder that holds it.
void PictureView::enter(int cell)
{
    const auto node = nodeOf(cell);
    if (node == noNode || cell == 0)
        return;
    const auto& tree = *places_.place()->tree;
    cursor_.setFocus(tree.isFolder(node) ? node : tree.parent(node));
}

void PictureView::walk(int dx, int dy)
{
    auto* place = places_.place();
    if (!place || !picture_ || picture_->size() < 2)
        return;
    const int cell = place->selection == noNode ? -1 : picture_->of(*place->tree, place->selection);
    const int to = cell > 0 ? picture_->neighbour(cell, dx, dy) : picture_->firstInside(0);
    if (to <= 0 || !picture_->cell(to).isEntry() ||
        (picture_->cell(to).kind == CellKind::Rest && nodeOf(to) == place->focus))
        return; // the rest of the focus itself cannot be selected, only opened in the descent
    cursor_.select(nodeOf(to));
}

/// By key; the right button has opened it already.
void PictureView::contextMenuEvent(QContextMenuEvent* event)
{
    if (event->reason() != QContextMenuEvent::Keyboard)
        return;
    const auto* place = places_.place();
    const auto own = place ? pointOf(place->selection != noNode ? place->selection : place->focus) : QPoint();
    emit contextRequested(mapToGlobal(own.isNull() ? rect().center() : own));
}

void PictureView::keyPressEvent(QKeyEvent* e)
{
    auto* place = places_.place();
    const bool control = (e->modifiers() & Qt::ControlModifier) != 0;
    switch (place && picture_ ? e->key() : 0) {
    case Qt::Key_Left:
        return walk(-1, 0);
    case Qt::Key_Right:
        return walk(1, 0);
    case Qt::Key_Up:
        if (control && place->selection != noNode && place->tree->parent(place->selection) != place->focus &&
            place->selection != place->focus)
            return cursor_.select(place->tree->parent(place->selection));
        return control ? void() : walk(0, -1);
    case Qt::Key_Down:
        if (control && place->selection != noNode) {
            const int inside = picture_->firstInside(picture_->of(*place->tree, place->selection));
            if (inside > 0)
                cursor_.select(nodeOf(inside));
            return;
        }
        return walk(0, 1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        if (place->selection != noNode)
            enter(picture_->of(*place->tree, place->selection));
        return;
    case Qt::Key_Escape:
        if (placeView_.putOut())
            return;
        if (place->selection == noNode)
            return QWidget::keyPressEvent(e); // nothing here: it is for what lies around
        cursor_.select(noNode);
        return;
    default:
        QWidget::keyPressEvent(e);
    }
}

void PictureView::focusInEvent(QFocusEvent*)
{
    update();
}

void PictureView::focusOutEvent(QFocusEvent*)
{
    update();
}

} // namespace kurvo::app
