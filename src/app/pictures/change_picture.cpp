// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/change_picture.h"

#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QPainter>

#include <algorithm>

#include "app/lists/change_rows.h"
#include "app/style/theme.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

/// It stands for one entry, and not for a rest.
bool isOwn(const Cell& cell)
{
    return cell.kind == CellKind::Leaf || cell.kind == CellKind::Folder;
}

/// The cells of a comparison, drawn by the amount of change or by what is there now.
class ChangeLook : public CellLook {
public:
    ChangeLook(const Comparison& c, Measure measure, bool byAmount)
        : c_(c), tree_(byAmount ? *c.tree() : c.now()), measure_(measure), byAmount_(byAmount)
    {
    }

    QColor of(const Cell& cell) const override
    {
        if (!isOwn(cell))
            return theme().window;
        const auto node = changeOf(cell);
        std::uint64_t most = 1;
        if (node != noNode) {
            const auto now = c_.change(node) == Change::MovedAway ? noNode : c_.nowOf(node);
            most = std::max({most, now == noNode ? 0 : c_.now().measured(now, measure_),
                             c_.beforeOf(node) == noNode ? 0 : c_.before().measured(c_.beforeOf(node), measure_)});
        }
        return growthColour(std::clamp(static_cast<double>(netOf(cell)) / static_cast<double>(most), -1.0, 1.0));
    }
    QString name(const Cell& cell) const override
    {
        if (cell.kind == CellKind::Rest)
            return QObject::tr("rest: %1").arg(countText(cell.restCount));
        return toText(tree_.label(cell.node));
    }
    /// By how much it changed; nothing is said of a rest.
    QString size(const Cell& cell) const override
    {
        return isOwn(cell) ? signedText(netOf(cell), measure_) : QString();
    }
    QColor sizeInk(const Cell& cell) const override { return growthInk(netOf(cell)); }
    bool isNotSeen(const Cell&) const override { return false; }
    bool isHidden(const Cell& cell) const override { return isOwn(cell) && tree_.isHidden(cell.node); }
    Centre centre(const Cell& focus, bool) const override
    {
        Centre centre;
        centre.title = toText(tree_.label(focus.node));
        const auto node = changeOf(focus);
        const auto sums = node == noNode ? ChangeSums{} : c_.sums(node, measure_);
        if (sums.grown > 0 && sums.shrunk > 0)
            centre.second = signedText(static_cast<std::int64_t>(sums.grown), measure_) + QStringLiteral(" ") +
                            signedText(-static_cast<std::int64_t>(sums.shrunk), measure_);
        if (focus.node != rootNode)
            centre.third = QObject::tr("click: up");
        return centre;
    }

private:
    NodeId changeOf(const Cell& cell) const { return byAmount_ ? cell.node : c_.atNow(cell.node); }
    std::int64_t netOf(const Cell& cell) const
    {
        if (const auto node = changeOf(cell); node != noNode)
            return c_.net(node, measure_);
        // What is new with its folder has no entry of its own.
        return c_.matching()->earlier(cell.node) == noNode
                   ? static_cast<std::int64_t>(c_.now().measured(cell.node, measure_))
                   : 0;
    }

    const Comparison& c_;
    const FileTree& tree_;
    Measure measure_;
    bool byAmount_;
};

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

void ChangePicture::setKind(PictureKind kind)
{
    kind_ = kind;
    setAccessibleName(kind == PictureKind::Sunburst ? tr("Sunburst of what changed") : tr("Treemap of what changed"));
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
    picture_ = nullptr;
    firstLevel_.clear();
    hovered_ = -1;
    image_ = {};
    update();
    const auto measure = comparing_.measure();
    const auto focus = shown_ ? drawnOf(comparing_.focus()) : noNode;
    if (focus == noNode || drawn().measured(focus, measure) == 0)
        return;
    if (kind_ == PictureKind::Sunburst) {
        DialOptions options;
        options.measure = measure;
        options.rings = 5;
        picture_ = layOutDial(drawn(), focus, size(), options);
    } else {
        TreemapOptions options;
        options.measure = measure;
        options.depth = 5;
        picture_ = layOutTreemap(drawn(), focus, size(), options);
    }
    if (picture_->size() < 2) // nothing in it
        picture_ = nullptr;
    for (int i = 1; picture_ && i < picture_->size(); i = static_cast<int>(picture_->cell(i).end))
        firstLevel_.push_back(i);
    tellParts(this);
}

PaintedPart ChangePicture::part(int index) const
{
    const int at = firstLevel_[static_cast<std::size_t>(index)];
    const auto& cell = picture_->cell(at);
    const ChangeLook look(*shown_, comparing_.measure(), by_ == Size::Amount);
    const bool own = isOwn(cell);
    const bool selected = own && comparing_.selection() != noNode && changeOf(cell.node) == comparing_.selection();
    return {look.name(cell),
            look.size(cell),
            own ? toText(drawn().path(cell.node)) : QString(),
            picture_->shape(at).boundingRect().toRect(),
            selected,
            selected};
}

