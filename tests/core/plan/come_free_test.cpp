// SPDX-License-Identifier: GPL-3.0-or-later
// The promise made before is held against what the drive says afterwards, on real filesystems.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/statfs.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <random>

#include "core/plan/come_free.h"
#include "core/scan/scanner.h"
#include "support/mounts.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20;

bool run(const std::string& command)
{
    return std::system((command + " >/dev/null 2>&1").c_str()) == 0;
}

std::uint64_t freeAt(const std::string& path)
{
    run("sync -f '" + path + "'; sync");
    struct statfs s { };
    REQUIRE(::statfs(path.c_str(), &s) == 0);
    return s.f_bfree * static_cast<std::uint64_t>(s.f_bsize);
}

/// What nothing can compress, or what everything can.
void fill(const std::string& path, std::uint64_t bytes, unsigned seed, bool noise = true)
{
    std::filesystem::create_directories(std::filesystem::path(path).parent_path());
    std::ofstream out(path, std::ios::binary);
    std::mt19937_64 random(seed);
    for (std::uint64_t done = 0; done < bytes; done += 8) {
        const std::uint64_t word = noise || done % 64 < 16 ? random() : 0x2020202020202020;
        out.write(reinterpret_cast<const char*>(&word), 8);
    }
}

/// What the promise says of these, and what came free. Once every `sync` was done: filesystems put off what they can.
struct Told {
    ComesFree promised;
    std::int64_t came = 0;
};
Told remove(const std::string& mount, const std::vector<std::string>& names)
{
    run("sync -f '" + mount + "'");
    auto scanned = scan(mount, {});
    REQUIRE(scanned);
    std::vector<NodeId> items;
    for (const auto& name : names) {
        const auto node = scanned->tree->find(mount + "/" + name);
        REQUIRE(node);
        items.push_back(*node);
    }
    Told told{comesFree(*scanned->tree, items), 0};
    const auto before = freeAt(mount);
    for (const auto& name : names)
        std::filesystem::remove_all(mount + "/" + name);
    std::uint64_t after = freeAt(mount);
    for (int i = 0; i < 50 && after != freeAt(mount); ++i) {
        ::usleep(100000);
        after = freeAt(mount);
    }
    told.came = static_cast<std::int64_t>(after) - static_cast<std::int64_t>(before);
    return told;
}

void checkWithin(const Told& told, double share, std::uint64_t slack)
{
    INFO("promised " << told.promised.bytes << ", came " << told.came << "; links " << told.promised.links << " shared "
                     << told.promised.shared << " compressed " << told.promised.compressed << " inlined "
                     << told.promised.inlined);
    const auto off = std::abs(static_cast<double>(told.promised.bytes) - static_cast<double>(told.came));
    CHECK(off <= std::max(static_cast<double>(slack), share * static_cast<double>(told.promised.bytes)));
}

} // namespace

TEST_CASE("come free: ext4 gives back what was promised, to a block or two", "[plan][free][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    const TestFolder t;
    const LoopMount drive(t / "m", "mkfs.ext4", 96);
    for (unsigned i = 0; i < 40; ++i)
        fill(drive.path() + "/many/" + std::to_string(i % 4) + "/f" + std::to_string(i), 3000 + 20000 * i, i);
    fill(drive.path() + "/big", 9 * MiB, 99);
    fill(drive.path() + "/zkeep/linked", 4 * MiB, 98);
    std::filesystem::create_hard_link(drive.path() + "/zkeep/linked", drive.path() + "/many/linked");
    {
        std::ofstream sparse(drive.path() + "/many/sparse", std::ios::binary);
        sparse.seekp(64 * MiB);
        sparse << "end";
    }
    const auto told = remove(drive.path(), {"many", "big"});
    CHECK(told.promised.links == 4 * MiB);
    CHECK(told.promised.bytes > 20 * MiB);
    checkWithin(told, 0, 2 * 4096);
}

