// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "core/compare/forecast.h"
#include "support/test_tree.h"

using namespace kurvo;
using kurvo::test::day;

namespace {

constexpr std::uint64_t gib = 1ull << 30;

std::vector<UsePoint> monthly(const std::vector<double>& sizes)
{
    std::vector<UsePoint> points;
    for (std::size_t i = 0; i < sizes.size(); ++i)
        points.push_back(
            {1767225600 + static_cast<std::int64_t>(i) * 30 * day, static_cast<std::uint64_t>(sizes[i] * gib)});
    return points;
}

} // namespace

TEST_CASE("steady growth: the day when it is full, and how sure that is", "[compare][forecast]")
{
    const auto points = monthly({100, 110, 120, 130});
    const auto trend = trendOf(points);
    REQUIRE(trend);
    CHECK(trend->isClear);
    CHECK(std::abs(trend->perSecond * 30 * day / gib - 10) < 0.01);
    const auto forecast = whenFull(*trend, points, 160 * gib);
    REQUIRE(forecast);
    CHECK(std::abs(forecast->full - (points.back().time + 90 * day)) < day);
    CHECK(forecast->earliest <= forecast->full);
    CHECK(forecast->latest >= forecast->full);
}

TEST_CASE("one odd snapshot does not bend the trend", "[compare][forecast]")
{
    const auto trend = trendOf(monthly({100, 110, 120, 190, 195, 196, 160, 170, 180, 190, 200}));
    REQUIRE(trend);
    CHECK(trend->perSecond > 0);
    const auto odd = trendOf(monthly({100, 110, 120, 131, 240, 150, 160, 170}));
    REQUIRE(odd);
    CHECK(std::abs(odd->perSecond * 30 * day / gib - 10) < 1.5);
}

TEST_CASE("a clean-up is a break and not a trend", "[compare][forecast]")
{
    const auto points = monthly({318, 331, 296, 352, 384, 412});
    const auto trend = trendOf(points);
    REQUIRE(trend);
    CHECK(trend->from == 2);
    CHECK(trend->isClear);
    CHECK(trend->perSecond * 30 * day > 25.0 * gib);
    const auto forecast = whenFull(*trend, points, 472 * gib);
    REQUIRE(forecast);
    const auto days = static_cast<double>(forecast->full - points.back().time) / day;
    CHECK(days > 30);
    CHECK(days < 80);
}

TEST_CASE("where the data carries nothing, nothing is said", "[compare][forecast]")
{
    CHECK_FALSE(trendOf(monthly({100, 110})));
    CHECK_FALSE(trendOf(monthly({100, 110, 120, 60, 61}))); // two since the clean-up
    const auto flat = monthly({100, 101, 100, 101, 100, 101, 100});
    if (const auto trend = trendOf(flat)) {
        CHECK_FALSE(trend->isClear);
        CHECK_FALSE(whenFull(*trend, flat, 200 * gib));
    }
    const auto falling = monthly({200, 195, 190, 184, 180});
    REQUIRE(trendOf(falling));
    CHECK(trendOf(falling)->perSecond < 0);
    CHECK_FALSE(whenFull(*trendOf(falling), falling, 250 * gib));
    const auto slow = monthly({100, 100.001, 100.002, 100.003});
    CHECK_FALSE(whenFull(*trendOf(slow), slow, 5000 * gib));               // in centuries
    CHECK_FALSE(trendOf({{1000, gib}, {2000, 2 * gib}, {3000, 3 * gib}})); // within an hour
}

TEST_CASE("a clock that was set back in between", "[compare][forecast]")
{
    auto points = monthly({100, 110, 120, 130});
    points.insert(points.begin() + 2, {points[0].time - 400 * day, 118 * gib});
    const auto trend = trendOf(points);
    REQUIRE(trend);
    CHECK(std::abs(trend->perSecond * 30 * day / gib - 10) < 0.5);
}

TEST_CASE("time ahead and rates in words", "[compare][forecast]")
{
    CHECK(formatAhead(1000 * day, 1000 * day + 5) == "by now");
    CHECK(formatAhead(1001 * day - 5, 1000 * day) == "within a day");
    CHECK(formatAhead(1003 * day, 1000 * day) == "in 3 days");
    CHECK(formatAhead(1042 * day, 1000 * day) == "in about 6 weeks");
    CHECK(formatAhead(1180 * day, 1000 * day) == "in about 6 months");
    CHECK(formatAhead(2100 * day, 1000 * day) == "in about 3 years");
    CHECK(formatRate(static_cast<double>(gib) / (30.4375 * day)) == "+1.00 GiB a month");
    CHECK(formatRate(-static_cast<double>(gib) / (30.4375 * day)) == "\u22121.00 GiB a month");
}
