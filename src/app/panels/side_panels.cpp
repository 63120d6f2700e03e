// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/panels/side_panels.h"

#include <QDataStream>
#include <QIODevice>

#include <algorithm>

namespace kurvo::app {
namespace {

constexpr int widest = 520;

} // namespace

SidePanels::SidePanels(const Panel& left, QWidget* middle, const Panel& right, int leastMiddle, QWidget* parent)
    : QSplitter(Qt::Horizontal, parent), panels_{left.widget, right.widget},
      leastMiddle_(leastMiddle), widths_{left.width, right.width}
{
    setHandleWidth(5);
    setChildrenCollapsible(false);
    wanted_[0] = left.widget != nullptr;
    for (auto* widget : {left.widget, middle, right.widget})
        if (widget)
            addWidget(widget);
    for (auto* one : panels_)
        if (one)
            one->setMaximumWidth(widest);
    setStretchFactor(indexOf(middle), 1);
    connect(this, &QSplitter::splitterMoved, this, [this] {
        for (const auto side : {Side::Left, Side::Right})
            if (const auto* one = panel(side); one && !one->isHidden())
                widths_[index(side)] = one->width();
        emit changed();
    });
}

void SidePanels::setWanted(Side side, bool wanted)
{
    if (!panel(side))
        return;
    wanted_[index(side)] = wanted;
    if (wanted)
        last_ = side;
    fit();
}

void SidePanels::toggle(Side side)
{
    if (!panel(side))
        return;
    setWanted(side, panel(side)->isHidden());
    emit changed();
}

void SidePanels::fit()
{
    const Side other = last_ == Side::Left ? Side::Right : Side::Left;
    int room = width() - leastMiddle_;
    bool shown[2] = {false, false};
    for (const auto side : {last_, other}) {
        const auto* one = panel(side);
        const int least = one ? one->minimumWidth() + handleWidth() : 0;
        if (!one || !wanted_[index(side)] || least > room)
            continue;
        shown[index(side)] = true;
        room -= std::max(least, std::min(widths_[index(side)] + handleWidth(), room));
    }
    for (const auto side : {Side::Left, Side::Right})
        if (auto* one = panel(side))
            one->setVisible(shown[index(side)]);
    QList<int> widths;
    int used = 0;
    for (const auto side : {Side::Left, Side::Right}) {
        const int wide = shown[index(side)] ? std::max(panel(side)->minimumWidth(),
                                                       std::min(widths_[index(side)], width() - leastMiddle_ - used))
                                            : 0;
        used += wide;
        if (side == Side::Right)
            widths << std::max(leastMiddle_, width() - used);
        if (panel(side))
            widths << wide;
    }
    setSizes(widths);
}

void SidePanels::resizeEvent(QResizeEvent* event)
{
    QSplitter::resizeEvent(event);
    fit();
}

QByteArray SidePanels::kept() const
{
    QByteArray bytes;
    QDataStream out(&bytes, QIODevice::WriteOnly);
    out << qint32(1) << qint32(widths_[0]) << qint32(widths_[1]) << wanted_[0] << wanted_[1];
    return bytes;
}

bool SidePanels::restore(const QByteArray& kept)
{
    QDataStream in(kept);
    qint32 version = 0, left = 0, right = 0;
    bool wantsLeft = true, wantsRight = true;
    in >> version >> left >> right >> wantsLeft >> wantsRight;
    if (in.status() != QDataStream::Ok || version != 1)
        return false;
    const qint32 given[2] = {left, right};
    for (const auto side : {Side::Left, Side::Right})
        if (const auto* one = panel(side))
            widths_[index(side)] = std::clamp<int>(given[index(side)], one->minimumWidth(), widest);
    wanted_[0] = wantsLeft && panels_[0];
    wanted_[1] = wantsRight;
    fit();
    return true;
}

} // namespace kurvo::app
