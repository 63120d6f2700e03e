// SPDX-License-Identifier: GPL-3.0-or-later
// Chains of snapshots, what is kept of them, and the history that is read from their indexes.
#include <catch2/catch.hpp>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/compare/place_history.h"
#include "core/find/largest.h"
#include "core/scan/scanner.h"
#include "core/snapshot/catalogue.h"
#include "support/other_reader.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
namespace fs = std::filesystem;

namespace {

SnapshotInfo infoAt(std::int64_t taken)
{
    SnapshotInfo i;
    i.place = "/place";
    i.placeName = "Skerry system";
    i.host = "skerry-desk";
    i.filesystem = "ext4";
    i.mountPoint = "/";
    i.taken = taken;
    i.capacity = {1000ull << 30, 600ull << 30, 0, 400ull << 30};
    return i;
}

/// 5,000 files in folders of 50.
Sapling grove(unsigned seed = 1)
{
    std::mt19937_64 random(seed);
    auto top = folder("/place", {});
    for (int f = 0; f < 100; ++f) {
        top.children.push_back(folder("folder-" + std::to_string(random() % 100000) + "-" + std::to_string(f), {}));
        for (int i = 0; i < 50; ++i) {
            auto one = file("name-" + std::to_string(random() % 10000000), random() % 3000000);
            one.modified = 1600000000 + static_cast<std::int64_t>(random() % 100000000);
            one.inode = 1000 + random() % 5000000;
            top.children.back().children.push_back(one);
        }
    }
    return top;
}

/// One in a hundred changed.
void change(Sapling& top, unsigned seed)
{
    std::mt19937_64 random(seed);
    for (int i = 0; i < 50; ++i) {
        auto& in = top.children[random() % top.children.size()].children;
        auto& one = in[random() % in.size()];
        one.bytes = random() % 3000000;
        one.modified = 1700000000 + static_cast<std::int64_t>(seed);
    }
    top.children[seed % top.children.size()].children.push_back(file("new-" + std::to_string(seed), 5 << 20));
}

std::uint64_t sizeOf(const std::string& path)
{
    return fs::file_size(path);
}

} // namespace

TEST_CASE("a chain costs little, and each can be read when any other is gone", "[snapshot][chain]")
{
    TestFolder t;
    const auto kept = t / "snapshots";
    auto top = grove();
    std::vector<std::string> paths, trees;
    for (unsigned i = 0; i < 5; ++i) {
        if (i > 0)
            change(top, i);
        const auto tree = plant(top);
        const auto path = addSnapshot(kept, infoAt(1780000000 + i * day), *tree);
        REQUIRE(path);
        paths.push_back(*path);
        trees.push_back(describe(*tree));
        if (i > 0) {
            INFO(i);
            CHECK_FALSE(readSnapshotInfo(*path)->baseId.empty());
            CHECK(sizeOf(*path) < sizeOf(paths[0]) * i * 4 / 100);
        }
    }
    for (unsigned i = 0; i < 5; ++i)
        CHECK(describe(*readSnapshot(paths[i])->tree) == trees[i]);
    SECTION("removed")
    {
        REQUIRE(removeSnapshot(paths[0]));
        CHECK(bytesOfBases(kept) > 0);
        for (unsigned i = 1; i < 5; ++i)
            CHECK(describe(*readSnapshot(paths[i])->tree) == trees[i]);
        for (unsigned i = 1; i < 5; ++i)
            REQUIRE(removeSnapshot(paths[i]));
        CHECK(bytesOfBases(kept) == 0);
        CHECK(namesIn(kept + "/.bases").empty());
    }
    SECTION("lost")
    {
        for (unsigned lost = 0; lost < 5; ++lost) {
            fs::rename(paths[lost], t / "aside");
            for (unsigned i = 0; i < 5; ++i)
                if (i != lost)
                    CHECK(describe(*readSnapshot(paths[i])->tree) == trees[i]);
            fs::rename(t / "aside", paths[lost]);
        }
    }
    SECTION("carried elsewhere alone it says what it needs; a whole copy needs nothing")
    {
        fs::create_directories(t / "elsewhere");
        fs::copy(paths[3], t / "elsewhere/one.kurvo");
        const auto alone = readSnapshot(t / "elsewhere/one.kurvo");
        REQUIRE_FALSE(alone);
        CHECK(alone.error().sentence.find("holds only what differs") != std::string::npos);
        REQUIRE(exportSnapshot(paths[3], t / "elsewhere/whole.kurvo"));
        CHECK(describe(*readSnapshot(t / "elsewhere/whole.kurvo")->tree) == trees[3]);
        const auto imported = importSnapshot(t / "another", t / "elsewhere/whole.kurvo");
        REQUIRE(imported);
        CHECK_FALSE(importSnapshot(t / "another", t / "elsewhere/whole.kurvo"));
        CHECK(describe(*readSnapshot(*imported)->tree) == trees[3]);
    }
    SECTION("flipped bits in it are found, and one that is damaged is not trusted as a base")
    {
        const auto whole = readAll(paths[2]);
        for (std::size_t at = 0; at < whole.size(); at += whole.size() / 40 + 1) {
            auto bytes = whole;
            bytes[at] = static_cast<char>(bytes[at] ^ 0x20);
            writeAll(paths[2], bytes);
            CHECK_FALSE(readSnapshot(paths[2]));
        }
        writeAll(paths[2], whole);
        auto base = readAll(paths[0]);
        base[base.size() / 2] = static_cast<char>(base[base.size() / 2] ^ 1);
        writeAll(paths[0], base); // the same file as in .bases
        const auto read = readSnapshot(paths[2]);
        REQUIRE_FALSE(read);
        CHECK(read.error().kind == ErrorKind::Damaged);
        const auto next = addSnapshot(kept, infoAt(1780000000 + 9 * day), *plant(top));
        REQUIRE(next);
        CHECK(readSnapshotInfo(*next)->baseId.empty()); // whole
    }
}

