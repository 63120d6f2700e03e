// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <random>

#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/platform/unique_fd.h"
#include "core/snapshot/catalogue.h"
#include "core/snapshot/columns.h"
#include "core/snapshot/snapshot.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

SnapshotInfo info()
{
    SnapshotInfo i;
    i.placeName = "Skerry system";
    i.host = "skerry-desk";
    i.filesystem = "ext4";
    i.mountPoint = "/";
    i.taken = 1782900000;
    i.seconds = 1.25;
    i.capacity = {1000, 600, 100, 300};
    i.unreadable = 3;
    i.owners = {{0, "root"}, {1000, "warden"}};
    return i;
}

} // namespace

TEST_CASE("a snapshot is read as it was written", "[snapshot]")
{
    TestFolder t;
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        const auto tree = randomTree(seed);
        const auto path = t / "s.kurvo";
        const auto written = writeSnapshot(path, info(), *tree);
        REQUIRE(written);
        const auto read = readSnapshot(path);
        REQUIRE(read);
        CHECK(describe(*read->tree) == describe(*tree));
        CHECK(read->info.place == "/random");
        CHECK(read->info.placeName == "Skerry system");
        CHECK(read->info.host == "skerry-desk");
        CHECK(read->info.taken == 1782900000);
        CHECK(read->info.seconds == 1.25);
        CHECK(read->info.capacity.free == 300);
        CHECK(read->info.unreadable == 3);
        CHECK(read->info.entries == std::uint64_t{tree->sums(rootNode).files} + tree->sums(rootNode).folders);
        CHECK(read->info.diskBytes == tree->disk(rootNode));
        CHECK(ownerName(read->info, 1000) == "warden");
        CHECK(ownerName(read->info, 1007) == "1007");
        CHECK(readSnapshotInfo(path)->entries == read->info.entries);
    }
}

TEST_CASE("a real place goes through a snapshot with every byte of its names", "[snapshot]")
{
    TestFolder t, out;
    t.file("\xff\xfe name\n", 5000, -77);
    t.file(".hidden/file", 123, 4102444800);
    t.link(".hidden/file", "second");
    t.symlink("nowhere", "link");
    setModified(t / "link", 5, 999999999);
    t.folder("empty");
    const auto scanned = scan(t.path());
    REQUIRE(scanned);
    REQUIRE(writeSnapshot(out / "place.kurvo", info(), *scanned->tree));
    const auto read = readSnapshot(out / "place.kurvo");
    REQUIRE(read);
    CHECK(describe(*read->tree) == describe(*scanned->tree));
    CHECK(read->tree->find(t / "\xff\xfe name\n"));
    CHECK(read->info.place == t.path());
}

TEST_CASE("a scan is described by its drive, its machine and its owners", "[snapshot]")
{
    TestFolder t;
    t.file("Nest camera/still.jpg", 1000);
    const auto result = scan(t / "Nest camera");
    REQUIRE(result);
    const auto described = describeScan(*result);
    CHECK(described.place == t / "Nest camera");
    CHECK(described.placeName == "Nest camera");
    CHECK(described.host == hostName());
    CHECK(described.taken == result->started);
    CHECK_FALSE(described.partial);
    CHECK(isAtOrBelow(described.place, described.mountPoint));
    CHECK(described.capacity.total > 0);
    CHECK(ownerName(described, result->tree->store().owner(rootNode)) ==
          userName(result->tree->store().owner(rootNode)));
}

TEST_CASE("what was taken out of the tree is not written", "[snapshot]")
{
    TestFolder t;
    const auto tree = plant(folder("/p", {folder("gone", {file("x", 5000)}), file("stays", 100)}));
    const FileTree without(tree->sharedStore(), {*tree->find("/p/gone")});
    REQUIRE(writeSnapshot(t / "s.kurvo", info(), without));
    const auto read = readSnapshot(t / "s.kurvo");
    REQUIRE(read);
    CHECK_FALSE(read->tree->find("/p/gone"));
    CHECK(read->tree->find("/p/stays"));
    CHECK(read->info.entries == 1);
}

namespace {

/// From memory: thousands of files written over each other wait for the disk each time.
Result<Snapshot> readBytes(const std::string& bytes)
{
    const UniqueFd file(::memfd_create("snapshot", MFD_CLOEXEC));
    REQUIRE(::write(file.get(), bytes.data(), bytes.size()) == static_cast<ssize_t>(bytes.size()));
    return readSnapshot("/proc/self/fd/" + std::to_string(file.get()));
}

} // namespace

