// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/pictures/picture.h"

#include <algorithm>

#include "app/style/theme.h"

namespace kurvo::app {

void Picture::paint(QPainter& painter, const CellColours& colours) const
{
    paintSome(painter, colours, 0, std::chrono::nanoseconds::max());
}

int Picture::paintSome(QPainter& painter, const CellColours& colours, int from, std::chrono::nanoseconds most) const
{
    constexpr int atOnce = 16;
    const auto begin = std::chrono::steady_clock::now();
    while (from < size()) {
        const int to = std::min(from + atOnce, size());
        paintCells(painter, colours, from, to);
        from = to;
        if (from < size() && std::chrono::steady_clock::now() - begin >= most)
            return from;
    }
    // Planned items on top of everything: faded and crossed through.
    const auto& plan = colours.place.plan;
    for (int index = 1; index < size() && !plan.empty(); ++index) {
        if (cell(index).kind == CellKind::Rest || !plan.has(cell(index).node))
            continue;
        auto veil = theme().panel;
        veil.setAlpha(165);
        const auto outline = shape(index);
        painter.setRenderHint(QPainter::Antialiasing);
        painter.fillPath(outline, veil);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(theme().accent, 2));
        paintCross(painter, index);
        painter.setPen(QPen(theme().accent, 1));
        painter.drawPath(outline);
        painter.setRenderHint(QPainter::Antialiasing, false);
    }
    return from;
}

std::unique_ptr<Picture> layOutPicture(const Place& place, const QSizeF& size)
{
    const auto& view = place.view;
    const bool withAreas = view.measure == Measure::Disk;
    if (view.picture == PictureKind::Sunburst) {
        DialOptions options;
        options.measure = view.measure;
        options.rings = view.sunburstDepth < ViewState::allLevels ? view.sunburstDepth : 16;
        if (withAreas)
            options.areas = place.areas();
        return layOutDial(*place.shown(), place.focus, size, options);
    }
    TreemapOptions options;
    options.measure = view.measure;
    if (view.treemapDepth < ViewState::allLevels)
        options.depth = view.treemapDepth;
    if (view.areas && withAreas)
        options.areas = place.areas();
    return layOutTreemap(*place.shown(), place.focus, size, options);
}

} // namespace kurvo::app
