// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cstdlib>
#include <ctime>

#include "core/base/figures.h"
#include "core/base/result.h"

using namespace kurvo;

TEST_CASE("sizes have three significant figures and a unit", "[figures]")
{
    CHECK(formatBytes(0) == "0 B");
    CHECK(formatBytes(1) == "1 B");
    CHECK(formatDifference(0) == "0");
    CHECK(formatDifference(1536) == "+1.50 KiB");
    CHECK(formatDifference(-2000, SizeUnits::Decimal) == "\u22122.00 kB");
    CHECK(formatDifference(INT64_MIN) == "\u22128.00 EiB");
    CHECK(formatBytes(1023) == "1023 B");
    CHECK(formatBytes(1024) == "1.00 KiB");
    CHECK(formatBytes(1536) == "1.50 KiB");
    CHECK(formatBytes(10 * 1024) == "10.0 KiB");
    CHECK(formatBytes(100 * 1024) == "100 KiB");
    CHECK(formatBytes(999 * 1024) == "999 KiB");
    CHECK(formatBytes(1000 * 1024) == "0.98 MiB");
    CHECK(formatBytes(1024 * 1024) == "1.00 MiB");
    CHECK(formatBytes(103509760ull * 1000) == "96.4 GiB");
    CHECK(formatBytes(UINT64_MAX) == "16.0 EiB");
}

TEST_CASE("no size is written with a thousand of its unit", "[figures]")
{
    for (std::uint64_t bytes = 1024; bytes < (std::uint64_t{1} << 62); bytes += bytes / 20 + 1) {
        const auto text = formatBytes(bytes);
        const double number = std::atof(text.c_str());
        INFO(bytes << " is " << text);
        CHECK(number >= 0.97);
        CHECK(number < 1000);
        CHECK(text.substr(0, text.find(' ')).size() <= 4);
    }
}

TEST_CASE("decimal units on request", "[figures]")
{
    CHECK(formatBytes(999, SizeUnits::Decimal) == "999 B");
    CHECK(formatBytes(1000, SizeUnits::Decimal) == "1.00 kB");
    CHECK(formatBytes(512110190592, SizeUnits::Decimal) == "512 GB");
    CHECK(formatBytes(999999, SizeUnits::Decimal) == "1.00 MB");
}

TEST_CASE("counts and shares read as words", "[figures]")
{
    CHECK(formatCount(0) == "0");
    CHECK(formatCount(999) == "999");
    CHECK(formatCount(1000) == "1,000");
    CHECK(formatCount(1204331) == "1,204,331");
    CHECK(formatItems(1, "item") == "1 item");
    CHECK(formatItems(2, "item") == "2 items");
    CHECK(formatItems(0, "entry", "entries") == "0 entries");
    CHECK(formatItems(1, "entry", "entries") == "1 entry");
    CHECK(formatShare(71, 100) == "71 %");
    CHECK(formatShare(79, 1000) == "7.9 %");
    CHECK(formatShare(1, 1000) == "under 1 %");
    CHECK(formatShare(0, 1000) == "0 %");
    CHECK(formatShare(5, 0) == "0 %");
    CHECK(formatShare(999, 1000) == "over 99 %");
    CHECK(formatShare(1000, 1000) == "100 %");
}

TEST_CASE("times are shown in local time, near ones by the day", "[figures]")
{
    setenv("TZ", "UTC", 1);
    tzset();
    const std::int64_t now = 1782900000; // 2026-07-01 10:00
    CHECK(formatWhen(now - 3000, now) == "today 09:10");
    CHECK(formatWhen(now - 86400, now) == "yesterday 10:00");
    CHECK(formatWhen(now - 3 * 86400, now) == "28 Jun 2026");
    CHECK(formatTime(now) == "2026-07-01 10:00:00");
    CHECK(formatTime(-1) == "1969-12-31 23:59:59");
    setenv("TZ", "Europe/Berlin", 1);
    tzset();
    CHECK(formatTime(now) == "2026-07-01 12:00:00");
    setenv("TZ", "UTC", 1);
    tzset();
    CHECK(currentTime() > 1700000000);
}

TEST_CASE("an error says what could not be done, to what, and why", "[result]")
{
    const auto missing = systemError("open", "/home/warden/gone", ENOENT);
    CHECK(missing.kind == ErrorKind::NotFound);
    CHECK(missing.sentence == "Could not open /home/warden/gone: it is not there.");
    CHECK(systemError("read", "/root", EACCES).kind == ErrorKind::NoPermission);
    CHECK(systemError("write", "/x", ENOSPC).sentence == "Could not write /x: the disk is full.");
    CHECK(systemError("send the answer", {}, ENOSPC).sentence == "Could not send the answer: the disk is full.");
    CHECK(systemError("write", "/x", ENOSPC).kind == ErrorKind::NoSpace);
    CHECK(systemError("scan", "/x", ENOTDIR).kind == ErrorKind::NotAFolder);
    CHECK(systemError("read", "/x", EMFILE).sentence == "Could not read /x: too many open files.");
    CHECK(systemError("open", "/bad\xff", EIO).sentence.find("\xEF\xBF\xBD") != std::string::npos);

    Result<int> good = 7;
    REQUIRE(good);
    CHECK(*good == 7);
    Result<int> bad = missing;
    REQUIRE_FALSE(bad);
    CHECK(bad.error().sysError == ENOENT);
    CHECK_THROWS(bad.value());
}