TEST_CASE("a snapshot cut anywhere is refused with a sentence", "[snapshot][damage]")
{
    TestFolder t;
    const auto path = t / "s.kurvo";
    REQUIRE(writeSnapshot(path, info(), *randomTree(4)));
    const auto whole = readAll(path);
    for (std::size_t length = 0; length < whole.size(); ++length) {
        const auto read = readBytes(whole.substr(0, length));
        REQUIRE_FALSE(read);
        const auto kind = read.error().kind;
        CHECK((kind == ErrorKind::Damaged || (kind == ErrorKind::WrongFormat && length < 24)));
        CHECK_FALSE(read.error().sentence.empty());
    }
    CHECK(readBytes(whole + "x").error().kind == ErrorKind::Damaged);
    CHECK(readBytes(whole));
}

TEST_CASE("flipped bits are found, never believed", "[snapshot][damage]")
{
    TestFolder t;
    const auto path = t / "s.kurvo";
    REQUIRE(writeSnapshot(path, info(), *randomTree(6)));
    const auto whole = readAll(path);
    for (std::size_t at = 0; at < whole.size(); ++at) {
        const int bit = static_cast<int>(at % 8);
        auto damaged = whole;
        damaged[at] = static_cast<char>(damaged[at] ^ (1 << bit));
        INFO("byte " << at << ", bit " << bit);
        CHECK_FALSE(readBytes(damaged));
    }
}

TEST_CASE("columns that do not fit together are refused even with good checksums", "[snapshot][damage]")
{
    ColumnWriter w;
    w.varint(300);
    w.difference(5, 9);
    w.difference(UINT64_MAX, 0);
    w.text("name");
    w.u16(513);
    ColumnReader r(w.bytes());
    CHECK(r.varint() == 300);
    CHECK(r.difference(9) == 5);
    CHECK(r.difference(0) == UINT64_MAX);
    CHECK(r.text() == "name");
    CHECK(r.u16() == 513);
    CHECK(r.atEnd());
    CHECK_FALSE(r.failed());
    CHECK(r.byte() == 0);
    CHECK(r.failed());
    ColumnReader endless(std::string_view("\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff\xff", 12));
    endless.varint();
    CHECK(endless.failed());
    ColumnReader unterminated("no end");
    unterminated.text();
    CHECK(unterminated.failed());
}

TEST_CASE("other files and newer versions are told apart", "[snapshot]")
{
    TestFolder t;
    const auto path = t.text("notes.kurvo", "just some text that is long enough to be looked at");
    CHECK(readSnapshot(path).error().kind == ErrorKind::WrongFormat);
    CHECK(readSnapshot(path).error().sentence.find("is not a Kurvo snapshot") != std::string::npos);
    CHECK(readSnapshot(t / "gone.kurvo").error().kind == ErrorKind::NotFound);
    CHECK(readSnapshot(t.folder("folder.kurvo")).error().kind == ErrorKind::WrongFormat);
    ::mkfifo((t / "pipe.kurvo").c_str(), 0600);
    CHECK(readSnapshot(t / "pipe.kurvo").error().kind == ErrorKind::WrongFormat);
    REQUIRE(writeSnapshot(path, info(), *randomTree(1)));
    auto newer = readAll(path);
    newer[8] = static_cast<char>(snapshotVersion + 1);
    writeAll(path, newer);
    const auto read = readSnapshot(path);
    REQUIRE_FALSE(read);
    CHECK(read.error().kind == ErrorKind::TooNew);
    CHECK(read.error().sentence.find("newer version") != std::string::npos);
}