TEST_CASE("a reader written from the description alone agrees on the totals", "[snapshot][chain]")
{
    if (std::system("/usr/bin/python3 -c 'import cbor2, xxhash, zstandard' 2>/dev/null") != 0) {
        WARN("needs python3-cbor2, python3-xxhash and python3-zstandard; skipped");
        return;
    }
    TestFolder t;
    std::vector<std::string> paths{KURVO_TEST_DATA "/version-1.kurvo"};
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        paths.push_back(t / ("random-" + std::to_string(seed) + ".kurvo"));
        REQUIRE(writeSnapshot(paths.back(), infoAt(1780000000), *randomTree(seed)));
    }
    auto top = grove();
    for (unsigned i = 0; i < 3; ++i) {
        change(top, i);
        const auto path = addSnapshot(t / "chain", infoAt(1780000000 + i * day), *plant(top));
        REQUIRE(path);
        paths.push_back(*path);
    }
    checkWithOtherReader(KURVO_TEST_DATA "/../../../../tools/read_snapshot.py", paths);
}

TEST_CASE("another tree altogether is written whole", "[snapshot][chain]")
{
    TestFolder t;
    REQUIRE(addSnapshot(t.path(), infoAt(1780000000), *plant(grove(1))));
    const auto other = addSnapshot(t.path(), infoAt(1780000000 + day), *plant(grove(2)));
    REQUIRE(other);
    CHECK(readSnapshotInfo(*other)->baseId.empty());
}

TEST_CASE("the index answers for folders and large files as the tree does", "[snapshot][history]")
{
    TestFolder t;
    auto top = grove();
    std::vector<std::string> paths;
    for (unsigned i = 0; i < 3; ++i) {
        change(top, i);
        const auto tree = plant(top);
        const auto path = addSnapshot(t.path(), infoAt(1780000000 + i * day), *tree);
        REQUIRE(path);
        std::vector<std::string> asked{"/place", "/place/missing", "/elsewhere"};
        tree->forEachBelow(rootNode, [&](NodeId node) {
            if (tree->isFolder(node))
                asked.push_back(tree->path(node));
        });
        for (const auto node : largestFiles(*tree, 900))
            asked.push_back(tree->path(node));
        const auto figures = readFigures(*path, asked);
        REQUIRE(figures);
        CHECK_FALSE((*figures)[1]);
        CHECK_FALSE((*figures)[2]);
        std::size_t wrong = 0;
        for (std::size_t k = 3; k < asked.size(); ++k) {
            const auto node = *tree->find(asked[k]);
            const auto& one = (*figures)[k];
            wrong += one && one->disk == tree->disk(node) && one->apparent == tree->apparent(node) &&
                             one->files == tree->files(node)
                         ? 0
                         : 1;
        }
        CHECK(asked.size() > 1000);
        CHECK(wrong == 0);
    }
}

