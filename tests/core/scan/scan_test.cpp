// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <thread>

#include "core/find/largest.h"
#include "core/scan/scanner.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

ScanOptions threads(unsigned count)
{
    ScanOptions options;
    options.threads = count;
    return options;
}

/// Everything the scan says of a place against the recount.
void compare(const FileTree& tree, const Recount& expected)
{
    const auto& sums = tree.sums(rootNode);
    CHECK(sums.files == expected.all.files);
    CHECK(sums.folders == expected.all.folders);
    CHECK(sums.apparent == expected.all.apparent);
    CHECK(sums.disk == expected.all.disk);
    CHECK(sums.hiddenFiles == expected.hiddenFiles);
    CHECK(sums.hiddenDisk == expected.hiddenDisk);
    for (const auto& [path, totals] : expected.folders) {
        INFO(path);
        const auto node = tree.find(path);
        REQUIRE(node);
        const auto& own = tree.sums(*node);
        CHECK(Recount::Totals{own.files, own.folders, own.apparent, own.disk} == totals);
    }
    const auto largest = largestFiles(tree, expected.files.size());
    REQUIRE(largest.size() == expected.files.size());
    for (std::size_t i = 0; i < largest.size(); ++i) {
        const auto node = largest[i];
        CHECK(Recount::File{tree.path(node), tree.disk(node), tree.apparent(node), tree.store().modified(node),
                            tree.isHidden(node)} == expected.files[i]);
    }
}

/// Odd names, links of both kinds, holes, special files, dates far away, hidden things.
void makeEverything(const TestFolder& t)
{
    for (const std::string name :
         {"space in name", "line\nbreak", "-dash", "*glob?[x]", "\xff\xfe", "half-\xe2\x82", "…", "..."})
        t.file("names/" + name, 100);
    t.file("names/" + std::string(255, 'n'), 10);
    t.text(std::string("names/dir-\xc0\xaf") + "/inside", "x");
    t.file("hidden/.cache/deep/er/plain-name.bin", 300000);
    t.file("hidden/.dotfile", 5000);
    t.file("hidden/visible/.inner/x", 9000);
    t.file("hidden/visible/seen", 100);
    t.file("links/b/original", 700000);
    t.link("links/b/original", "links/a/first");
    t.link("links/b/original", "links/zz-last");
    t.symlink(".", "links/loop");
    t.symlink("../..", "links/up");
    t.symlink("/nonexistent", "links/dangling");
    t.symlink(std::string(3000, 'x'), "links/long-target");
    t.file("sizes/empty");
    REQUIRE(::truncate(t.file("sizes/sparse").c_str(), 50ll << 30) == 0);
    REQUIRE(::truncate(t.file("sizes/beyond-4-gib").c_str(), (4ll << 30) + 1) == 0);
    ::mkfifo((t / "sizes/fifo").c_str(), 0644);
    t.file("dates/old", 1, -2147483648);
    t.file("dates/before", 1, -1);
    t.file("dates/future", 1, 7258118400);
    for (int i = 0; i < 3000; ++i)
        t.file("many/entry-" + std::to_string(i));
    t.folder("empty/inside");
}

} // namespace

TEST_CASE("a scan agrees with a slow recount, whatever the number of threads", "[scan]")
{
    TestFolder t;
    makeEverything(t);
    const auto expected = recount(t.path());
    for (const unsigned count : {1u, 2u, 8u, 32u}) {
        INFO(count << " threads");
        ScanProgress progress;
        const auto result = scan(t.path(), threads(count), {}, &progress);
        REQUIRE(result);
        compare(*result->tree, expected);
        CHECK(result->unreadable == 0);
        CHECK_FALSE(result->stopped);
        CHECK(progress.entries() == expected.all.files + expected.all.folders);
    }
}

TEST_CASE("types and owners are noted", "[scan]")
{
    TestFolder t;
    t.file("night.flac", 10);
    const auto result = scan(t.path());
    REQUIRE(result);
    const auto node = *result->tree->find(t / "night.flac");
    CHECK(result->tree->store().type(node) != 0);
    CHECK(result->tree->store().owner(node) == geteuid());
    CHECK(result->tree->store().inode(node) == inodeOf(t / "night.flac"));
}

