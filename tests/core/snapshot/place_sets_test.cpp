// SPDX-License-Identifier: GPL-3.0-or-later
// Sets of places, and their history.
#include <catch2/catch.hpp>

#include <filesystem>
#include <thread>

#include "core/compare/joint_history.h"
#include "core/platform/folders.h"
#include "core/snapshot/place_sets.h"
#include "core/snapshot/together.h"
#include "core/upkeep/rule.h"
#include "support/mounts.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

SnapshotInfo placeAt(const std::string& path, const std::string& name, const std::string& uuid = {})
{
    SnapshotInfo info;
    info.place = info.mountPoint = path;
    info.placeName = name;
    info.host = hostName();
    info.filesystem = "ext4";
    info.filesystemUuid = uuid;
    return info;
}

/// A scan of that place, in a file of that name.
CatalogueEntry scanOf(SnapshotInfo place, std::int64_t taken, std::uint64_t used, const std::string& file = "x.kurvo")
{
    place.taken = taken;
    place.capacity = {1000, used, 0, 1000 - used};
    place.diskBytes = used;
    return {file, place, 0, {}};
}

} // namespace

TEST_CASE("a set is kept, found by its name, renamed and removed", "[sets]")
{
    TestFolder t;
    const auto desk = placeAt("/", "Desk \"main\"", "11-aa"), archive = placeAt("/mnt/a\xffrchive %41", "archive");
    CHECK(readSets(t.path())->empty());
    REQUIRE(keepSet(t.path(), {"Desk and archive", {desk, archive}}));
    auto sets = *readSets(t.path());
    REQUIRE(sets.size() == 1);
    REQUIRE(setNamed(sets, "desk AND archive"));
    CHECK(sets[0].places[0].placeName == "Desk \"main\"");
    CHECK(sets[0].places[0].filesystemUuid == "11-aa");
    CHECK(sets[0].places[1].place == archive.place); // byte for byte
    CHECK(isOnePlace(sets[0].places[1], archive));
    // Kept again it takes its own place; another stands beside it.
    REQUIRE(keepSet(t.path(), {"Desk and Archive", {archive, desk}}));
    REQUIRE(keepSet(t.path(), {"Other", {desk, archive}}));
    sets = *readSets(t.path());
    REQUIRE(sets.size() == 2);
    CHECK(sets[0].places[0].place == archive.place);
    CHECK(renameSet(t.path(), "Other", "Desk and archive").error().sentence.find("already") != std::string::npos);
    CHECK(renameSet(t.path(), "Nobody", "x").error().kind == ErrorKind::NotFound);
    REQUIRE(renameSet(t.path(), "Other", "Both"));
    REQUIRE(removeSet(t.path(), "both"));
    CHECK(removeSet(t.path(), "both").error().kind == ErrorKind::NotFound);
    CHECK(readSets(t.path())->size() == 1);
    REQUIRE(removeSet(t.path(), "desk and archive"));
    REQUIRE(readSets(t.path()));
    CHECK(readSets(t.path())->empty());
}

TEST_CASE("what is no set is refused in a sentence, and nothing is lost", "[sets]")
{
    TestFolder t;
    auto elsewhere = placeAt("/", "Other desk");
    elsewhere.host = "elsewhere";
    CHECK_FALSE(keepSet(t.path(), {"One", {placeAt("/", "Desk")}}));
    CHECK_FALSE(keepSet(t.path(), {"", {placeAt("/", "Desk"), placeAt("/a", "A")}}));
    const auto refused = keepSet(t.path(), {"Two machines", {placeAt("/a", "A"), elsewhere}});
    CHECK(refused.error().sentence.find("another machine") != std::string::npos);
    const auto desk = placeAt("/", "Desk", "11"), archive = placeAt("/mnt", "Archive", "22");
    auto home = placeAt("/home", "Home", "11");
    home.mountPoint = "/";
    CHECK(keepSet(t.path(), {"Twice", {archive, desk, desk}}).error().sentence == "/ is named twice.");
    CHECK(keepSet(t.path(), {"Inside", {archive, home, desk}}).error().sentence.find("/home lies in /") == 0);
    CHECK(keepSet(t.path(), {"Mounted in it", {archive, desk}}));
    // What is beyond what is read of a file would be lost.
    const auto large = t.text("sets.toml", std::string(2 << 20, '#'));
    CHECK_FALSE(keepSet(t.path(), {"Both", {archive, desk}}));
    CHECK(readAll(large).size() == 2 << 20);
    for (const char* text :
         {"[[set]]\nname = 3\n", "set = 1", "[[set]]\nname = \"x\"\n", "\xff\xff", "[[set]]\nname=\"x\"\nplace=[7]",
          "[[set]]\nname=\"x\"\n[[set.place]]\npath=\"relative\"\n",
          "[[set]]\nname=\"x\"\nplace=[{path=\"/a\", what=1}]"}) {
        INFO(text);
        const auto file = t.text("sets.toml", text);
        const auto read = readSets(t.path());
        REQUIRE_FALSE(read);
        CHECK(read.error().sentence.find("sets.toml, line") != std::string::npos);
        CHECK_FALSE(keepSet(t.path(), {"Both", {placeAt("/", "Desk"), placeAt("/a", "A")}}));
        CHECK(readAll(file) == text);
    }
}

TEST_CASE("two who write sets at once both have theirs", "[sets]")
{
    TestFolder t;
    const auto keep = [&](const std::string& name) {
        for (int i = 0; i < 20; ++i)
            REQUIRE(keepSet(t.path(), {name + std::to_string(i), {placeAt("/", "Desk"), placeAt("/a", "A")}}));
    };
    std::thread other([&] { keep("a"); });
    keep("b");
    other.join();
    CHECK(readSets(t.path())->size() == 40);
}

