// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cstdlib>

#include "run_kurvoctl.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("kurvoctl leads: as text and as JSON, put aside and brought back", "[kurvoctl][leads]")
{
    const TestFolder t;
    for (int i = 0; i < 3; ++i)
        t.file("place/work/film-" + std::to_string(i) + ".part", 3 << 20, 1750000000);
    t.file("place/letter.odt", 100000);
    const auto ask = [&](const std::string& more) {
        ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
        return kurvoctl("leads " + quoted(t / "place") + " " + more);
    };
    const auto told = ask("--json");
    CHECK(told.status == 0);
    REQUIRE(told.lines().size() == 1);
    const auto lead = told.lines()[0];
    CHECK(lead["disk_bytes"] >= 9 << 20); // with what lies beside it, where all of this is a temporary folder
    CHECK(lead["disk_bytes"] < 10 << 20);
    CHECK(lead["comes_free_bytes"] == lead["disk_bytes"]);
    CHECK(lead["sentence"].get<std::string>().find(" MiB") != std::string::npos);
    CHECK(lead["paths"].size() >= 1);
    CHECK(lead["grows_bytes_a_month"].is_null());
    const auto text = ask("");
    CHECK(text.out.find(lead["sentence"].get<std::string>()) != std::string::npos);
    CHECK(text.out.find(" MiB in all") != std::string::npos);
    CHECK(ask("--put-aside " + quoted(lead["id"]) + " --note " + quoted("of the survey")).status == 0);
    const auto without = ask("");
    CHECK(without.out.find("Nothing stands out") != std::string::npos);
    CHECK(without.out.find("1 lead was put aside") != std::string::npos);
    CHECK(ask("--bring-back " + quoted(lead["id"])).status == 0);
    CHECK(ask("--json").lines().size() == 1);
    CHECK(ask("--put-aside " + quoted("nothing")).status == 3);
    // Before this machine's list can be understood it is neither used nor overwritten.
    writeAll(t / "data/kurvo/leads-aside.json", "rubbish");
    const auto damaged = ask("");
    CHECK(damaged.err.find("cannot be understood") != std::string::npos);
    CHECK(ask("--put-aside " + quoted(lead["id"])).status == 3);
    CHECK(readAll(t / "data/kurvo/leads-aside.json") == "rubbish");
    ::unsetenv("XDG_DATA_HOME");
}

TEST_CASE("kurvoctl roles and the page to send", "[kurvoctl][leads]")
{
    const TestFolder t;
    t.file("place/film.mkv", 2 << 20);
    t.file("place/odd<b>.part", 5 << 20, 1750000000);
    std::uint64_t disk = 0;
    const auto roles = kurvoctl("roles " + quoted(t / "place") + " --json");
    CHECK(roles.status == 0);
    for (const auto& line : roles.lines())
        disk += line["disk_bytes"].get<std::uint64_t>();
    const auto scanned = kurvoctl("scan " + quoted(t / "place") + " --json").lines()[0];
    CHECK(disk == scanned["disk_bytes"].get<std::uint64_t>());
    const auto page = kurvoctl("export " + quoted(t / "place") + " --format html");
    CHECK(page.status == 0);
    const auto leads = page.out.find("<h2>What stands out</h2>"), folders = page.out.find("<h2>The largest f");
    REQUIRE(leads != std::string::npos);
    CHECK(leads < folders);
    CHECK(page.out.find("odd<b>") == std::string::npos);
    CHECK(page.out.find("<h2>What it is there for</h2>") != std::string::npos);
}
