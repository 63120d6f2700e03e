// SPDX-License-Identifier: GPL-3.0-or-later
// A scan that runs: looking at it, pausing it, and what happens around it meanwhile.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>
#include <future>
#include <thread>

#include "core/scan/scanner.h"
#include "core/tree/growing_tree.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;
using namespace std::chrono_literals;

namespace {

void manyFolders(const TestFolder& t, int folders, int files)
{
    for (int i = 0; i < folders; ++i)
        for (int k = 0; k < files; ++k)
            t.file("many/" + std::to_string(i % 20) + "/" + std::to_string(i) + "/f" + std::to_string(k), 100);
}

bool until(const std::function<bool()>& condition)
{
    for (int i = 0; i < 2000; ++i) {
        if (condition())
            return true;
        std::this_thread::sleep_for(5ms);
    }
    return false;
}

/// So many files are made on a disk in a minute, on a bad day.
std::unique_ptr<TmpfsMount> whereNothingWaits(const std::string& path)
{
    return canMount() ? std::make_unique<TmpfsMount>(path, "size=2g") : nullptr;
}

} // namespace

TEST_CASE("a scan can be paused, looked at and let go on", "[scan]")
{
    TestFolder t;
    manyFolders(t, 400, 3);
    ScanProgress progress;
    progress.setPaused(true); // from the start: nothing below the root is read yet
    auto running = std::async(std::launch::async, [&] { return scan(t / "many", {}, {}, &progress); });
    REQUIRE(until([&] { return progress.store() != nullptr; }));
    std::this_thread::sleep_for(30ms);
    CHECK(progress.isPaused());
    GrowingTree growing(progress.store());
    CHECK(growing.look()->sums(rootNode).files == 0);
    CHECK(progress.entries() == 0);
    progress.setPaused(false);
    const auto result = running.get();
    REQUIRE(result);
    CHECK_FALSE(result->stopped);
    CHECK(result->tree->sums(rootNode).files == 1200);
    CHECK(progress.entries() == 1200 + 400 + 20);
    CHECK(progress.diskBytes() + result->tree->store().ownDisk(rootNode) == result->tree->disk(rootNode));
    CHECK(growing.look()->sharedStore() == result->tree->sharedStore()); // ids mean the same
}

TEST_CASE("a paused scan can be stopped, and keeps what it had", "[scan]")
{
    TestFolder t;
    manyFolders(t, 50, 2);
    ScanProgress progress;
    progress.setPaused(true);
    std::stop_source stop;
    auto running = std::async(std::launch::async, [&] { return scan(t / "many", {}, stop.get_token(), &progress); });
    REQUIRE(until([&] { return progress.store() != nullptr; }));
    stop.request_stop();
    const auto result = running.get();
    REQUIRE(result);
    CHECK(result->stopped);
    CHECK(result->tree->store().has(rootNode, FlagUnfinished));
}

TEST_CASE("the bytes of a running scan count a file with several links once", "[scan]")
{
    TestFolder t;
    t.file("place/one", 100000);
    for (int i = 0; i < 20; ++i)
        t.link("place/one", "place/" + std::to_string(i) + "/again");
    ScanProgress progress;
    const auto result = scan(t / "place", {}, {}, &progress);
    REQUIRE(result);
    CHECK(progress.diskBytes() + result->tree->store().ownDisk(rootNode) == result->tree->disk(rootNode));
}

