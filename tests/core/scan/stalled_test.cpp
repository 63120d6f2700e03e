// SPDX-License-Identifier: GPL-3.0-or-later
// Drives that do not answer, or are taken away.
#include <catch2/catch.hpp>

#include <thread>

#include "core/platform/drives.h"
#include "core/scan/scanner.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

ScanOptions impatient(unsigned threads)
{
    ScanOptions options;
    options.threads = threads;
    options.patience = std::chrono::milliseconds(300);
    return options;
}

} // namespace

TEST_CASE("a folder that does not answer is given up and named, everything else is there", "[scan]")
{
    if (!canStall())
        return;
    for (const unsigned threads : {1u, 2u, 8u}) {
        TestFolder t;
        StallingMount drive(t / "drive");
        const auto result = scan(t / "drive", impatient(threads));
        REQUIRE(result);
        const auto& tree = *result->tree;
        CHECK(tree.sums(rootNode).files == 3);
        CHECK(tree.disk(rootNode) == 3 * 4096);
        REQUIRE(result->unreadable == 1);
        CHECK(result->unreadableList[0].path == t / "drive/hung");
        CHECK(result->unreadableList[0].sysError == ETIMEDOUT);
        const auto hung = tree.find(t / "drive/hung");
        REQUIRE(hung);
        CHECK(tree.isFolder(*hung));
        CHECK(tree.store().has(*hung, FlagUnreadable));
        CHECK_FALSE(result->stopped);
    }
}

TEST_CASE("whoever hangs in a folder does not keep those that it was to read next", "[scan]")
{
    if (!canStall() || !canMount())
        return;
    TestFolder t;
    const TmpfsMount around(t / "around"); // its inodes have the order in which they were made
    for (const char* name : {"a", "b", "c", "d"})
        t.file(std::string("around/") + name + "/file", 5000);
    const StallingMount server(t / "around/server"); // made last, and therefore the first to be read
    ScanOptions options;
    options.threads = 2;
    options.crossMounts = true;
    options.patience = std::chrono::minutes(5);
    std::stop_source stop;
    ScanProgress progress;
    std::thread scanning([&] { (void)scan(around.path(), options, stop.get_token(), &progress); });
    for (int i = 0; i < 2000 && progress.entries() < 9; ++i)
        std::this_thread::sleep_for(std::chrono::milliseconds(5));
    CHECK(progress.entries() == 9); // five folders, and the files of four
    stop.request_stop();
    scanning.join();
}

TEST_CASE("a place of which nothing can be read is an error, not a place with nothing in it", "[scan]")
{
    if (!canStall())
        return;
    TestFolder t;
    t.file("around/file", 5000);
    StallingMount drive(t / "around/drive");
    drive.failListing();
    const auto itself = scan(drive.path());
    REQUIRE_FALSE(itself);
    CHECK(itself.error().sysError == EIO);
    CHECK(itself.error().path == drive.path());
    // Around it everything else is there.
    ScanOptions options;
    options.crossMounts = true;
    const auto around = scan(t / "around", options);
    REQUIRE(around);
    CHECK(around->tree->sums(rootNode).files == 1);
    CHECK(around->unreadable == 1);
}

TEST_CASE("a mount that hangs as a whole holds up neither a scan around it nor the list of drives", "[scan]")
{
    if (!canStall())
        return;
    TestFolder t;
    t.file("around/file", 5000);
    t.file("around/deep/er/file", 5000);
    StallingMount drive(t / "around/server");
    drive.stallWhole();
    auto options = impatient(2);
    const auto result = scan(t / "around", options);
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).files == 2);
    CHECK(result->tree->find(t / "around/server"));

    SECTION("not even when other mounts are gone through")
    {
        options.crossMounts = true;
        const auto across = scan(t / "around", options);
        REQUIRE(across);
        CHECK(across->tree->sums(rootNode).files == 2);
    }
    SECTION("its card says that it does not answer")
    {
        const auto mounts = readAllMounts();
        REQUIRE(mounts);
        bool listed = false;
        for (const auto& mount : *mounts)
            if (mount.mountPoint == t / "around/server") {
                listed = true;
                CHECK(mount.folded == FoldedAway::NoAnswer);
            }
        CHECK(listed);
    }
    SECTION("scanned itself, it is said to have timed out")
    {
        const auto itself = scan(t / "around/server", options);
        if (itself)
            CHECK(itself->unreadable == 1);
        else
            CHECK(itself.error().sysError == ETIMEDOUT);
    }
}