void ChangePicture::resizeEvent(QResizeEvent*)
{
    layOut();
}

std::uint64_t ChangePicture::amountHere() const
{
    return shown_->sums(comparing_.focus(), comparing_.measure()).amount();
}

void ChangePicture::paintEvent(QPaintEvent*)
{
    QPainter painter(this);
    const auto& t = theme();
    if (!picture_) {
        painter.fillRect(rect(), t.panel);
        painter.setPen(t.textSecond);
        painter.setFont(fontOf(13));
        const auto text = comparing_.isBusy() ? tr("Comparing …")
                          : !shown_           ? QString()
                          : amountHere() > 0  ? tr("Only the folder itself changed.")
                                              : tr("Nothing grew or shrank here.");
        painter.drawText(rect().adjusted(20, 20, -20, -20), Qt::AlignCenter | Qt::TextWordWrap, text);
        return;
    }
    const auto ratio = devicePixelRatioF();
    if (image_.isNull()) {
        image_ = QImage(size() * ratio, QImage::Format_RGB32);
        image_.setDevicePixelRatio(ratio);
        image_.fill(t.window);
        QPainter cells(&image_);
        picture_->paintCells(cells, ChangeLook(*shown_, comparing_.measure(), by_ == Size::Amount), 0,
                             picture_->size());
    }
    painter.drawImage(0, 0, image_);
    const auto outline = [&](int cell, const QColor& colour, int width) {
        if (cell < 0)
            return;
        painter.setRenderHint(QPainter::Antialiasing, kind_ == PictureKind::Sunburst);
        painter.setPen(QPen(colour, width));
        painter.setBrush(Qt::NoBrush);
        painter.drawPath(picture_->shape(cell));
    };
    if (hovered_ > 0)
        outline(hovered_, t.text, 1);
    if (const auto node = drawnOf(comparing_.selection()); node != noNode)
        outline(picture_->of(drawn(), node), t.accent, 2);
}

QPoint ChangePicture::pointOf(NodeId node) const
{
    const auto of = picture_ ? drawnOf(node) : noNode;
    const int cell = of == noNode ? -1 : picture_->of(drawn(), of);
    return cell >= 0 && picture_->cell(cell).node == of && isOwn(picture_->cell(cell))
               ? picture_->middle(cell).toPoint()
               : QPoint();
}

void ChangePicture::mouseMoveEvent(QMouseEvent* event)
{
    const int cell = picture_ ? picture_->at(event->position()) : -1;
    if (cell == hovered_)
        return;
    hovered_ = cell;
    QString words;
    if (cell > 0) {
        const auto& at = picture_->cell(cell);
        const ChangeLook look(*shown_, comparing_.measure(), by_ == Size::Amount);
        words = isOwn(at) ? toText(drawn().path(at.node)) + QStringLiteral("   ") + look.size(at) : look.name(at);
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

void ChangePicture::choose(int cell)
{
    if (cell < 0)
        return;
    const auto& at = picture_->cell(cell);
    comparing_.select(cell == 0 || !isOwn(at) ? noNode : changeOf(at.node));
}

void ChangePicture::mousePressEvent(QMouseEvent* event)
{
    const int cell = picture_ ? picture_->at(event->position()) : -1;
    // The centre of a sunburst leads up.
    if (event->button() == Qt::BackButton ||
        (event->button() == Qt::LeftButton && cell == 0 && kind_ == PictureKind::Sunburst))
        return comparing_.goUp();
    choose(cell);
    if (event->button() == Qt::RightButton)
        emit contextRequested(event->globalPosition().toPoint());
}

/// Into the folder, or for a file into the folder that it is in.
void ChangePicture::mouseDoubleClickEvent(QMouseEvent* event)
{
    const int cell = picture_ ? picture_->at(event->position()) : -1;
    if (cell <= 0 || !isOwn(picture_->cell(cell)))
        return;
    auto into = changeOf(picture_->cell(cell).node);
    if (into != noNode && !shown_->tree()->isFolder(into))
        into = shown_->tree()->parent(into);
    comparing_.setFocus(into);
}

void ChangePicture::walk(int dx, int dy)
{
    if (!picture_)
        return;
    const auto node = drawnOf(comparing_.selection());
    const int from = node == noNode ? -1 : picture_->of(drawn(), node);
    choose(from < 0 ? picture_->firstInside(0) : picture_->neighbour(from, dx, dy));
}

/// By key; the right button has opened it already.
void ChangePicture::contextMenuEvent(QContextMenuEvent* event)
{
    if (event->reason() != QContextMenuEvent::Keyboard)
        return;
    const auto own = pointOf(comparing_.selection());
    emit contextRequested(mapToGlobal(own.isNull() ? rect().center() : own));
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
