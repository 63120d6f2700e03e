// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/place_history.h"

#include <algorithm>

#include "core/base/text.h"
#include "core/scan/exclusion.h"

namespace kurvo {
namespace {

std::string pathAt(const SnapshotInfo& info, const std::string& below)
{
    return below.empty() ? info.place : joinPath(info.place, below);
}

/// Without an index everything is read.
Result<std::vector<std::optional<EntryFigures>>> figuresFromTree(const std::string& file,
                                                                 const std::vector<std::string>& paths)
{
    const auto read = readSnapshot(file);
    if (!read)
        return read.error();
    std::vector<std::optional<EntryFigures>> figures;
    for (const auto& path : paths) {
        auto& one = figures.emplace_back();
        if (const auto node = read->tree->find(path))
            one = EntryFigures{read->tree->disk(*node), read->tree->apparent(*node), read->tree->files(*node),
                               read->tree->isFolder(*node) ? read->tree->sums(*node).folders : 0};
    }
    return figures;
}

/// Whether each of the paths, or a folder above it, matches what that scan left out.
std::vector<bool> wereLeftOut(const SnapshotInfo& info, const std::vector<std::string>& below)
{
    std::vector<bool> all;
    for (const auto& one : below) {
        bool leftOut = false;
        auto folder = info.place;
        for (std::string_view rest = one; !rest.empty() && !leftOut;) {
            const std::string name(rest.substr(0, rest.find('/')));
            leftOut = isExcluded(info.exclude, name.c_str(), [&folder] { return folder; });
            folder = joinPath(folder, name);
            rest.remove_prefix(std::min(rest.size(), name.size() + 1));
        }
        all.push_back(leftOut);
    }
    return all;
}

} // namespace

PlaceHistory historyOf(const std::vector<CatalogueEntry>& entries, const std::vector<std::string>& below,
                       std::stop_token stop)
{
    PlaceHistory history;
    for (const auto& entry : entries) {
        if (stop.stop_requested())
            break;
        std::vector<std::string> paths;
        for (const auto& one : below)
            paths.push_back(pathAt(entry.info, one));
        auto figures = paths.empty() ? std::vector<std::optional<EntryFigures>>() : readFigures(entry.path, paths);
        if (!figures && figures.error().kind == ErrorKind::Unsupported)
            figures = figuresFromTree(entry.path, paths);
        if (figures)
            history.points.push_back({entry.path, entry.info, std::move(*figures), wereLeftOut(entry.info, below)});
        else
            history.problems.push_back(figures.error());
    }
    std::sort(history.points.begin(), history.points.end(),
              [](const HistoryPoint& a, const HistoryPoint& b) { return a.info.taken < b.info.taken; });
    return history;
}

std::vector<UsePoint> useOfDrive(const PlaceHistory& history)
{
    std::vector<UsePoint> points;
    for (const auto& point : history.points)
        if (point.info.capacity.total > 0)
            points.push_back({point.info.taken, point.info.capacity.used});
    return points;
}

std::vector<UsePoint> useOfPath(const PlaceHistory& history, std::size_t path)
{
    std::vector<UsePoint> points;
    for (const auto& point : history.points)
        if (const auto bytes = point.bytes(path); bytes && !point.info.partial)
            points.push_back({point.info.taken, *bytes});
    return points;
}

PlaceForecast forecastOf(const PlaceHistory& history, std::int64_t now)
{
    PlaceForecast forecast;
    const auto points = useOfDrive(history);
    forecast.trend = trendOf(points);
    if (!forecast.trend)
        return forecast;
    for (const auto& point : history.points)
        if (point.info.capacity.total > 0)
            forecast.capacity = point.info.capacity.used + point.info.capacity.free;
    forecast.full = whenFull(*forecast.trend, points, forecast.capacity);
    if (forecast.full)
        forecast.words = forecast.full->full <= now ? "Full by now, at the rate that was seen"
                                                    : "Fills " + formatAhead(forecast.full->full, now);
    else if (!forecast.trend->isClear)
        forecast.words = "No clear trend";
    else if (forecast.trend->perSecond < 0)
        forecast.words = "Shrinks";
    return forecast;
}

} // namespace kurvo