TEST_CASE("very many entries in one folder", "[scan]")
{
    TestFolder t;
    const auto crowd = t.folder("crowd");
    const auto inMemory = whereNothingWaits(crowd);
    const int folder = ::open(crowd.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    REQUIRE(folder >= 0);
    constexpr int count = 200000;
    for (int i = 0; i < count; ++i)
        ::close(::openat(folder, ("entry" + std::to_string(i)).c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0644));
    ::close(folder);
    const auto result = scan(crowd);
    REQUIRE(result);
    CHECK(result->tree->sums(rootNode).files == count);
    CHECK(result->tree->find(crowd + "/entry199999"));
}

TEST_CASE("64 descriptors are enough for any number of threads", "[scan]")
{
    TestFolder t;
    manyFolders(t, 300, 1);
    for (const unsigned threads : {0u, 2u, 32u}) {
        const auto status = asNobody([&] {
            const rlimit few{64, 64};
            if (::setrlimit(RLIMIT_NOFILE, &few) != 0)
                return false;
            ScanOptions options;
            options.threads = threads;
            const auto result = scan(t / "many", options);
            return result && result->unreadable == 0 && result->tree->sums(rootNode).files == 300;
        });
        CHECK(status == 0);
    }
}

#if !defined(__SANITIZE_ADDRESS__) && !defined(__SANITIZE_THREAD__) // which need all addresses for themselves
TEST_CASE("when memory runs out the scan ends with what it has", "[scan]")
{
    TestFolder t;
    const auto inMemory = whereNothingWaits(t / "many");
    for (int i = 0; i < 300; ++i) {
        const auto folder = t.folder("many/" + std::string(100, 'd') + std::to_string(i));
        const int at = ::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        for (int k = 0; k < 500; ++k)
            ::close(::openat(at, (std::string(200, 'n') + std::to_string(k)).c_str(), O_CREAT | O_WRONLY | O_CLOEXEC,
                             0644));
        ::close(at);
    }
    for (const std::uint64_t megabytes : {160u, 180u, 200u}) {
        const auto status = asNobody([&] {
            std::ifstream statm("/proc/self/statm");
            std::uint64_t pages = 0;
            statm >> pages;
            const rlim_t most = pages * 4096 + (megabytes << 20);
            const rlimit limit{most, most};
            if (::setrlimit(RLIMIT_AS, &limit) != 0)
                return false;
            ScanOptions options;
            options.threads = 2;
            const auto result = scan(t / "many", options);
            if (!result)
                return result.error().sentence.find("not enough memory") != std::string::npos;
            const auto& sums = result->tree->sums(rootNode);
            return sums.files == 150000 || (result->outOfMemory && result->stopped && sums.files % 500 == 0);
        });
        INFO(megabytes);
        CHECK(status == 0);
    }
}
#endif

TEST_CASE("folders renamed, swapped for links and deleted at full speed do a scan no harm", "[scan]")
{
    TestFolder t;
    manyFolders(t, 200, 4);
    t.file("outside/secret", 12345678);
    std::atomic<bool> over{false};
    std::thread vandal([&] {
        std::error_code ignored;
        for (int i = 0; !over; i = (i + 1) % 200) {
            const auto folder = t / "many/" + std::to_string(i % 20) + "/" + std::to_string(i);
            std::filesystem::rename(folder, folder + "-moved", ignored);
            std::filesystem::create_directory_symlink(t / "outside", folder, ignored);
            std::filesystem::remove(folder, ignored);
            std::filesystem::rename(folder + "-moved", folder, ignored);
        }
    });
    for (int round = 0; round < 15; ++round) {
        const auto result = scan(t / "many");
        REQUIRE(result);
        const auto& tree = *result->tree;
        CHECK(tree.sums(rootNode).files <= 800 + 200);
        tree.forEachBelow(rootNode, [&](NodeId node) { CHECK(tree.name(node) != "secret"); });
    }
    over = true;
    vandal.join();
}

TEST_CASE("a drive that fails during the scan ends it, and what was found is kept", "[scan][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    TestFolder t;
    LoopMount drive(t / "drive", "mkfs.ext4", 64);
    for (int i = 0; i < 600; ++i) {
        std::filesystem::create_directories(drive.path() + "/d" + std::to_string(i) + "/inner/most");
        std::ofstream(drive.path() + "/d" + std::to_string(i) + "/file") << "x";
    }
    ::sync();
    ScanProgress progress;
    progress.setPaused(true);
    auto running = std::async(std::launch::async, [&] { return scan(drive.path(), {}, {}, &progress); });
    REQUIRE(until([&] { return progress.store() != nullptr; }));
    // The medium is torn away, and what the kernel remembers of it as well.
    REQUIRE(::truncate(drive.image().c_str(), 0) == 0);
    std::ofstream("/proc/sys/vm/drop_caches") << "3";
    progress.setPaused(false);
    const auto result = running.get();
    if (!result) { // even the root could not be read any more
        CHECK_FALSE(result.error().sentence.empty());
        return;
    }
    CHECK(result->tree->name(rootNode) == drive.path());
    CHECK((result->unreadable > 0 || result->driveGone || result->tree->sums(rootNode).files == 600));
    for (const auto& u : result->unreadableList)
        CHECK(u.sysError != 0);
}
