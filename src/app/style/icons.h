// SPDX-License-Identifier: GPL-3.0-or-later
// The few signs of the rail, drawn as strokes so that they follow theme and scale.
#pragma once

#include <QColor>
#include <QPainter>
#include <QRectF>

namespace kurvo::app {

enum class Sign { Scan, Explore, Find, Compare, Clear, Menu, Lock };

/// Draws the sign in a square.
void drawSign(QPainter& painter, Sign sign, const QRectF& square, const QColor& colour);

/// The application's own icon.
QPixmap applicationIcon(int size);

} // namespace kurvo::app
