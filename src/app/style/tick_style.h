// SPDX-License-Identifier: GPL-3.0-or-later
// Boxes to tick, in the theme's colours: the style below draws them so that in the dark nobody sees where they are. And
// texts that are texts.
#pragma once

#include <QProxyStyle>

namespace kurvo::app {

class TickStyle : public QProxyStyle {
    Q_OBJECT
public:
    using QProxyStyle::QProxyStyle;
    void drawPrimitive(PrimitiveElement element, const QStyleOption* option, QPainter* painter,
                       const QWidget* widget) const override;
    using QProxyStyle::polish;
    /// Labels and tooltips show names, in which "<b>" is no markup: what is meant to be rich says so itself.
    void polish(QWidget* widget) override;
};

/// A box to tick, 14 units wide and high, as cards and check boxes have it.
void drawTick(QPainter& painter, const QRect& box, bool ticked, bool enabled = true);

} // namespace kurvo::app
