// SPDX-License-Identifier: GPL-3.0-or-later
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

#include "app/lists/descent_view.h"
#include "app/style/theme.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

constexpr int stepHeight = 21;
constexpr int mostSteps = 9;

} // namespace

DescentChain::DescentChain(PlaceStore& places, Cursor& cursor, QWidget* parent)
    : QWidget(parent), places_(places), cursor_(cursor)
{
    setMouseTracking(true);
    setAccessibleName(tr("Parents of the current folder"));
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void DescentChain::refresh()
{
    steps_.clear();
    hovered_ = -1;
    if (const auto* place = places_.place()) {
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

PaintedPart DescentChain::part(int index) const
{
    const auto* place = places_.place();
    const auto& step = steps_[static_cast<std::size_t>(index)];
    if (!place || !place->shown()->contains(step.node))
        return {};
    const auto measured = place->shown()->measured(step.node, places_.measure());
    return {step.left > 0 ? tr("… %1").arg(itemsText(step.left, "level")) : toText(place->tree->name(step.node)),
            places_.measure() == Measure::Files ? countText(measured) : sizeText(measured),
            toText(place->tree->path(step.node)),
            {0, 8 + index * stepHeight, width(), stepHeight},
            step.node == place->focus,
            false};
}

void DescentChain::paintEvent(QPaintEvent*)
{
    const auto* place = places_.place();
    if (!place)
        return;
    QPainter painter(this);
    const auto& t = theme();
    const auto& tree = *place->shown();
    const auto measure = places_.measure();
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
        setToolTip(toText(places_.place()->tree->path(steps_[static_cast<std::size_t>(hovered_)].node)));
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
        cursor_.setFocus(steps_[static_cast<std::size_t>(step)].node);
}

} // namespace kurvo::app
