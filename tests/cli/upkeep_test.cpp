// SPDX-License-Identifier: GPL-3.0-or-later
// upkeep and watch, as they are typed.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include "cli/run_kurvoctl.h"
#include "core/base/figures.h"
#include "core/platform/drives.h"
#include "core/snapshot/catalogue.h"
#include "core/upkeep/timer.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

bool has(const std::string& text, const std::string& words)
{
    return text.find(words) != std::string::npos;
}

} // namespace

TEST_CASE("a rule is made, looked at, switched on and off, and removed", "[cli][upkeep]")
{
    const OwnSettings o;
    const auto film = o.t.file("place/films/old.mkv", 300'000, 1600000000);
    o.t.file("place/papers/a.odt", 1000);
    CHECK(kurvoctl("upkeep list --json").lines().size() == 8); // those that are ready
    const auto place = o.t / "place";
    CHECK(kurvoctl("upkeep make films '" + place + "' --where '*.mkv' --older-than-days 90 --do trash").status == 2);
    CHECK(kurvoctl("upkeep make films '" + place + "' --where '*.mkv' --trash").status == 2);
    CHECK(kurvoctl("upkeep make films '" + place + "' --where 'sise>3'").status == 2);
    CHECK(kurvoctl("upkeep make films '" + place + "' --where '*.mkv' --more-than lots").status == 2);
    const auto make = "upkeep make films '" + place + "' --where '*.mkv' --older-than-days 90 --do trash --most 20G";
    CHECK(kurvoctl(make).status == 0);
    CHECK(kurvoctl(make).status == 3); // it is there
    CHECK(kurvoctl(make + " --force").status == 0);
    const auto looked = kurvoctl("upkeep run films --dry-run --json");
    REQUIRE(looked.status == 0);
    CHECK(looked.lines()[0]["rule"] == "films");
    REQUIRE(looked.lines()[0]["items"].size() == 1);
    CHECK(looked.lines()[0]["items"][0]["path"] == film);
    CHECK(has(looked.lines()[0]["items"][0]["held"], "within the last hour")); // the test has just made it
    const auto on = kurvoctl("upkeep on films");
    CHECK(has(on.out, "films is on."));
    CHECK(has(on.out, film)); // seen before
    CHECK(kurvoctl("upkeep list --json").lines()[0]["on"] == true);
    CHECK(kurvoctl("upkeep run").status == 0);
    CHECK(exists(film));
    CHECK(kurvoctl("upkeep off films").status == 0);
    CHECK(has(kurvoctl("upkeep show films").out, "Off"));
    CHECK(kurvoctl("upkeep remove films").status == 0);
    for (const char* command : {"remove films", "on films", "show films", "run films", "off ../films"})
        CHECK(kurvoctl(std::string("upkeep ") + command).status == 3);
}

TEST_CASE("what a rule tells is told once by the timer, and its exit status says so", "[cli][upkeep]")
{
    const OwnSettings o;
    o.t.file("place/disk.iso", 300'000, 1600000000);
    REQUIRE(kurvoctl("upkeep make isos '" + (o.t / "place") + "' --where '*.iso'").status == 0);
    kurvoctl("upkeep on isos");
    const auto first = kurvoctl("upkeep run --by-timer");
    CHECK(first.status == 1);
    CHECK(has(first.out, "disk.iso"));
    const auto second = kurvoctl("upkeep run --by-timer");
    CHECK(second.status == 1);
    CHECK(second.out.empty());
    // A rule that is mistaken does not keep the others from working.
    o.t.text("config/kurvo/upkeep/wrong.toml", "place = 5\n");
    const auto third = kurvoctl("upkeep run");
    CHECK(has(third.err, "wrong.toml:1:"));
    CHECK(has(third.out, "disk.iso"));
    // Now is before the last run.
    o.t.text("data/kurvo/upkeep.json", "{\"last_run\": " + std::to_string(currentTime() + 86400) + "}");
    const auto clock = kurvoctl("upkeep run");
    CHECK(clock.status == 3);
    CHECK(has(clock.err, "clock"));
    CHECK(kurvoctl("upkeep run --clock-is-right").status == 1);
}

TEST_CASE("watch warns of a drive that fills, in words, JSON and figures for collectors", "[cli][upkeep][mount]")
{
    if (!canMount())
        return;
    const OwnSettings o;
    const TmpfsMount drive(o.t / "drive", "size=64m");
    const auto file = o.t.file("drive/a", 40 << 20);
    const auto scan = kurvo::scan(drive.path());
    REQUIRE(scan);
    auto info = describeScan(*scan);
    const auto capacity = info.capacity;
    // It grew by 2 MiB a day: the rest is full in some days.
    for (int daysAgo = 10; daysAgo >= 1; --daysAgo) {
        info.taken = currentTime() - daysAgo * std::int64_t{86400};
        info.capacity.used = capacity.used - static_cast<std::uint64_t>(daysAgo) * (2 << 20);
        info.capacity.free = capacity.total - info.capacity.used;
        REQUIRE(addSnapshot(o.t / "data/kurvo/snapshots", info, *scan->tree));
    }
    const auto calm = kurvoctl("watch '" + drive.path() + "' --warn-days 3 --json");
    CHECK(calm.status == 0);
    CHECK(calm.lines()[0]["days_left"] > 8);
    CHECK(calm.lines()[0]["days_left"] < 16);
    const auto warned = kurvoctl("watch '" + drive.path() + "' --warn-days 20");
    CHECK(warned.status == 1);
    CHECK(has(warned.out, "warning: "));
    const auto metrics = kurvoctl("watch '" + drive.path() + "' --metrics").out;
    CHECK(has(metrics, "kurvo_drive_full_seconds{place=\"" + drive.path() + "\"} "));
    CHECK(metrics.ends_with("# EOF\n"));
    CHECK(kurvoctl("watch '" + (o.t / "nowhere") + "'").status == 3);
}

TEST_CASE("systemd takes the units as they are written", "[cli][upkeep]")
{
    if (::access("/usr/bin/systemd-analyze", X_OK) != 0)
        return;
    const TestFolder t;
    const auto program = t.text("a b%/kurvoctl", "#!/bin/sh\n");
    REQUIRE(::chmod(program.c_str(), 0755) == 0);
    t.folder("run");
    const auto verifies = [&](const std::string& service) {
        t.text("kurvo-upkeep.service", service);
        t.text("kurvo-upkeep.timer", upkeepTimer());
        return std::system(("XDG_RUNTIME_DIR='" + (t / "run") + "' systemd-analyze verify --user '" +
                            (t / "kurvo-upkeep.service") + "' '" + (t / "kurvo-upkeep.timer") + "' 2>&1 | grep -q .")
                               .c_str()) != 0;
    };
    CHECK(verifies(upkeepService(program)));
    CHECK_FALSE(verifies(upkeepService(t / "nowhere/kurvoctl")));
}
