// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/view_memory.h"

namespace kurvo::app {
namespace {

/// "picture-measure-colour-treemap depth-sunburst depth-areas", as numbers.
QString textOf(const ViewState& v)
{
    return QStringLiteral("%1-%2-%3-%4-%5-%6")
        .arg(static_cast<int>(v.picture))
        .arg(static_cast<int>(v.measure))
        .arg(static_cast<int>(v.colour))
        .arg(v.treemapDepth)
        .arg(v.sunburstDepth)
        .arg(v.areas ? 1 : 0);
}

std::optional<ViewState> viewOf(const QString& text)
{
    const auto parts = text.split(QLatin1Char('-'));
    if (parts.size() != 6)
        return std::nullopt;
    bool all = true;
    const auto number = [&](qsizetype i, int least, int most) {
        bool ok = false;
        const int value = parts[i].toInt(&ok);
        all = all && ok && value >= least && value <= most;
        return value;
    };
    ViewState v;
    v.picture = static_cast<PictureKind>(number(0, 0, 3));
    v.measure = static_cast<Measure>(number(1, 0, 2));
    v.colour = static_cast<ColourBy>(number(2, 0, static_cast<int>(colourSchemes) - 1));
    v.treemapDepth = number(3, 1, ViewState::allLevels);
    v.sunburstDepth = number(4, 1, ViewState::allLevels);
    v.areas = number(5, 0, 1) != 0;
    return all ? std::optional(v) : std::nullopt;
}

QString keyOf(const std::string& place)
{
    return QString::fromUtf8(QByteArray::fromStdString(place).toPercentEncoding("/"));
}

} // namespace

ViewState ViewMemory::last()
{
    const auto text = settings_.of(setting::view);
    if (text.isEmpty())
        return {};
    const auto view = viewOf(text);
    if (!view)
        settings_.refuse(setting::view.key);
    return view.value_or(ViewState{});
}

std::optional<ViewState> ViewMemory::of(const std::string& place)
{
    const auto key = keyOf(place);
    for (const auto& line : settings_.of(setting::placeViews))
        if (line.section(QLatin1Char(' '), 1) == key)
            return viewOf(line.section(QLatin1Char(' '), 0, 0));
    return std::nullopt;
}

void ViewMemory::remember(const PlaceStore& places)
{
    const auto text = textOf(places.view());
    settings_.set(setting::view, text);
    const auto* place = places.place();
    if (!place)
        return;
    auto kept = settings_.of(setting::placeViews);
    const auto key = keyOf(place->info.place);
    kept.removeIf([&key](const QString& line) { return line.section(QLatin1Char(' '), 1) == key; });
    constexpr qsizetype most = 60;
    kept.prepend(text + QLatin1Char(' ') + key);
    settings_.set(setting::placeViews, kept.mid(0, most));
}

} // namespace kurvo::app
