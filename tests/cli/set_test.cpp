// SPDX-License-Identifier: GPL-3.0-or-later
// Sets of places, from the command line.
#include <catch2/catch.hpp>

#include <filesystem>

#include <nlohmann/json.hpp>

#include "cli/run_kurvoctl.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("a set is kept, scanned, told of over time, and given to other commands", "[cli][sets]")
{
    const TestFolder t;
    t.file("desk/a.mkv", 900000);
    t.file("archive/old.mkv", 500000);
    const auto kept = " --in '" + (t / "kept") + "'";
    const auto keep = [&](const std::string& name, const std::string& places) {
        return kurvoctl("set keep '" + name + "' " + places + kept);
    };
    CHECK(kurvoctl("set" + kept).out.find("No set is kept yet") == 0);
    CHECK(keep("Desk and archive", "'" + (t / "desk") + "'").err.find("two places at least") != std::string::npos);
    CHECK(keep("x", "'" + (t / "desk") + "' '" + (t / "nowhere") + "'").err.find("no snapshot of it") !=
          std::string::npos);
    REQUIRE(keep("Desk and archive", "'" + (t / "desk") + "' '" + (t / "archive") + "'").status == 0);
    CHECK(kurvoctl("set list" + kept).out == "Desk and archive: desk, archive. Not all of it was scanned.\n");
    const auto none = kurvoctl("set history 'desk and archive'" + kept);
    CHECK(none.status == 3);
    CHECK(none.err.find("no time at which all of Desk and archive") != std::string::npos);

    REQUIRE(kurvoctl("set take 'Desk and archive'" + kept).status == 0);
    t.file("desk/b.mkv", 700000);
    (void)!std::system("sleep 1.1"); // times of scans are seconds
    REQUIRE(kurvoctl("snapshot take '" + (t / "desk") + "'" + kept).status == 0);
    const auto history = kurvoctl("set history 'Desk and archive' --json" + kept).lines();
    REQUIRE(history.size() == 2);
    CHECK(history[1]["disk_bytes"].get<int>() - history[0]["disk_bytes"].get<int>() >= 700000);
    CHECK(history[1]["places"][1]["taken"] == history[0]["places"][1]["taken"]); // the archive was scanned once
    CHECK(kurvoctl("set history 'Desk and archive'" + kept).out.find("archive ") != std::string::npos);

    // For whatever takes several snapshots.
    const auto files = kurvoctl("set files 'Desk and archive'" + kept);
    CHECK(std::count(files.out.begin(), files.out.end(), '\n') == 2);
    const auto newest = files.out.substr(0, files.out.find('\n'));
    const auto types = kurvoctl("types --together --json '" + newest + "' '" +
                                files.out.substr(newest.size() + 1, files.out.size() - newest.size() - 2) + "'")
                           .lines();
    REQUIRE(types.size() == 1);
    CHECK(types[0]["files"] == 3);

    // What is not here is said, and the rest is done.
    std::filesystem::remove_all(t / "archive");
    const auto less = kurvoctl("set take 'Desk and archive'" + kept);
    CHECK(less.status == 1);
    CHECK(less.err.find("archive is not here") != std::string::npos);
    CHECK(kurvoctl("set rename 'Desk and archive' Both" + kept).status == 0);
    const auto wrong = kurvoctl("set files 'Desk and archive'" + kept);
    CHECK(wrong.status == 3);
    CHECK(wrong.err.find("There are: Both.") != std::string::npos);
    CHECK(kurvoctl("set remove Both" + kept).status == 0);
    CHECK(kurvoctl("set list --json" + kept).out.empty());
    // A file that somebody has broken stays as it is.
    t.text("kept/sets.toml", "[[set]]\nname = \n");
    const auto broken = keep("x", "'" + (t / "desk") + "' '" + t.folder("other") + "'");
    CHECK(broken.status == 3);
    CHECK(broken.err.find("sets.toml, line 2") != std::string::npos);
    CHECK(readAll(t / "kept/sets.toml") == "[[set]]\nname = \n");
}
