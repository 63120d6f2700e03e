// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/descent_view.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include <algorithm>

#include "app/theme.h"
#include "app/words.h"

namespace kurvo::app {
namespace {

constexpr int stepHeight = 21;
constexpr int mostSteps = 9;

class RowPainter : public QStyledItemDelegate {
public:
    RowPainter(Session& session, const DescentModel& model, QObject* parent)
        : QStyledItemDelegate(parent), session_(session), model_(model)
    {
    }

    QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override { return {100, 35}; }

    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override
    {
        const auto* place = session_.place();
        if (!place)
            return;
        const auto& t = theme();
        const auto& tree = *place->tree;
        const NodeId node = model_.nodeAt(index.row());
        const bool selected = (option.state & QStyle::State_Selected) != 0;
        const bool rest = node == noNode;
        painter->save();
        if (selected)
            painter->fillRect(option.rect, t.accentFill);
        else if ((option.state & QStyle::State_MouseOver) != 0 || (!rest && node == session_.hover()))
            painter->fillRect(option.rect, t.window);
        const QRect inner = option.rect.adjusted(14, 4, -14, -4);
        const QRect line(inner.x(), inner.y(), inner.width(), 18);

        const auto size = index.data(DescentModel::SizeRole).toString();
        painter->setFont(fontOf(13));
        const int sizeWidth = QFontMetrics(painter->font()).horizontalAdvance(size) + 8;
        painter->setPen(rest ? t.textSecond : t.text);
        drawFigures(*painter, line, size);

        QStringList tags;
        if (!rest) {
            if (place->plan.coveringItem(tree, node) != noNode)
                tags << QObject::tr("planned");
            if (tree.name(node).starts_with('.'))
                tags << QObject::tr("hidden");
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
        const auto font = fontOf(13, !rest && tree.isFolder(node) ? QFont::Medium : QFont::Normal);
        const auto name = cutMiddle(index.data().toString(), font, line.width() - sizeWidth - tagsWidth);
        painter->setFont(font);
        painter->drawText(line, Qt::AlignLeft | Qt::AlignVCenter, name);
        int at = line.x() + QFontMetrics(font).horizontalAdvance(name) + 8;
        painter->setFont(tagFont);
        for (const auto& tag : tags) {
            const QRect box(at, line.y() + 1, tagMetrics.horizontalAdvance(tag) + 10, 15);
            painter->setPen(tag == QObject::tr("planned") ? t.accent : t.line);
            painter->setBrush(Qt::NoBrush);
            painter->drawRoundedRect(box, 2, 2);
            painter->setPen(tag == QObject::tr("planned") ? t.accent : t.textSecond);
            painter->drawText(box, Qt::AlignCenter, tag);
            at += box.width() + 6;
        }

        const auto measured = rest ? model_.restSize() : tree.measured(node, session_.measure());
        const QRect bar(inner.x(), inner.bottom() - 4, inner.width(), 4);
        painter->fillRect(bar, t.emptyBar);
        if (model_.largest() > 0 && measured > 0) {
            const double share = static_cast<double>(measured) / static_cast<double>(model_.largest());
            const int filled = std::clamp(static_cast<int>(share * bar.width()), 1, bar.width());
            const bool hidden = !rest && tree.isHidden(node);
            painter->fillRect(QRect(bar.x(), bar.y(), filled, bar.height()),
                              hidden ? hatchOn(t.accent) : QBrush(t.seen));
        }
        if (selected && (option.state & QStyle::State_HasFocus) != 0) {
            painter->setPen(QPen(t.accent, 2));
            painter->setBrush(Qt::NoBrush);
            painter->drawRect(option.rect.adjusted(1, 1, -1, -1));
        }
        painter->restore();
    }

private:
    Session& session_;
    const DescentModel& model_;
};

} // namespace

DescentChain::DescentChain(Session& session, QWidget* parent) : QWidget(parent), session_(session)
{
    setMouseTracking(true);
    setAccessibleName(tr("Parents of the current folder"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void DescentChain::refresh()
{
    steps_.clear();
    hovered_ = -1;
    if (const auto* place = session_.place()) {
        const auto chain = place->tree->chain(place->focus);
        // A deep chain keeps its first two and its last levels; one line stands for those between.
        const int count = static_cast<int>(chain.size());
        const int tail = mostSteps - 3;
        for (int i = 0; i < count; ++i) {
            if (count > mostSteps && i == 2) {
                const int to = count - tail;
                steps_.push_back({chain[static_cast<std::size_t>(to - 1)], 2, static_cast<std::size_t>(to - 2)});
                i = to - 1;
                continue;
            }
            steps_.push_back({chain[static_cast<std::size_t>(i)], static_cast<int>(steps_.size()), 0});
        }
    }
    updateGeometry();
    update();
}

QSize DescentChain::sizeHint() const
{
    return {200, static_cast<int>(steps_.size()) * stepHeight + 14};
}

QRect DescentChain::stepOf(NodeId folder) const
{
    for (std::size_t i = 0; i < steps_.size(); ++i)
        if (steps_[i].node == folder)
            return {0, 8 + static_cast<int>(i) * stepHeight, width(), stepHeight};
    return {};
}

void DescentChain::paintEvent(QPaintEvent*)
{
    const auto* place = session_.place();
    if (!place)
        return;
    QPainter painter(this);
    const auto& t = theme();
    const auto& tree = *place->tree;
    const auto measure = session_.measure();
    for (std::size_t i = 0; i < steps_.size(); ++i) {
        const auto& step = steps_[i];
        const bool last = i + 1 == steps_.size();
        const QRect line(14, 8 + static_cast<int>(i) * stepHeight, width() - 28, stepHeight);
        if (static_cast<int>(i) == hovered_)
            painter.fillRect(QRect(0, line.y(), width(), line.height()), t.window);
        painter.setFont(fontOf(13, last ? QFont::DemiBold : QFont::Normal));
        painter.setPen(last ? t.text : t.textSecond);
        const auto measured = tree.measured(step.node, measure);
        const auto size = measure == Measure::Files ? countText(measured) : sizeText(measured);
        QString share;
        if (step.node != rootNode && step.left == 0)
            share = shareText(measured, tree.measured(tree.parent(step.node), measure));
        const QFontMetrics metrics(painter.font());
        const int shareWidth = steps_.size() == 1 ? 0
                                                  : std::max(metrics.horizontalAdvance(QStringLiteral("under 1 %")),
                                                             metrics.horizontalAdvance(QStringLiteral("100 %"))) +
                                                        6;
        drawFigures(painter, line, share);
        drawFigures(painter, line.adjusted(0, 0, -shareWidth, 0), size);
        const int indent = std::min(step.level, 6) * 9;
        const int room = line.width() - shareWidth - metrics.horizontalAdvance(size) - indent - 12;
        const auto name = step.left > 0 ? tr("… %1").arg(itemsText(step.left, "level"))
                                        : toText(step.node == rootNode ? tree.name(rootNode) : tree.name(step.node));
        painter.drawText(line.adjusted(indent, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter,
                         cutMiddle(name, painter.font(), room));
    }
    painter.setPen(t.line);
    painter.drawLine(0, height() - 1, width(), height() - 1);
}

void DescentChain::mouseMoveEvent(QMouseEvent* event)
{
    const int step = (static_cast<int>(event->position().y()) - 8) / stepHeight;
    hovered_ = step >= 0 && step + 1 < static_cast<int>(steps_.size()) ? step : -1;
    setCursor(hovered_ >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    if (hovered_ >= 0)
        setToolTip(toText(session_.place()->tree->path(steps_[static_cast<std::size_t>(hovered_)].node)));
    update();
}

void DescentChain::leaveEvent(QEvent*)
{
    hovered_ = -1;
    update();
}

void DescentChain::mousePressEvent(QMouseEvent* event)
{
    const int step = (static_cast<int>(event->position().y()) - 8) / stepHeight;
    if (event->button() == Qt::LeftButton && step >= 0 && step < static_cast<int>(steps_.size()))
        session_.setFocus(steps_[static_cast<std::size_t>(step)].node);
}

DescentView::DescentView(Session& session, QWidget* parent)
    : QWidget(parent), session_(session), chain_(new DescentChain(session)), model_(new DescentModel(this)),
      list_(new QListView), callout_(new QFrame), calloutText_(new QLabel),
      follow_(new QPushButton(tr("Follow the weight   W")))
{
    setProperty("role", "panel");
    setAttribute(Qt::WA_StyledBackground);
    list_->setObjectName("descent");
    list_->setAccessibleName(tr("Children of the current folder"));
    list_->setModel(model_);
    list_->setItemDelegate(new RowPainter(session_, *model_, this));
    list_->setUniformItemSizes(true);
    list_->setMouseTracking(true);
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    list_->installEventFilter(this);
    list_->viewport()->installEventFilter(this);
    callout_->setProperty("role", "callout");
    auto* calloutLayout = new QVBoxLayout(callout_);
    calloutLayout->setContentsMargins(10, 8, 8, 8);
    calloutText_->setWordWrap(true);
    calloutLayout->addWidget(calloutText_);
    follow_->setObjectName("follow");
    follow_->setToolTip(tr("Go down while one folder holds at least 80 % of its parent"));

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(chain_);
    layout->addSpacing(6);
    layout->addWidget(list_, 1);
    auto* foot = new QVBoxLayout;
    foot->setContentsMargins(14, 8, 14, 12);
    foot->setSpacing(10);
    foot->addWidget(callout_);
    foot->addWidget(follow_);
    layout->addLayout(foot);

    connect(follow_, &QPushButton::clicked, &session_, &Session::followTheWeight);
    connect(list_, &QListView::doubleClicked, this, &DescentView::open);
    connect(list_, &QListView::customContextMenuRequested, this, [this](const QPoint& at) {
        if (model_->nodeAt(list_->indexAt(at).row()) != noNode)
            emit contextRequested(list_->viewport()->mapToGlobal(at));
    });
    connect(list_, &QListView::entered, this,
            [this](const QModelIndex& index) { session_.setHover(model_->nodeAt(index.row())); });
    connect(list_->selectionModel(), &QItemSelectionModel::currentChanged, this, [this](const QModelIndex& index) {
        if (!following_ && index.isValid())
            session_.select(model_->nodeAt(index.row()));
    });
    for (const auto signal : {&Session::placeChanged, &Session::focusChanged})
        connect(&session_, signal, this, [this] { refresh(true); });
    for (const auto signal : {&Session::treeChanged, &Session::measureChanged})
        connect(&session_, signal, this, &DescentView::refreshAgain);
    connect(&session_, &Session::selectionChanged, this, &DescentView::showSelection);
    connect(&session_, &Session::planChanged, list_->viewport(), qOverload<>(&QWidget::update));
    connect(&session_, &Session::hoverChanged, this, &DescentView::showHover);
    refresh(true);
}

void DescentView::refresh(bool withRest)
{
    withRest_ = withRest;
    const auto* place = session_.place();
    // A list that grows stays where one has scrolled to.
    const bool same = place && shownPlace_ == place->id && shownFocus_ == place->focus;
    shownPlace_ = place ? place->id : 0;
    shownFocus_ = place ? place->focus : noNode;
    const int scrolled = list_->verticalScrollBar()->value();
    following_ = true;
    model_->show(place, session_.measure(), withRest);
    following_ = false;
    chain_->refresh();
    follow_->setEnabled(place != nullptr);

    callout_->setVisible(false);
    if (place) {
        const auto& tree = *place->tree;
        const auto whole = tree.disk(place->focus);
        const auto hidden = tree.sums(place->focus).hiddenDisk;
        // Worth saying from a fifth on, but not inside what is hidden as a whole.
        if (!tree.isHidden(place->focus) && hidden > whole / 5) {
            calloutText_->setText(
                tr("Of %1 here, <b>%2 is hidden</b>. The folders you see in a file manager add up to %3.")
                    .arg(sizeText(whole), sizeText(hidden), sizeText(whole - hidden)));
            callout_->setVisible(true);
        }
    }
    keepScroll_ = same;
    showSelection();
    keepScroll_ = false;
    if (same)
        list_->verticalScrollBar()->setValue(scrolled);
}

void DescentView::showSelection()
{
    const auto* place = session_.place();
    following_ = true;
    int row = -1;
    if (place && place->selection != noNode && place->selection != place->focus &&
        place->tree->isAtOrBelow(place->selection, place->focus)) {
        // The child of the focus that is, or holds, the selection.
        NodeId child = place->selection;
        while (place->tree->parent(child) != place->focus)
            child = place->tree->parent(child);
        row = model_->rowOf(child);
        if (row < 0 && withRest_) {
            refresh(false);
            return;
        }
    }
    if (row >= 0) {
        list_->setCurrentIndex(model_->index(row));
        if (!keepScroll_)
            list_->scrollTo(model_->index(row));
    } else {
        list_->setCurrentIndex({});
    }
    following_ = false;
}

void DescentView::showHover()
{
    const int row = session_.hover() == noNode ? -1 : model_->rowOf(session_.hover());
    if (row == hoverRow_)
        return;
    for (const int changed : {hoverRow_, row})
        if (changed >= 0)
            list_->update(model_->index(changed));
    hoverRow_ = row;
}

void DescentView::open(const QModelIndex& index)
{
    if (model_->isRest(index.row())) {
        const int first = index.row();
        refresh(false);
        list_->setCurrentIndex(model_->index(first));
        return;
    }
    const auto node = model_->nodeAt(index.row());
    if (node != noNode && session_.place()->tree->isFolder(node))
        session_.setFocus(node);
}

bool DescentView::eventFilter(QObject* watched, QEvent* event)
{
    if (watched == list_ && event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if ((key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter || key->key() == Qt::Key_Right) &&
            list_->currentIndex().isValid()) {
            open(list_->currentIndex());
            return true;
        }
        if (key->key() == Qt::Key_Left && key->modifiers() == Qt::NoModifier) {
            session_.goUp();
            return true;
        }
    }
    if (watched == list_->viewport() && event->type() == QEvent::Leave)
        session_.setHover(noNode);
    return QWidget::eventFilter(watched, event);
}

} // namespace kurvo::app