TEST_CASE("what cannot be scanned is refused with a sentence", "[scan]")
{
    TestFolder t;
    const auto file = scan(t.file("file"));
    REQUIRE_FALSE(file);
    CHECK(file.error().kind == ErrorKind::NotAFolder);
    CHECK(file.error().sentence.find("it is not a folder") != std::string::npos);
    const auto gone = scan(t / "gone");
    REQUIRE_FALSE(gone);
    CHECK(gone.error().sentence.find("it is not there") != std::string::npos);
}

TEST_CASE("a link to the place itself is resolved, links inside are not", "[scan]")
{
    TestFolder t, outside;
    outside.file("big", 1 << 20);
    t.file("real/file", 100);
    t.symlink("real", "way");
    t.symlink(outside.path(), "real/away");
    const auto result = scan(t / "way");
    REQUIRE(result);
    CHECK(result->tree->path(rootNode) == t / "real");
    CHECK(result->tree->sums(rootNode).files == 2);
    CHECK(result->tree->disk(rootNode) < 1 << 20);
}

TEST_CASE("folders deeper than any path", "[scan]")
{
    TestFolder t;
    UniqueFd at(::open(t.path().c_str(), O_RDONLY | O_DIRECTORY));
    const std::string name(100, 'd');
    for (int level = 0; level < 200; ++level) {
        REQUIRE(::mkdirat(at.get(), name.c_str(), 0755) == 0);
        at = UniqueFd(::openat(at.get(), name.c_str(), O_RDONLY | O_DIRECTORY));
    }
    UniqueFd bottom(::openat(at.get(), "bottom", O_CREAT | O_WRONLY, 0644));
    REQUIRE(::posix_fallocate(bottom.get(), 0, 100000) == 0);
    bottom.reset();
    at.reset();
    const auto result = scan(t.path());
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).folders == 200);
    CHECK(result->tree->sums(rootNode).apparent == 100000);
    CHECK(result->tree->path(largestFiles(*result->tree, 1)[0]).size() > 20000);
}

TEST_CASE("few descriptors are enough for broad and deep trees", "[scan]")
{
    TestFolder t;
    for (int i = 0; i < 40; ++i)
        for (int k = 0; k < 10; ++k)
            t.file("a" + std::to_string(i) + "/b" + std::to_string(k) + "/c/d/e/f/file", 10);
    // Two subfolders a level keep every ancestor waiting.
    std::string path = "deep";
    for (int level = 0; level < 60; ++level) {
        t.folder(path + "/side");
        path += "/l";
    }
    t.file(path + "/bottom", 5);
    const auto expected = recount(t.path());
    const auto status = asNobody([&] {
        const rlimit few{24, 24};
        setrlimit(RLIMIT_NOFILE, &few);
        const auto result = scan(t.path(), threads(2));
        return result && result->unreadable == 0 && result->tree->sums(rootNode).files == expected.all.files &&
               result->tree->sums(rootNode).folders == expected.all.folders;
    });
    CHECK(status == 0);
}

TEST_CASE("what may not be read is counted and named", "[scan]")
{
    TestFolder t;
    t.file("open/file", 1000);
    t.file("locked/inside/file", 40000);
    t.file("names-only/file", 5000);
    REQUIRE(::chmod((t / "locked").c_str(), 0) == 0);
    REQUIRE(::chmod((t / "names-only").c_str(), 0444) == 0);
    const auto status = asNobody([&] {
        const auto result = scan(t.path());
        if (!result || result->unreadable != 2 || result->unreadableList.size() != 2)
            return false;
        const auto& tree = *result->tree;
        return result->unreadableList[0].path == t / "locked" && result->unreadableList[0].sysError == EACCES &&
               result->unreadableList[1].path == t / "names-only/file" &&
               tree.store().has(*tree.find(t / "locked"), FlagUnreadable) && tree.sums(rootNode).unreadable == 2 &&
               tree.find(t / "open/file").has_value() && tree.sums(rootNode).files == 1;
    });
    CHECK(status == 0);
    REQUIRE(::chmod((t / "locked").c_str(), 0755) == 0);
    REQUIRE(::chmod((t / "names-only").c_str(), 0755) == 0);
}

TEST_CASE("a place that may not be read itself", "[scan]")
{
    TestFolder t;
    t.file("locked/file");
    REQUIRE(::chmod((t / "locked").c_str(), 0) == 0);
    const auto status = asNobody([&] {
        const auto result = scan(t / "locked");
        return !result && result.error().kind == ErrorKind::NoPermission;
    });
    CHECK(status == 0);
    REQUIRE(::chmod((t / "locked").c_str(), 0755) == 0);
}