TEST_CASE("come free: xfs with reflinks gives back what was promised, to 1 %", "[plan][free][mount]")
{
    if (!canLoopMount("mkfs.xfs") || !run("grep -qw xfs /proc/filesystems"))
        return;
    const TestFolder t;
    const LoopMount drive(t / "m", "mkfs.xfs", 320);
    fill(drive.path() + "/a/film", 20 * MiB, 1);
    fill(drive.path() + "/a/own", 12 * MiB, 2);
    if (!run("cp --reflink=always '" + drive.path() + "/a/film' '" + drive.path() + "/copy'"))
        return;
    run("mkdir '" + drive.path() + "/b'");
    fill(drive.path() + "/b/x", 16 * MiB, 3);
    REQUIRE(run("cp --reflink=always '" + drive.path() + "/b/x' '" + drive.path() + "/b/y'"));
    // One of two frees nothing of what both have.
    const auto one = remove(drive.path(), {"a"});
    CHECK(one.promised.shared == 20 * MiB);
    checkWithin(one, 0.01, 16384);
    // Both together free it once.
    const auto both = remove(drive.path(), {"b"});
    CHECK(both.promised.bytes < 17 * MiB);
    CHECK(both.promised.bytes > 15 * MiB);
    checkWithin(both, 0.01, 16384);
    // What went away meanwhile is not looked at, and nothing is made up about it.
    fill(drive.path() + "/gone/film", 4 * MiB, 7);
    auto scanned = scan(drive.path(), {});
    REQUIRE(scanned);
    std::filesystem::remove(drive.path() + "/gone/film");
    const auto gone = comesFree(*scanned->tree, {*scanned->tree->find(drive.path() + "/gone")});
    CHECK(gone.files == 1);
    CHECK(gone.looked == 0);
    CHECK(gone.shared == 0);
    // What was shared is its own by now.
    checkWithin(remove(drive.path(), {"copy"}), 0.01, 16384);
}

TEST_CASE("come free: btrfs with a snapshot, reflinks and compression gives back what was promised, to 1 %",
          "[plan][free][mount]")
{
    if (!canLoopMount("mkfs.btrfs"))
        return;
    const TestFolder t;
    const LoopMount drive(t / "m", "mkfs.btrfs", 400);
    const auto& m = drive.path();
    fill(m + "/kept/film", 20 * MiB, 1);
    REQUIRE(run("sync; btrfs subvolume snapshot -r '" + m + "' '" + m + "/.before'"));
    fill(m + "/kept/later", 12 * MiB, 2);
    run("mkdir '" + m + "/copies'");
    fill(m + "/copies/x", 16 * MiB, 3);
    REQUIRE(run("cp --reflink=always '" + m + "/copies/x' '" + m + "/x'"));
    fill(m + "/own/data", 24 * MiB, 4);
    REQUIRE(run("mkdir '" + m + "/packed' && mount -o remount,compress-force=zstd '" + m + "'"));
    fill(m + "/packed/text", 40 * MiB, 5, false);
    const auto kept = remove(m, {"kept"});
    CHECK(kept.promised.shared == 20 * MiB); // the snapshot has it
    checkWithin(kept, 0.01, 65536);
    const auto copy = remove(m, {"copies"});
    CHECK(copy.promised.shared == 16 * MiB);
    checkWithin(copy, 0.01, 65536);
    checkWithin(remove(m, {"own"}), 0.01, 65536);
    const auto packed = remove(m, {"packed"});
    CHECK(packed.promised.compressed > 15 * MiB);
    checkWithin(packed, 0.01, 65536);
}

TEST_CASE("come free: what a program has open comes later", "[plan][free]")
{
    const TestFolder t;
    const auto path = t.file("place/open.bin", 1 << 20);
    t.file("place/shut.bin", 1 << 20);
    const int fd = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    // Its own descriptors a process does not count: another one has to hold it.
    const pid_t child = ::fork();
    if (child == 0) {
        ::pause();
        ::_exit(0);
    }
    auto scanned = scan(t / "place", {});
    REQUIRE(scanned);
    const auto told =
        comesFree(*scanned->tree, {*scanned->tree->find(path), *scanned->tree->find(t / "place/shut.bin")});
    ::kill(child, SIGKILL);
    ::waitpid(child, nullptr, 0);
    ::close(fd);
    CHECK(told.heldOpen == 1 << 20);
    CHECK(told.bytes == 1 << 20);
    ComesFreeOptions quiet;
    quiet.live = false;
    CHECK(comesFree(*scanned->tree, {*scanned->tree->find(path)}, quiet).bytes == 1 << 20);
}

TEST_CASE("come free: of a path as it lies there", "[plan][comefree]")
{
    const TestFolder t;
    fill(t / "f/one", MiB, 1);
    fill(t / "f/two", MiB, 2);
    REQUIRE(run("sync -f '" + t.path() + "'"));
    const auto disk = [](const std::string& path) {
        EntryStat s;
        REQUIRE(statEntry(AT_FDCWD, path.c_str(), s) == 0);
        return s.blocks * 512;
    };
    CHECK(comesFreeOf(t / "f/one")->bytes == disk(t / "f/one"));
    CHECK(comesFreeOf(t / "f")->bytes >= disk(t / "f/one") + disk(t / "f/two"));
    std::filesystem::create_hard_link(t / "f/one", t / "link");
    CHECK(comesFreeOf(t / "link")->bytes == 0);
    CHECK(comesFreeOf(t / "link")->links == disk(t / "f/one"));
    CHECK(comesFreeOf(t / "f")->links == disk(t / "f/one"));
    CHECK_FALSE(comesFreeOf(t / "gone"));
}