TEST_CASE("the history of a folder, wherever the drive was mounted", "[snapshot][history]")
{
    TestFolder t;
    for (int i = 0; i < 4; ++i) {
        auto info = infoAt(1780000000 + i * 30 * day);
        info.filesystemUuid = "0c5f-11";
        info.capacity.used = (100ull + 20ull * static_cast<unsigned>(i)) << 30;
        info.capacity.free = (100ull - 20ull * static_cast<unsigned>(i)) << 30;
        info.capacity.total = 200ull << 30;
        const std::string mount = i < 2 ? "/media/stick" : "/mnt/other";
        info.mountPoint = mount;
        auto top = folder(mount, {folder("tiles", {file("t", (1ull + static_cast<unsigned>(i)) << 20)})});
        if (i == 0)
            top.children.clear();
        REQUIRE(addSnapshot(t.path(), info, *plant(top)));
    }
    auto stranger = infoAt(1785000000);
    stranger.filesystemUuid = "another";
    stranger.mountPoint = "/mnt/other";
    REQUIRE(addSnapshot(t.path(), stranger, *plant(folder("/mnt/other", {}))));

    const auto catalogue = readCatalogue(t.path());
    SnapshotInfo place;
    for (const auto& entry : catalogue.entries)
        if (entry.info.filesystemUuid == "0c5f-11")
            place = entry.info;
    const auto entries = snapshotsOf(catalogue, place);
    REQUIRE(entries.size() == 4);
    const auto history = historyOf(entries, {"tiles", ""});
    REQUIRE(history.points.size() == 4);
    CHECK_FALSE(history.points[0].figures[0]);
    CHECK(history.points[3].figures[0]->disk == 4 << 20);
    CHECK(useOfPath(history, 0).front().bytes == 0);
    const auto forecast = forecastOf(history, history.points.back().info.taken);
    REQUIRE(forecast.full);
    CHECK(forecast.words == "Fills in about 9 weeks");

    // What a scan left out was not nothing: it is not known, and such a scan is not what others are held against.
    auto narrow = place;
    narrow.taken += 400 * day;
    narrow.mountPoint = "/mnt/other";
    narrow.exclude = {"til*"};
    REQUIRE(addSnapshot(t.path(), narrow, *plant(folder("/mnt/other", {file("x", 512)}))));
    const auto all = snapshotsOf(readCatalogue(t.path()), place);
    const auto longer = historyOf(all, {"tiles", "tiles/z1", "gone"});
    REQUIRE(longer.points.size() == 5);
    CHECK_FALSE(longer.points[4].bytes(0));
    CHECK_FALSE(longer.points[4].bytes(1));
    CHECK(longer.points[4].bytes(2) == 0);
    CHECK(useOfPath(longer, 0).size() == 4);
    auto next = place;
    next.taken += 500 * day;
    REQUIRE(wholeBefore(all, next));
    CHECK(wholeBefore(all, next)->info.exclude.empty());
    next.exclude = {"til*"};
    CHECK(wholeBefore(all, next)->info.taken == narrow.taken);
}

TEST_CASE("a policy that cannot be understood lets nothing go, and says where", "[snapshot]")
{
    TestFolder t;
    for (int i = 0; i < 4; ++i)
        REQUIRE(addSnapshot(t.path(), infoAt(1780000000 + i * day), *plant(grove(1))));
    for (const auto* text :
         {"last = 1\nweeks = \"eight\"\n", "last = 1\nlst = 50\n", "last = 1\nmonths = -3\n",
          "last = 1\nplace = \"/home\"\n", "last = 1\n[[place]]\nlast = 50\n", "last = 1\nweeks = \n"}) {
        INFO(text);
        t.text("keeping.toml", text);
        const auto read = readKeeping(t.path());
        REQUIRE_FALSE(read);
        CHECK(read.error().sentence.find("keeping.toml, line ") != std::string::npos);
        CHECK(read.error().sentence.find("Nothing is removed") != std::string::npos);
        const auto count = readCatalogue(t.path()).entries.size();
        REQUIRE(addSnapshot(t.path(), infoAt(1780000000 + static_cast<std::int64_t>(count) * day), *plant(grove(1))));
        CHECK(readCatalogue(t.path()).entries.size() == count + 1);
    }
    t.text("keeping.toml", "last = 1\nweeks = 0\nmonths = 0\n[[place]]\npath = \"/other\"\nlast = 3\n");
    const auto read = readKeeping(t.path());
    REQUIRE(read);
    CHECK(read->usual.last == 1);
    CHECK(read->of("/other").last == 3);
    CHECK(read->of("/other").weeks == 0);
}

