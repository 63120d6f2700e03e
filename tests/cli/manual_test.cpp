// SPDX-License-Identifier: GPL-3.0-or-later
// What kurvoctl says of itself: help, manual pages, completion.
#include <catch2/catch.hpp>

#include <regex>
#include <set>

#include "cli/run_kurvoctl.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

std::set<std::string> optionsIn(const std::string& text)
{
    std::set<std::string> all;
    const std::regex option("--[a-z][a-z-]*");
    for (std::sregex_iterator at(text.begin(), text.end(), option), end; at != end; ++at)
        all.insert(at->str());
    return all;
}

/// A page as it is read: without its commands, with plain hyphens.
std::string plain(std::string page)
{
    page = std::regex_replace(page, std::regex("\\\\f[BIR]"), "");
    return std::regex_replace(page, std::regex("\\\\-"), "-");
}

std::vector<std::string> commandsIn(const std::string& help)
{
    std::vector<std::string> all;
    std::istringstream lines(help.substr(help.find("Subcommands:")));
    std::string line;
    std::getline(lines, line);
    while (std::getline(lines, line) && line.starts_with("  "))
        all.push_back(line.substr(2, line.find(' ', 2) - 2));
    return all;
}

} // namespace

TEST_CASE("each command has a manual page with each of its options, and no other", "[cli][manual]")
{
    TestFolder t;
    REQUIRE(kurvoctl("manual '" + t.path() + "'").status == 0);
    const auto help = kurvoctl("--help").out;
    const auto overview = plain(readAll(t / "kurvoctl.1"));
    const auto common = optionsIn(help);
    for (const auto& option : common)
        CHECK(overview.find(option) != overview.npos);
    const auto commands = commandsIn(help);
    CHECK(commands.size() >= 16);
    for (const auto& command : commands) {
        INFO(command);
        CHECK(overview.find("kurvoctl-" + command + " (1)") != overview.npos);
        auto said = kurvoctl(command + " --help").out;
        if (said.find("Subcommands:") != said.npos) {
            const auto below = commandsIn(said);
            for (const auto& one : below)
                said += kurvoctl(command + " " + one + " --help").out;
        }
        auto page = plain(readAll(t / ("kurvoctl-" + command + ".1")));
        CHECK(page.find(".TH kurvoctl-" + command + " 1") != page.npos);
        CHECK(optionsIn(page) == optionsIn(said));
    }
    CHECK(kurvoctl("manual /proc/none").status == 3);
}

TEST_CASE("the window's manual page has each of its options, and no other", "[cli][manual]")
{
    TestFolder t;
    REQUIRE(std::system(("QT_QPA_PLATFORM=offscreen " KURVO_PROGRAM " --help >'" + (t / "help") + "'").c_str()) == 0);
    const auto page = plain(readAll(KURVO_SOURCE "/packaging/man/kurvo.1.in"));
    CHECK(optionsIn(page) == optionsIn(readAll(t / "help")));
}

TEST_CASE("version and day are the same wherever they stand", "[cli][manual]")
{
    const auto project = readAll(KURVO_SOURCE "/CMakeLists.txt");
    std::smatch found;
    REQUIRE(std::regex_search(project, found, std::regex("project\\(kurvo VERSION ([0-9.]+)")));
    const std::string version = found[1];
    REQUIRE(std::regex_search(project, found, std::regex("KURVO_RELEASED ([0-9-]+)")));
    const std::string day = found[1];
    CHECK(kurvoctl("--version").out.starts_with("kurvoctl " + version + "\n"));
    CHECK(readAll(KURVO_SOURCE "/packaging/debian/changelog").starts_with("kurvo (" + version + ") "));
    CHECK(readAll(KURVO_SOURCE "/CHANGELOG.md").find("## [" + version + "] - " + day) != std::string::npos);
    CHECK(readAll(KURVO_SOURCE "/packaging/desktop/org.kurvo.Kurvo.metainfo.xml")
              .find("<release version=\"" + version + "\" date=\"" + day + "\">") != std::string::npos);
}

TEST_CASE("help is about commands and topics", "[cli][manual]")
{
    CHECK(kurvoctl("help").out.find("snapshot-format") != std::string::npos);
    CHECK(kurvoctl("help filter").out.starts_with("# "));
    CHECK(kurvoctl("help scan").out.find("--cross-mounts") != std::string::npos);
    const auto wrong = kurvoctl("help nonsense");
    CHECK(wrong.status == 2);
    CHECK(wrong.out.empty());
    const auto version = kurvoctl("--version").out;
    CHECK(version.starts_with("kurvoctl 0."));
    CHECK(version.find("glibc") != std::string::npos);
}

TEST_CASE("completion offers commands, options, values, fields, snapshots and runs", "[cli][manual]")
{
    TestFolder t;
    t.file("place/a", 4000);
    ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
    const auto offers = [&](const std::string& words) {
        auto out = kurvoctl("complete -- " + words).out;
        std::set<std::string> all;
        std::istringstream lines(out);
        for (std::string line; std::getline(lines, line);)
            all.insert(line.substr(0, line.find('\t')));
        return all;
    };
    using Words = std::set<std::string>;
    CHECK(offers("led") == Words{"ledger"});
    CHECK(offers("''").contains("scan"));
    CHECK_FALSE(offers("''").contains("act-helper"));
    CHECK(offers("scan --ex") == Words{"--exclude"});
    CHECK(offers("scan --pat") == Words{"--patience"});
    CHECK(offers("scan --exclude '*.iso' ''") == Words{":files"});
    CHECK(offers("export --format ''") == Words{"jsonl", "csv", "html"});
    CHECK(offers("plan ''").contains("apply"));
    CHECK(offers("plan make --action mo") == Words{"move"});
    CHECK(offers("plan make --to ''") == Words{":folders"});
    CHECK(offers("largest . --where 'size>1M ow'") == Words{"size>1M owner:"});
    CHECK(offers("help fil") == Words{"filter"});
    CHECK(offers("completion ''") == Words{"bash", "zsh", "fish"});
    CHECK(offers("scan --threads ''").empty());
    REQUIRE(kurvoctl("snapshot take '" + (t / "place") + "'").status == 0);
    const auto kept = offers("largest ''");
    CHECK(kept.size() == 2); // and :files
    CHECK(kept.contains(":files"));
    ::unsetenv("XDG_DATA_HOME");
    for (const auto* shell : {"bash", "zsh", "fish"}) {
        const auto script = kurvoctl(std::string("completion ") + shell);
        CHECK(script.status == 0);
        CHECK(script.out.find("kurvoctl complete -- ") != std::string::npos);
    }
    CHECK(kurvoctl("completion tcsh").status == 2);
}