TEST_CASE("a place of a set is found where it is mounted now, or by its newest snapshot", "[sets][mount]")
{
    TestFolder t;
    const auto home = t.folder("home");
    PlaceSet set{"Both", {describePlace(home), describePlace(t / "gone")}};
    Catalogue catalogue;
    catalogue.entries = {scanOf(set.places[1], 200, 5, "new"), scanOf(set.places[1], 100, 5, "old")};
    catalogue.entries[0].info.partial = true;
    auto now = whereIs(set, catalogue);
    REQUIRE(now.size() == 2);
    CHECK(now[0].path == home);
    CHECK_FALSE(now[0].newest);
    CHECK(now[1].path.empty());
    REQUIRE(now[1].newest);
    CHECK(now[1].newest->path == "old");
    if (!canMount())
        return;
    auto first = std::make_unique<LoopMount>(t / "one", "mkfs.ext4 -q", 16);
    t.folder("one/films");
    set.places = {describePlace(t / "one/films")};
    const auto image = first->image();
    REQUIRE(std::system(("umount '" + first->path() + "' && mkdir -p '" + (t / "two") + "' && mount -o loop '" + image +
                         "' '" + (t / "two") + "'")
                            .c_str()) == 0);
    CHECK(whereIs(set, {})[0].path == t / "two/films");
    REQUIRE(std::system(("umount '" + (t / "two") + "'").c_str()) == 0);
    CHECK(whereIs(set, {})[0].path.empty());
}

TEST_CASE("the history of several places has points where all are known", "[sets][history]")
{
    const auto desk = placeAt("/", "Desk"), archive = placeAt("/a", "Archive");
    auto stopped = scanOf(archive, 9 * daySeconds, 999);
    stopped.info.partial = true;
    const auto points = jointHistory(
        {{scanOf(desk, 1 * daySeconds, 100), scanOf(desk, 4 * daySeconds, 200), scanOf(desk, 8 * daySeconds, 300)},
         {scanOf(archive, 4 * daySeconds + 600, 50), stopped, scanOf(archive, 6 * daySeconds, 70)}},
        "Both");
    REQUIRE(points.size() == 3);
    // Scanned in one go: one point; the desk's first scan has nothing beside it.
    CHECK(points[0].info.taken == 4 * daySeconds + 600);
    CHECK(points[0].info.capacity.used == 250);
    CHECK(points[0].isOlder == std::vector<bool>{false, false});
    CHECK(points[1].info.capacity.used == 270);
    CHECK(points[1].isOlder == std::vector<bool>{true, false});
    CHECK(points[2].info.taken == 8 * daySeconds);
    CHECK(points[2].info.capacity.used == 370);
    CHECK(points[2].isOlder == std::vector<bool>{false, true});
    CHECK(points[2].info.placeName == "Both");
    CHECK(useOfDrive(asPlaceHistory(points)).size() == 3);
    // One that was scanned twice in an hour has both.
    CHECK(jointHistory({{scanOf(desk, 100, 1), scanOf(desk, 200, 2)}, {scanOf(archive, 150, 3)}}, "x").size() == 2);
    CHECK(jointHistory({{scanOf(desk, 100, 1)}, {}}, "x").empty());
}

TEST_CASE("several folders of one drive count its capacity once", "[sets][history]")
{
    auto a = scanOf(placeAt("/home/a", "a", "11"), 100, 500).info,
         b = scanOf(placeAt("/home/b", "b", "11"), 50, 500).info;
    a.owners = {{0, "root"}, {7, "seven"}};
    b.owners = {{7, "seven"}, {9, "nine"}};
    a.exclude = b.exclude = {"*.iso"};
    const auto all = addedUp({a, b}, namesOf({a, b}));
    CHECK(all.placeName == "a, b");
    CHECK(all.capacity.total == 1000);
    CHECK(all.diskBytes == 1000);
    CHECK(all.taken == 50); // the oldest decides what is known
    CHECK(all.owners.size() == 3);
    CHECK(all.exclude == std::vector<std::string>{"*.iso"});
}

TEST_CASE("an earlier point is read as one tree, each place under its path of today", "[sets][history]")
{
    TestFolder t;
    const auto write = [&](const char* file, const char* path, std::uint64_t bytes) {
        const auto tree = plant(folder(path, {test::file("a", bytes)}));
        SnapshotInfo info = placeAt(path, file);
        REQUIRE(writeSnapshot(t / file, info, *tree));
        return CatalogueEntry{t / file, info, 0, {}};
    };
    JointPoint point;
    point.scans = {write("desk.kurvo", "/", 1000), write("archive.kurvo", "/run/media/archive", 2000)};
    const auto tree = readTogether(point, {"/", "/media/archive"});
    REQUIRE(tree);
    CHECK((*tree)->find("/media/archive/a"));
    CHECK((*tree)->apparent(rootNode) == 3000);
    // What is open and not kept yet comes from there.
    point.scans[0].path.clear();
    CHECK(readTogether(point, {"/", "/media/archive"}).error().sentence.find("not kept yet") != std::string::npos);
    const auto again = readTogether(point, {"/", "/media/archive"}, *tree);
    REQUIRE(again);
    CHECK((*again)->apparent(rootNode) == 3000);
    std::filesystem::remove(t / "archive.kurvo");
    CHECK_FALSE(readTogether(point, {"/", "/media/archive"}, *tree));
}
