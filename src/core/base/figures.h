// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers as people read them: sizes, counts, shares, dates. One way for all three programs.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>

namespace kurvo {

enum class SizeUnits {
    Binary, ///< KiB = 1024 bytes (IEC 80000-13); the default
    Decimal ///< kB = 1000 bytes
};

/// "96.4 GiB": three significant figures; whole bytes below one KiB ("512 B"). Rounds half away from zero and moves
/// to the next unit where rounding would show 1000 or 1024 of the lower one.
std::string formatBytes(std::uint64_t bytes, SizeUnits units = SizeUnits::Binary);

/// What something changed by: "+18.0 GiB", "−512 B" (with a minus sign, not a hyphen), "0".
std::string formatDifference(std::int64_t bytes, SizeUnits units = SizeUnits::Binary);

/// The reverse of formatBytes(), as a person types it: "500", "20K", "1.5GiB"; K, M, G, T and P are powers of 1024 and
/// case does not matter. Nothing for what is no size.
std::optional<std::uint64_t> parseSize(std::string_view text);

/// "1,204,331"
std::string formatCount(std::uint64_t count);

/// "1 item", "2 items": the count with its noun; the plural is `noun` + "s" unless given.
std::string formatItems(std::uint64_t count, const std::string& noun, const std::string& plural = {});

/// "71 %"; "under 1 %" for what is there but small, "7.9 %" below ten.
std::string formatShare(std::uint64_t part, std::uint64_t whole);

/// Local time: "today 09:12", "yesterday 17:40", else "3 Nov 2024". `now` and `time` are UTC seconds since 1970.
std::string formatWhen(std::int64_t time, std::int64_t now);

/// Local time in full, "2026-06-19 08:40:02".
std::string formatTime(std::int64_t time);

/// The system clock in UTC seconds.
std::int64_t currentTime();

} // namespace kurvo