TEST_CASE("the keeping policy: the last ones, one a week, one a month; pinned ones and the newest whole one stay",
          "[snapshot][keeping]")
{
    std::vector<CatalogueEntry> entries; // one a day for a year, newest first
    for (int i = 365; i > 0; --i) {
        CatalogueEntry entry;
        entry.info.taken = 1780000000 + i * day;
        entry.path = std::to_string(i);
        entry.about.pinned = i == 17;
        entry.info.partial = i == 365;
        entries.push_back(entry);
    }
    const auto gone = superfluous(entries, {3, 4, 5});
    CHECK(entries.size() - gone.size() <= 3 + 1 + 4 + 5 + 1);
    CHECK(entries.size() - gone.size() >= 3 + 4 + 5);
    for (const auto& entry : gone) {
        CHECK(entry.path != "17");
        CHECK(entry.info.taken < entries[2].info.taken);
    }
    auto few = entries;
    few.resize(2);
    CHECK(superfluous(few, {0, 0, 0}).size() == 1); // the partial one goes, the newest whole one never
    CHECK(superfluous(few, {0, 0, 0}).front().info.partial);

    TestFolder t;
    Keeping keeping;
    keeping.usual = {1, 2, 3};
    keeping.set("/home/warden/a \"b\"\xff", {7, 8, 9});
    REQUIRE(writeKeeping(t.path(), keeping));
    const auto read = readKeeping(t.path());
    REQUIRE(read);
    CHECK(read->usual == KeepingPolicy{1, 2, 3});
    CHECK(read->of("/home/warden/a \"b\"\xff") == KeepingPolicy{7, 8, 9});
    CHECK(read->of("/elsewhere") == KeepingPolicy{1, 2, 3});
    t.text("keeping.toml", "last = = 3\n");
    CHECK(readKeeping(t.path()).error().sentence.find("line 1") != std::string::npos);
    // And then nothing is removed.
    for (int i = 0; i < 3; ++i)
        REQUIRE(addSnapshot(t.path(), infoAt(1780000000 + i), *plant(folder("/place", {}))));
    CHECK(readCatalogue(t.path()).entries.size() == 3);
}

TEST_CASE("names, notes and pins stand beside the snapshot and go with it", "[snapshot][keeping]")
{
    TestFolder t;
    const auto path = addSnapshot(t.path(), infoAt(1780000000), *plant(folder("/place", {file("x", 512)})));
    REQUIRE(path);
    REQUIRE(writeAbout(*path, {"before the season", "asked for by \"warden\"\n", true}));
    const auto entry = readCatalogue(t.path()).entries.front();
    CHECK(entry.about.name == "before the season");
    CHECK(entry.about.pinned);
    CHECK(entry.bytes == sizeOf(*path));
    t.text(std::string(*path).substr(t.path().size() + 1) + ".about", "{ rubbish");
    CHECK(readCatalogue(t.path()).entries.front().about.isEmpty());
    REQUIRE(removeSnapshot(*path));
    CHECK(namesIn(t.path()).empty());
}

TEST_CASE("options, ledger and what was not read are kept", "[snapshot]")
{
    TestFolder t;
    auto info = infoAt(1780000000);
    info.crossMounts = true;
    info.exclude = {"*.iso", "/place/\xff"};
    info.ledger = {{"seen", 1000}, {"unexplained", 24}};
    info.notRead = {{"/place/locked", 13}, {"/place/\xff\n", 110}};
    info.unreadable = 2;
    info.filesystemUuid = "0c5f";
    REQUIRE(writeSnapshot(t / "s.kurvo", info, *plant(folder("/place", {file("x", 512)}))));
    const auto read = readSnapshot(t / "s.kurvo");
    REQUIRE(read);
    CHECK(read->info.crossMounts);
    CHECK(read->info.exclude == info.exclude);
    CHECK(read->info.ledger == info.ledger);
    CHECK(read->info.filesystemUuid == "0c5f");
    REQUIRE(read->info.notRead.size() == 2);
    CHECK(read->info.notRead[1].path == "/place/\xff\n");
    CHECK(read->info.notRead[1].sysError == 110);
    CHECK(read->info.id.size() == 32);
    CHECK(readSnapshotInfo(t / "s.kurvo")->notRead.empty()); // not part of the header
}

TEST_CASE("no room for the next of a chain: nothing is lost, nothing is left", "[snapshot][chain][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    const TmpfsMount disk(t / "disk", "size=300k");
    auto top = grove();
    const auto first = addSnapshot(disk.path(), infoAt(1780000000), *plant(top));
    REQUIRE(first);
    change(top, 1);
    const auto second = addSnapshot(disk.path(), infoAt(1780000000 + day), *plant(top));
    REQUIRE(second);
    const auto kept = describe(*readSnapshot(*second)->tree);
    (void)!std::system(("head -c 900000 /dev/zero >'" + disk.path() + "/filler' 2>/dev/null").c_str()); // to the brim
    change(top, 2);
    const auto third = addSnapshot(disk.path(), infoAt(1780000000 + 2 * day), *plant(grove(9)));
    REQUIRE_FALSE(third);
    CHECK(third.error().kind == ErrorKind::NoSpace);
    CHECK(describe(*readSnapshot(*second)->tree) == kept);
    CHECK(readSnapshot(*first));
    for (const auto& name : namesIn(disk.path()))
        CHECK_FALSE(name.starts_with(".kurvo-"));
}
