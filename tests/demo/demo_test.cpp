// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include "core/find/largest.h"
#include "core/snapshot/catalogue.h"
#include "demo/demo_data.h"
#include "demo/practice.h"
#include "demo/world.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const Snapshot& month(int m)
{
    static std::map<int, Snapshot> made;
    const auto found = made.find(m);
    return found != made.end() ? found->second : made.emplace(m, demo::systemDrive(m)).first->second;
}

std::uint64_t sizeOf(int m, const std::string& path)
{
    const auto& tree = *month(m).tree;
    const auto node = tree.find(path);
    return node ? tree.disk(*node) : 0;
}

constexpr std::uint64_t GiB = std::uint64_t{1} << 30;

} // namespace

TEST_CASE("the drive of the demo is of life size and its figures hold together", "[demo]")
{
    const auto& june = month(5);
    const auto entries = june.tree->sums(rootNode).files + june.tree->sums(rootNode).folders;
    CHECK(entries > 280000);
    CHECK(entries < 340000);
    CHECK(june.tree->disk(rootNode) > 300 * GiB);
    const auto& c = june.info.capacity;
    CHECK(c.total == c.used + c.reserved + c.free);
    CHECK(c.used >= june.tree->disk(rootNode));
    CHECK(june.info.sample);
    CHECK(june.info.unreadable == 14);
    CHECK(ownerName(june.info, 1001) == "ringing");
}

TEST_CASE("the same seed makes the same drive", "[demo]")
{
    const auto again = demo::systemDrive(2);
    CHECK(again.tree->disk(rootNode) == month(2).tree->disk(rootNode));
    CHECK(summarize(*again.tree, rootNode) == summarize(*month(2).tree, rootNode));
}

TEST_CASE("the stories of the demo are in it", "[demo]")
{
    for (int m = 1; m < demo::monthCount; ++m) {
        INFO("month " << m);
        CHECK(sizeOf(m, "/home/warden/.cache/tide-maps") > sizeOf(m - 1, "/home/warden/.cache/tide-maps") + 5 * GiB);
        CHECK(sizeOf(m, "/var/log/recorder.log") > sizeOf(m - 1, "/var/log/recorder.log"));
    }
    const auto& june = *month(5).tree;
    const auto at = [&june](const char* path) { return *june.find(path); };
    CHECK(june.isHidden(at("/home/warden/.cache/tide-maps")));
    CHECK(june.apparent(at("/var/lib/recorder/ring.buf")) > 10 * june.disk(at("/var/lib/recorder/ring.buf")));
    CHECK(june.files(at("/home/warden/Nest camera")) > 90000);
    CHECK(june.apparent(at("/home/ringing/Recordings copy/2025-autumn")) ==
          june.apparent(at("/home/warden/Recordings/2025-autumn")));
    // The survey moved in April, with its inodes.
    CHECK(sizeOf(2, "/home/warden/Desktop/Gull survey") == sizeOf(3, "/home/ringing/Surveys/Gull survey"));
    CHECK(sizeOf(3, "/home/warden/Desktop/Gull survey") == 0);
    const auto& march = *month(2).tree;
    const auto& april = *month(3).tree;
    CHECK(march.store().inode(*march.find("/home/warden/Desktop/Gull survey/plot-0007.tif")) ==
          april.store().inode(*april.find("/home/ringing/Surveys/Gull survey/plot-0007.tif")));
    // Backups made of links: a second day costs little.
    const auto backups = at("/var/backups/desk");
    CHECK(june.sums(backups).files == 14 * 850);
    CHECK(june.disk(backups) * 3 < june.files(backups) * 5 * (1 << 20));
    CHECK(june.store().linkSets().size() > 500);
    CHECK(june.sums(at("/home/guest")).newest < 1700000000);
    CHECK(june.sums(at("/boot")).files >= 16);
    CHECK(month(2).tree->disk(rootNode) < month(1).tree->disk(rootNode)); // the clearing in March
}

TEST_CASE("the demo's data is made once and then left as it is", "[demo]")
{
    TestFolder t;
    const auto folders = demo::demoFolders(t / "data");
    std::vector<std::string> steps;
    REQUIRE(demo::prepareDemoData(t / "data", {}, [&steps](const std::string& s) { steps.push_back(s); }));
    CHECK(steps.size() == 10); // the practice folder, six months of the system drive, three of the archive
    const auto catalogue = readCatalogue(folders.snapshots);
    CHECK(catalogue.entries.size() == 9);
    CHECK(catalogue.damaged.empty());
    const auto june = readSnapshot(catalogue.entries[0].path);
    REQUIRE(june);
    CHECK(june->tree->disk(rootNode) == month(5).tree->disk(rootNode));
    const auto marker = folders.practice + "/warden/Recordings/2025-autumn/night-01.flac";
    REQUIRE(::unlink(marker.c_str()) == 0);
    steps.clear();
    REQUIRE(demo::prepareDemoData(t / "data", {}, [&steps](const std::string& s) { steps.push_back(s); }));
    CHECK(steps.empty());
    CHECK_FALSE(exists(marker));
}

TEST_CASE("the practice folder is real and has the stories in small", "[demo]")
{
    TestFolder t;
    REQUIRE(demo::makePracticeFolder(t / "practice"));
    const auto result = scan(t / "practice");
    REQUIRE(result);
    const auto& tree = *result->tree;
    CHECK(tree.disk(rootNode) > 250ull << 20);
    CHECK(tree.disk(rootNode) < 400ull << 20);
    CHECK(tree.name(largestHiddenFile(tree)) == "sheets.mbtiles");
    CHECK(tree.apparent(*tree.find(t / "practice/var/lib/recorder/ring.buf")) == 2ull << 30);
    CHECK(tree.store().linkSets().size() == 7);
    CHECK_FALSE(demo::makePracticeFolder(t / "practice")); // never over something that is there
    CHECK_FALSE(demo::makePracticeFolder("/proc/nowhere/practice"));
}