TEST_CASE("other mounts are doors, unless one asks to go through", "[scan][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    t.file("beside", 5000);
    TmpfsMount inner(t / "inner");
    writeAll(inner.path() + "/file", std::string(100000, 'x'));
    {
        const auto result = scan(t.path());
        REQUIRE(result);
        const auto& tree = *result->tree;
        const auto door = *tree.find(inner.path());
        CHECK(tree.store().has(door, FlagDoor));
        CHECK(tree.disk(door) == 0);
        CHECK(tree.countChildren(door) == 0);
        CHECK(tree.sums(rootNode).files == 1);
    }
    ScanOptions through;
    through.crossMounts = true;
    const auto bound = t.folder("bound");
    REQUIRE(std::system(("mount --bind '" + inner.path() + "' '" + bound + "'").c_str()) == 0);
    const auto result = scan(t.path(), through);
    REQUIRE(std::system(("umount '" + bound + "'").c_str()) == 0);
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).files == 2); // the same filesystem is not counted twice
    CHECK(result->tree->apparent(rootNode) == 105000);
}

TEST_CASE("pseudo filesystems are not entered, even when going through mounts", "[scan][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    const auto at = t.folder("proc");
    REQUIRE(std::system(("mount -t proc proc '" + at + "'").c_str()) == 0);
    ScanOptions through;
    through.crossMounts = true;
    const auto result = scan(t.path(), through);
    REQUIRE(std::system(("umount '" + at + "'").c_str()) == 0);
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).files == 0);
}

TEST_CASE("what is left out leaves no trace", "[scan]")
{
    TestFolder t;
    t.file("keep.txt", 10);
    t.file("drop.iso", 5000);
    t.file("sub/drop.iso", 5000);
    t.file("sub/cache/x", 10);
    t.file("other/cache/x", 10);
    ScanOptions options;
    options.exclude = {"*.iso", t.path() + "/sub/cache"};
    const auto result = scan(t.path(), options);
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).files == 2);
    CHECK_FALSE(result->tree->find(t / "sub/cache"));
    CHECK(result->tree->find(t / "other/cache/x"));
}

TEST_CASE("stopping keeps what was found and marks what was not", "[scan]")
{
    TestFolder t;
    for (int i = 0; i < 50; ++i)
        t.file("f" + std::to_string(i) + "/file", 10);
    std::stop_source stop;
    stop.request_stop();
    const auto result = scan(t.path(), {}, stop.get_token());
    REQUIRE(result);
    CHECK(result->stopped);
    CHECK(result->tree->store().has(rootNode, FlagUnfinished));
    CHECK(result->tree->sums(rootNode).files == 0);
}

TEST_CASE("a tree that changes under the scan does no harm", "[scan]")
{
    TestFolder t;
    for (int i = 0; i < 60; ++i)
        for (int k = 0; k < 10; ++k)
            t.file("d" + std::to_string(i) + "/e" + std::to_string(k) + "/file", 10);
    TestFolder outside;
    outside.file("precious", 123456);
    std::jthread vandal([&](std::stop_token stop) {
        namespace fs = std::filesystem;
        std::error_code ignored;
        for (unsigned n = 0; !stop.stop_requested(); ++n) {
            const auto victim = t / ("d" + std::to_string(n % 60));
            switch (n % 4) {
            case 0: // swapped for a link that leads out
                fs::rename(victim, victim + ".away", ignored);
                fs::create_directory_symlink(outside.path(), victim, ignored);
                break;
            case 1:
                fs::remove(t / ("d" + std::to_string((n - 1) % 60)), ignored);
                fs::rename(t / ("d" + std::to_string((n - 1) % 60) + ".away"), t / ("d" + std::to_string((n - 1) % 60)),
                           ignored);
                break;
            case 2:
                fs::remove_all(victim + "/e1", ignored);
                break;
            default:
                fs::create_directories(victim + "/e1", ignored);
                std::ofstream(victim + "/e1/new") << "x";
            }
        }
    });
    for (int round = 0; round < 30; ++round) {
        const auto result = scan(t.path(), threads(4));
        REQUIRE(result);
        CHECK(result->unreadable == 0);
        result->tree->forEachBelow(rootNode, [&](NodeId n) { CHECK(result->tree->name(n) != "precious"); });
    }
    vandal.request_stop();
}