TEST_CASE("a file of version 1 opens", "[snapshot]")
{
    const auto read = readSnapshot(KURVO_TEST_DATA "/version-1.kurvo");
    REQUIRE(read);
    const auto& tree = *read->tree;
    CHECK(read->info.place == "/tmp/v1/top");
    CHECK(read->info.id.empty());
    CHECK(tree.files(rootNode) == 5);
    CHECK(tree.sums(rootNode).folders == 2);
    CHECK(tree.apparent(rootNode) == 5131);
    CHECK(tree.disk(rootNode) == 28672);
    CHECK(tree.sums(rootNode).hiddenDisk == 8192);
    CHECK(tree.store().modified(*tree.find("/tmp/v1/top/a.txt")) == 1700000000);
    CHECK(tree.store().modifiedNs(*tree.find("/tmp/v1/top/a.txt")) == 123456789);
    CHECK(tree.find("/tmp/v1/top/\xff\xfe name"));
    CHECK(readFigures(KURVO_TEST_DATA "/version-1.kurvo", {"/tmp/v1/top"}).error().kind == ErrorKind::Unsupported);
}

TEST_CASE("random rubbish never crashes the reader", "[snapshot][damage]")
{
    TestFolder t;
    const auto path = t / "s.kurvo";
    REQUIRE(writeSnapshot(path, info(), *randomTree(3)));
    const auto whole = readAll(path);
    std::mt19937 random(99);
    for (int round = 0; round < 400; ++round) {
        auto bytes = whole;
        for (auto n = 1 + random() % 8; n > 0; --n) {
            const auto at = random() % bytes.size();
            const auto length = std::min<std::size_t>(1 + random() % 16, bytes.size() - at);
            if (random() % 2 == 0)
                bytes.erase(at, length);
            else
                bytes.insert(at, std::string(length, static_cast<char>(random())));
        }
        writeAll(path, bytes);
        const auto read = readSnapshot(path);
        CHECK((!read || bytes == whole));
    }
}

TEST_CASE("a full disk while saving loses neither old nor new", "[snapshot][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    TmpfsMount disk(t / "disk", "size=256k");
    const auto path = disk.path() + "/s.kurvo";
    REQUIRE(writeSnapshot(path, info(), *randomTree(2)));
    const auto before = readAll(path);
    std::vector<Sapling> many;
    std::mt19937_64 random(1);
    for (int i = 0; i < 60000; ++i)
        many.push_back(file("name-" + std::to_string(random()), random() % 1000000));
    const auto written = writeSnapshot(path, info(), *plant(folder("/big", many)));
    REQUIRE_FALSE(written);
    CHECK(written.error().kind == ErrorKind::NoSpace);
    CHECK(readAll(path) == before);
    CHECK(namesIn(disk.path()) == std::vector<std::string>{"s.kurvo"});
}

TEST_CASE("the catalogue lists what is there, newest first, and says what is damaged", "[snapshot]")
{
    TestFolder t;
    CHECK(readCatalogue(t / "nothing").entries.empty());
    auto i = info();
    i.place = "/random";
    std::vector<std::string> paths;
    for (const std::int64_t taken : {1780000000, 1790000000, 1785000000}) {
        i.taken = taken;
        paths.push_back(snapshotPathFor(t.path(), i));
        REQUIRE(writeSnapshot(paths.back(), i, *randomTree(1)));
    }
    t.text("damaged.kurvo", "KURVOSNP and then nothing of use");
    t.text("unrelated.txt", "x");
    t.text(".kurvo-partial-abcdef", "x");
    const auto catalogue = readCatalogue(t.path());
    REQUIRE(catalogue.entries.size() == 3);
    CHECK(catalogue.entries[0].path == paths[1]);
    CHECK(catalogue.entries[2].path == paths[0]);
    REQUIRE(catalogue.damaged.size() == 1);
    CHECK(catalogue.damaged[0].path == t / "damaged.kurvo");
}

TEST_CASE("snapshot names say place and time and are never taken", "[snapshot]")
{
    TestFolder t;
    SnapshotInfo i;
    i.taken = 1782900000;
    i.place = "/home/warden/Nest camera";
    const auto path = snapshotPathFor(t.path(), i);
    CHECK(path.find("/home-warden-Nest-camera-2026-07-01-") != std::string::npos);
    CHECK(path.ends_with(".kurvo"));
    writeAll(path, "x");
    const auto second = snapshotPathFor(t.path(), i);
    CHECK(second != path);
    i.place = "/";
    CHECK(snapshotPathFor(t.path(), i).find("/root-2026") != std::string::npos);
    i.place = "/" + std::string(4000, 'x');
    CHECK(snapshotPathFor(t.path(), i).size() < t.path().size() + 200);
    i.place = "/\xff/\n";
    CHECK(snapshotPathFor(t.path(), i).find('\n') == std::string::npos);
}
