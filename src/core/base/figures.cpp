// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/figures.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <chrono>
#include <cmath>
#include <ctime>

#include <fmt/format.h>

namespace kurvo {
namespace {

struct Scaled {
    double value;
    std::size_t unit;
};

Scaled scaled(std::uint64_t bytes, SizeUnits units)
{
    const double step = units == SizeUnits::Binary ? 1024.0 : 1000.0;
    Scaled s{static_cast<double>(bytes), 0};
    // 999.5 would print as "1000", which is four figures: the next unit shows it in three.
    while (s.value >= 999.5 && s.unit < 6 && (s.unit > 0 || s.value >= step)) {
        s.value /= step;
        ++s.unit;
    }
    return s;
}

std::string threeFigures(const Scaled& s)
{
    if (s.unit == 0)
        return fmt::format("{:.0f}", s.value);
    if (s.value < 9.995)
        return fmt::format("{:.2f}", s.value);
    if (s.value < 99.95)
        return fmt::format("{:.1f}", s.value);
    return fmt::format("{:.0f}", s.value);
}

std::tm localTime(std::int64_t time)
{
    std::tm parts{};
    const auto t = static_cast<std::time_t>(time);
    localtime_r(&t, &parts);
    return parts;
}

} // namespace

std::string formatBytes(std::uint64_t bytes, SizeUnits units)
{
    static constexpr std::array<const char*, 7> binary{"B", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"};
    static constexpr std::array<const char*, 7> decimal{"B", "kB", "MB", "GB", "TB", "PB", "EB"};
    const auto s = scaled(bytes, units);
    return threeFigures(s) + " " + (units == SizeUnits::Binary ? binary : decimal)[s.unit];
}

std::string formatDifference(std::int64_t bytes, SizeUnits units)
{
    if (bytes == 0)
        return "0";
    const auto amount = static_cast<std::uint64_t>(bytes);
    return bytes < 0 ? "\u2212" + formatBytes(0 - amount, units) : "+" + formatBytes(amount, units);
}

std::optional<std::uint64_t> parseSize(std::string_view text)
{
    double amount = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), amount, std::chars_format::fixed);
    if (error != std::errc() || !(amount >= 0) || !std::isfinite(amount))
        return std::nullopt;
    text.remove_prefix(static_cast<std::size_t>(end - text.data()));
    if (text.size() > 1 && text.front() == ' ') // as sizes are written here: "20.0 GiB"
        text.remove_prefix(1);
    std::string unit(text);
    std::transform(unit.begin(), unit.end(), unit.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; });
    if (unit.size() > 1 && (unit.substr(1) == "ib" || unit.substr(1) == "b"))
        unit.resize(1);
    const auto power = unit.empty() ? 0 : std::string_view("bkmgtp").find(unit);
    if (unit.size() > 1 || power == std::string_view::npos)
        return std::nullopt;
    for (std::size_t i = 0; i < power; ++i)
        amount *= 1024;
    constexpr double most = 9.2e18;
    return static_cast<std::uint64_t>(std::min(amount, most));
}

std::string formatCount(std::uint64_t count)
{
    auto digits = std::to_string(count);
    for (auto at = static_cast<std::ptrdiff_t>(digits.size()) - 3; at > 0; at -= 3)
        digits.insert(static_cast<std::size_t>(at), ",");
    return digits;
}

std::string formatItems(std::uint64_t count, const std::string& noun, const std::string& plural)
{
    const auto word = count == 1 ? noun : plural.empty() ? noun + "s" : plural;
    return formatCount(count) + " " + word;
}

std::string formatShare(std::uint64_t part, std::uint64_t whole)
{
    if (whole == 0 || part == 0)
        return "0 %";
    const double share = 100.0 * static_cast<double>(part) / static_cast<double>(whole);
    if (share < 1.0)
        return "under 1 %";
    if (share < 9.95)
        return fmt::format("{:.1f} %", share);
    if (share < 100.0 && share >= 99.5)
        return "over 99 %";
    return fmt::format("{:.0f} %", share);
}

std::string formatWhen(std::int64_t time, std::int64_t now)
{
    static constexpr std::array<const char*, 12> months{"Jan", "Feb", "Mar", "Apr", "May", "Jun",
                                                        "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"};
    const auto then = localTime(time);
    const auto sameDay = [&then](const std::tm& day) {
        return then.tm_year == day.tm_year && then.tm_yday == day.tm_yday;
    };
    if (sameDay(localTime(now)))
        return fmt::format("today {:02}:{:02}", then.tm_hour, then.tm_min);
    if (sameDay(localTime(now - 86400)))
        return fmt::format("yesterday {:02}:{:02}", then.tm_hour, then.tm_min);
    return fmt::format("{} {} {}", then.tm_mday, months[static_cast<std::size_t>(then.tm_mon)], then.tm_year + 1900);
}

std::string formatTime(std::int64_t time)
{
    const auto t = localTime(time);
    return fmt::format("{:04}-{:02}-{:02} {:02}:{:02}:{:02}", t.tm_year + 1900, t.tm_mon + 1, t.tm_mday, t.tm_hour,
                       t.tm_min, t.tm_sec);
}

std::int64_t currentTime()
{
    return std::chrono::duration_cast<std::chrono::seconds>(std::chrono::system_clock::now().time_since_epoch())
        .count();
}

} // namespace kurvo
