// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/forecast.h"

#include <algorithm>
#include <cmath>

#include "core/base/figures.h"

namespace kurvo {
namespace {

constexpr double day = 86400;
constexpr double month = 30.4375 * day;
constexpr double z80 = 1.2816; // normal quantile that leaves 10 % on either side

/// The slopes between all pairs of the points from `from` on, sorted.
std::vector<double> slopesOf(const std::vector<UsePoint>& points, std::size_t from)
{
    std::vector<double> slopes;
    for (auto i = from; i < points.size(); ++i)
        for (auto k = i + 1; k < points.size(); ++k)
            slopes.push_back((static_cast<double>(points[k].bytes) - static_cast<double>(points[i].bytes)) /
                             static_cast<double>(points[k].time - points[i].time));
    std::sort(slopes.begin(), slopes.end());
    return slopes;
}

double medianOf(std::vector<double> values)
{
    std::sort(values.begin(), values.end());
    const auto n = values.size();
    return n % 2 == 1 ? values[n / 2] : (values[n / 2 - 1] + values[n / 2]) / 2;
}

/// After the last clean-up: a fall by more than one in fifty of what was there and half of what is usually gained.
std::size_t lastBreak(const std::vector<UsePoint>& points)
{
    std::vector<double> steps;
    for (std::size_t i = 1; i < points.size(); ++i)
        steps.push_back(std::abs(static_cast<double>(points[i].bytes) - static_cast<double>(points[i - 1].bytes)));
    if (steps.empty())
        return 0;
    std::vector<double> rises;
    for (std::size_t i = 1; i < points.size(); ++i)
        if (points[i].bytes >= points[i - 1].bytes)
            rises.push_back(steps[i - 1]);
    if (rises.size() * 2 < steps.size())
        return 0; // it mostly goes down: that is the trend
    const auto usual = medianOf(rises);
    for (auto i = points.size() - 1; i > 0; --i) {
        const auto before = static_cast<double>(points[i - 1].bytes);
        const auto fall = before - static_cast<double>(points[i].bytes);
        if (fall > before / 50 && fall > usual / 2)
            return i;
    }
    return 0;
}

/// The points in the order of time, without those that a clock that was wrong put into the past.
std::vector<UsePoint> inOrder(const std::vector<UsePoint>& points)
{
    std::vector<UsePoint> kept;
    for (const auto& point : points)
        if (kept.empty() || point.time > kept.back().time)
            kept.push_back(point);
    return kept;
}

} // namespace

std::optional<Trend> trendOf(const std::vector<UsePoint>& all)
{
    const auto points = inOrder(all);
    if (points.size() < 3)
        return std::nullopt;
    Trend trend;
    const auto from = lastBreak(points);
    const auto n = points.size() - from;
    if (n < 3 || static_cast<double>(points.back().time - points[from].time) < day)
        return std::nullopt;
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i].time == points[from].time) {
            trend.from = i;
            break;
        }
    const auto slopes = slopesOf(points, from);
    trend.perSecond = medianOf(slopes);
    const auto count = static_cast<double>(n);
    const auto half = z80 * std::sqrt(count * (count - 1) * (2 * count + 5) / 18);
    const auto pairs = static_cast<double>(slopes.size());
    const auto rank = [&](double at) {
        return slopes[static_cast<std::size_t>(std::clamp(at, 0.0, pairs - 1))];
    };
    trend.least = rank(std::floor((pairs - half) / 2) - 1);
    trend.most = rank(std::ceil((pairs + half) / 2));
    trend.isClear = trend.least > 0 || trend.most < 0;
    std::vector<double> levels;
    for (auto i = from; i < points.size(); ++i)
        levels.push_back(static_cast<double>(points[i].bytes) +
                         trend.perSecond * static_cast<double>(points.back().time - points[i].time));
    trend.level = static_cast<std::uint64_t>(std::max(0.0, medianOf(levels)));
    return trend;
}

std::optional<Forecast> whenFull(const Trend& trend, const std::vector<UsePoint>& points, std::uint64_t capacity)
{
    constexpr double furthest = 10 * 365.25 * day;
    if (!trend.isClear || trend.perSecond <= 0 || points.empty() || capacity == 0)
        return std::nullopt;
    const auto last = inOrder(points).back();
    // From what is used now: that is known, however the line runs.
    const auto room = last.bytes >= capacity ? 0 : static_cast<double>(capacity - last.bytes);
    const auto at = [&](double slope) { return room / slope; };
    if (at(trend.perSecond) > furthest)
        return std::nullopt;
    const auto time = [&](double ahead) { return last.time + static_cast<std::int64_t>(ahead); };
    Forecast forecast;
    forecast.full = time(at(trend.perSecond));
    forecast.earliest = time(at(trend.most));
    forecast.latest = at(trend.least) > furthest ? 0 : time(at(trend.least));
    return forecast;
}

std::string formatAhead(std::int64_t time, std::int64_t now)
{
    const auto days = static_cast<double>(time - now) / day;
    const auto whole = [](double value) { return static_cast<std::uint64_t>(std::llround(value)); };
    if (days < 0)
        return "by now";
    if (days < 1)
        return "within a day";
    if (days < 14)
        return "in " + formatItems(whole(days), "day");
    if (days < 70)
        return "in about " + formatItems(whole(days / 7), "week");
    if (days < 730)
        return "in about " + formatItems(whole(days / 30.4375), "month");
    return "in about " + formatItems(whole(days / 365.25), "year");
}

std::string formatRate(double perSecond)
{
    const auto bytes = static_cast<std::uint64_t>(std::llround(std::abs(perSecond) * month));
    return (perSecond < 0 ? "\u2212" : "+") + formatBytes(bytes) + " a month";
}

} // namespace kurvo
