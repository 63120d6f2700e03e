// SPDX-License-Identifier: GPL-3.0-or-later
// What is said of changes: as lines, as a table, as a page, by family and by owner, and through a filter.
#include <catch2/catch.hpp>

#include <algorithm>
#include <sstream>

#include <nlohmann/json.hpp>

#include "core/compare/explain.h"
#include "core/report/change_report.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

Sapling owned(std::string name, std::uint64_t bytes, std::uint32_t owner)
{
    auto made = file(std::move(name), bytes);
    made.owner = owner;
    return made;
}

/// A place at two moments: films grew, a log went, notes by somebody else came.
struct TwoMoments {
    std::shared_ptr<const Comparison> comparison;
    std::vector<ChangeLine> lines;

    TwoMoments()
    {
        const auto before = plant(folder("/p", {folder("films", {owned("a.mkv", 1 << 20, 1000), owned("b.mkv", 8192, 1000)}),
                                                owned("old.log", 1 << 21, 0), owned("same.txt", 4096, 1000)}));
        const auto now = plant(folder("/p", {folder("films", {owned("a.mkv", 9 << 20, 1000), owned("b.mkv", 4096, 1000)}),
                                             owned("same.txt", 4096, 1000),
                                             folder("no<te>s, \"all\"", {owned("x.md", 4096, 1001), owned("y.md", 8192, 1001)})}));
        comparison = Comparison::make(now, before, {false});
        lines = changeList(*comparison);
    }
    ChangeReport report() const { return {comparison, lines, 1780000000, 1782600000, "skerry-desk", {{1000, "warden"}, {0, "root"}}}; }
    std::vector<std::string> matching(const std::string& text) const
    {
        const auto parsed = Filter::parse(text);
        REQUIRE(std::holds_alternative<Filter>(parsed));
        FilterContext context;
        context.owners = {{1000, "warden"}, {1001, "ringing"}};
        std::vector<std::string> paths;
        for (const auto& line : matchingLines(comparison, lines, std::get<Filter>(parsed), std::move(context)))
            paths.push_back(comparison->tree()->path(line.node));
        std::sort(paths.begin(), paths.end());
        return paths;
    }
};

} // namespace

TEST_CASE("changes as JSON lines: one object each, and their sum is the difference", "[compare][report]")
{
    const TwoMoments t;
    std::istringstream in(changesAsJsonLines(t.report()));
    std::int64_t sum = 0;
    std::map<std::string, nlohmann::json> by;
    for (std::string line; std::getline(in, line);) {
        const auto object = nlohmann::json::parse(line);
        sum += object["delta_disk_bytes"].get<std::int64_t>();
        by[object["path"]] = object;
    }
    CHECK(by.size() == 4);
    CHECK(sum == t.comparison->net(rootNode, Measure::Disk));
    CHECK(by["/p/films/a.mkv"]["change"] == "grew");
    CHECK(by["/p/films/a.mkv"]["delta_disk_bytes"] == 8 << 20);
    CHECK(by["/p/films/a.mkv"]["disk_bytes"] == 9 << 20);
    CHECK(by["/p/films/b.mkv"]["change"] == "shrank");
    CHECK(by["/p/old.log"]["change"] == "vanished");
    CHECK(by["/p/old.log"]["disk_bytes"] == 1 << 21); // what it was
    CHECK(by["/p/no<te>s, \"all\""]["files"] == 2);
}

TEST_CASE("changes as a table and as a page, whatever the names are", "[compare][report]")
{
    const TwoMoments t;
    const auto csv = changesAsCsv(t.report());
    CHECK(csv.starts_with("change,delta_disk_bytes,disk_bytes,files,path,from_path\r\n"));
    CHECK(std::count(csv.begin(), csv.end(), '\n') == 5);
    CHECK(csv.find("\"/p/no<te>s, \"\"all\"\"\"") != csv.npos);
    const auto html = changesAsHtml(t.report());
    CHECK(html.find("no<te>s") == html.npos);
    CHECK(html.find("no&lt;te&gt;s") != html.npos);
    CHECK(html.find("skerry-desk") != html.npos);
    CHECK(html.find("warden") != html.npos);
    CHECK(html.find("By family") != html.npos);
    CHECK(html.find("What explains") != html.npos);
    // A page of its own: nothing is fetched from anywhere.
    CHECK(html.find("http") == html.npos);
    CHECK(html.find("src=") == html.npos);
}

