// SPDX-License-Identifier: GPL-3.0-or-later
// Forecast: how fast something grows, and when what it fills is full.
//
// The slope is the median of the slopes between all pairs of points (Theil 1950; Sen 1968, "Estimates of the regression
// coefficient based on Kendall's tau"), so that a single odd snapshot does not bend it; the interval comes from the ranks
// of those slopes (the same paper, with the variance of Kendall's statistic). What stood before a clean-up is left out:
// a trend begins anew there.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

namespace kurvo {

struct UsePoint {
    std::int64_t time = 0;   ///< UTC seconds
    std::uint64_t bytes = 0; ///< that are used
};

struct Trend {
    std::size_t from = 0;             ///< index of the first point that counts: after the last clean-up
    double perSecond = 0;             ///< bytes; negative where it shrinks
    double least = 0, most = 0;       ///< of that, 80 % interval
    bool isClear = false;             ///< the interval does not reach zero
    std::uint64_t level = 0;          ///< bytes at the last point, on the line
};

/// Oldest first. Nothing where the points carry no trend: fewer than three since the last clean-up, or all within a day.
/// Points that go back in time (a clock that was set back) are left out.
std::optional<Trend> trendOf(const std::vector<UsePoint>& points);

struct Forecast {
    std::int64_t full = 0;               ///< UTC seconds
    std::int64_t earliest = 0, latest = 0; ///< 80 % interval; latest is 0 where it has no end in ten years
};

/// When `capacity` bytes are used; nothing where the trend is not clear, goes down, or leads further than ten years.
std::optional<Forecast> whenFull(const Trend& trend, const std::vector<UsePoint>& points, std::uint64_t capacity);

/// "in about 6 weeks", "in 3 days", "in about 2 years": from `now` on.
std::string formatAhead(std::int64_t time, std::int64_t now);
/// "+15.2 GiB a month", of bytes a second.
std::string formatRate(double perSecond);

} // namespace kurvo