TEST_CASE("changes by family and by owner", "[compare]")
{
    const TwoMoments t;
    const auto families = changesByFamily(*t.comparison, Measure::Disk);
    REQUIRE(families.size() >= 2);
    CHECK(static_cast<Family>(families[0].key) == Family::Video);
    CHECK(families[0].sums.grown == 8 << 20);
    CHECK(families[0].sums.shrunk == 4096);
    CHECK(families[0].entries == 2);
    std::int64_t sum = 0;
    for (const auto& group : families)
        sum += group.sums.net();
    CHECK(sum == t.comparison->net(rootNode, Measure::Disk)); // folders have no blocks here
    const auto owners = changesByOwner(*t.comparison, Measure::Disk);
    REQUIRE(owners.size() == 3);
    CHECK(owners[0].key == 1000);
    CHECK(owners[1].key == 0);
    CHECK(owners[1].sums.net() == -(1 << 21));
    // Of one folder only.
    const auto films = t.comparison->atNow(*t.comparison->now().find("/p/films"));
    CHECK(changesByOwner(*t.comparison, Measure::Disk, films).size() == 1);
    CHECK(changesByFamily(*t.comparison, Measure::Files)[0].entries >= 1);
}

TEST_CASE("a filter on changes: kinds, deltas, sizes as they are now, names and owners", "[compare][filter]")
{
    const TwoMoments t;
    using Paths = std::vector<std::string>;
    CHECK(t.matching("change:grew") == Paths{"/p/films/a.mkv"});
    CHECK(t.matching("change:vanished,shrank") == Paths{"/p/films/b.mkv", "/p/old.log"});
    CHECK(t.matching("delta>1M") == Paths{"/p/films/a.mkv"});
    CHECK(t.matching("delta<-1M") == Paths{"/p/old.log"});
    CHECK(t.matching("delta<0") == Paths{"/p/films/b.mkv", "/p/old.log"});
    CHECK(t.matching("size>=9M") == Paths{"/p/films/a.mkv"});
    CHECK(t.matching("size:4K") == Paths{"/p/films/b.mkv"}); // its size now
    CHECK(t.matching("*.mkv not change:grew") == Paths{"/p/films/b.mkv"});
    CHECK(t.matching("owner:warden") == Paths{"/p/films/a.mkv", "/p/films/b.mkv"});
    CHECK(t.matching("").size() == 4);

    const auto wrong = [](const std::string& text) {
        const auto parsed = Filter::parse(text);
        const auto* error = std::get_if<FilterError>(&parsed);
        return error ? error->sentence : std::string();
    };
    CHECK(wrong("change:bigger").find("appeared, vanished, grew, shrank, moved") != std::string::npos);
    CHECK(wrong("delta>lots").find("no change in size") != std::string::npos);
    CHECK(wrong("change>grew").find("is not compared") != std::string::npos);
    // Where nothing was compared, nothing changed.
    const auto tree = plant(folder("/p", {file("x", 512)}));
    for (const auto* text : {"change:grew", "delta>0"})
        CHECK(matchingFiles(*tree, std::get<Filter>(Filter::parse(text)).bind(*tree, {})).empty());
    const auto offers = filterOffers("change:v", {});
    CHECK(offers == std::vector<std::string>{"change:vanished"});
}

TEST_CASE("each entry by itself, or below one folder only", "[compare]")
{
    const TwoMoments t;
    const auto each = changeList(*t.comparison, {Measure::Disk, true, rootNode});
    CHECK(each.size() == t.lines.size() + 2); // the two notes
    std::int64_t sum = 0;
    for (const auto& line : each)
        sum += line.delta;
    CHECK(sum == t.comparison->net(rootNode, Measure::Disk));
    const auto films = t.comparison->atNow(*t.comparison->now().find("/p/films"));
    REQUIRE(films != noNode);
    CHECK(changeList(*t.comparison, {Measure::Disk, false, films}).size() == 2);
    CHECK(t.comparison->atNow(*t.comparison->now().find("/p/same.txt")) == noNode);
    const auto gone = t.comparison->atBefore(*t.comparison->before().find("/p/old.log"));
    REQUIRE(gone != noNode);
    CHECK(t.comparison->pathBefore(gone) == "/p/old.log");
    // By number of files: two came, one went.
    CHECK(t.comparison->net(rootNode, Measure::Files) == 1);
}
