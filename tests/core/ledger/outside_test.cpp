// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <algorithm>
#include <cstdlib>

#include "core/ledger/outside.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20, GiB = std::uint64_t{1} << 30;

const OutsideLine* line(const std::vector<OutsideLine>& all, const std::string& kind)
{
    const auto found = std::find_if(all.begin(), all.end(), [&](const OutsideLine& l) { return l.kind == kind; });
    return found == all.end() ? nullptr : &*found;
}

} // namespace

TEST_CASE("outside: parts of the disk that belong to no partition, and reserved blocks", "[ledger][outside]")
{
    const TestFolder t;
    const auto number = [](std::uint64_t bytes) { return std::to_string(bytes / 512) + "\n"; };
    const std::string disk = "sys/devices/pci/sdx/";
    t.text(disk + "size", number(100 * GiB));
    t.text(disk + "sdx1/partition", "1");
    t.text(disk + "sdx1/start", number(MiB));
    t.text(disk + "sdx1/size", number(10 * GiB));
    t.text(disk + "sdx2/partition", "2");
    t.text(disk + "sdx2/start", number(20 * GiB));
    t.text(disk + "sdx2/size", number(50 * GiB));
    t.folder("sys/class/block");
    for (const auto* name : {"sdx", "sdx/sdx1", "sdx/sdx2"})
        t.symlink("../../devices/pci/" + std::string(name),
                  "sys/class/block/" + std::string(name).substr(std::string(name).rfind('/') + 1));
    t.text("proc/swaps", "Filename Type Size Used Priority\n");
    Drive drive;
    drive.source = "/dev/sdx2";
    drive.mountPoint = t.path();
    drive.filesystem = "ext4";
    drive.capacity.total = 50 * GiB;
    drive.capacity.reserved = 2560 * MiB;
    const auto lines = readOutside(drive, {t / "sys", t / "proc", {}});
    std::vector<std::uint64_t> gaps;
    for (const auto& each : lines)
        if (each.kind == "unpartitioned")
            gaps.push_back(*each.bytes);
    CHECK(gaps == std::vector<std::uint64_t>{10 * GiB - MiB, 30 * GiB - MiB});
    CHECK(lines[1].command == "sudo cfdisk /dev/sdx");
    CHECK(lines[2].command == "sudo growpart /dev/sdx 2 && sudo resize2fs '/dev/sdx2'");
    REQUIRE(line(lines, "reserved"));
    CHECK(line(lines, "reserved")->command == "sudo tune2fs -m 1 '/dev/sdx2'");
    CHECK(line(lines, "reserved")->evidence.find("2.00 GiB more would be free") != std::string::npos);
    CHECK_FALSE(line(lines, "smaller"));
    // A server has no disk.
    drive.source = "server:/share";
    drive.filesystem = "nfs4";
    CHECK(readOutside(drive, {t / "sys", t / "proc", {}}).empty());
}

TEST_CASE("outside: snapshots of a filesystem, of whatever made them", "[ledger][outside][mount]")
{
    const TestFolder t;
    t.folder("drive/.snapshots/7/snapshot");
    t.folder("drive/.snapshots/empty");
    t.folder("drive/timeshift/snapshots/2026-05-01_10-00-01");
    const auto found = readFilesystemSnapshots(t / "drive");
    REQUIRE(found.size() == 2);
    CHECK(found[0].command == "sudo snapper delete '7'");
    CHECK(found[1].tool == "timeshift");
    if (!canLoopMount("mkfs.btrfs"))
        return;
    const LoopMount btrfs(t / "m", "mkfs.btrfs", 200);
    const auto& m = btrfs.path();
    const auto run = [](const std::string& command) {
        return std::system((command + " >/dev/null 2>&1").c_str()) == 0;
    };
    REQUIRE(run("btrfs subvolume create '" + m + "/data' && btrfs subvolume snapshot -r '" + m + "/data' '" + m +
                "/it is kept'"));
    const auto kept = readFilesystemSnapshots(m);
    REQUIRE(kept.size() == 1); // the other one can be written to
    CHECK(kept[0].path == m + "/it is kept");
    CHECK(kept[0].command == "sudo btrfs subvolume delete '" + m + "/it is kept'");
    CHECK_FALSE(kept[0].exclusive);
    REQUIRE(run("btrfs quota enable '" + m + "' && btrfs quota rescan -w '" + m + "'"));
    CHECK(readFilesystemSnapshots(m)[0].exclusive);
}

TEST_CASE("outside: a logical volume, its group, its pool and its snapshots", "[ledger][outside]")
{
    const TestFolder t;
    t.folder("sys");
    t.text("proc/swaps", "");
    const auto lvs = t / "lvs";
    t.text("lvs",
           "#!/bin/sh\nprintf '  /dev/mapper/vg0-home\\thome\\tvg0\\tpool\\t\\t107374182400\\t5368709120\\t12.5\\n'\n"
           "printf '  /dev/mapper/vg0-pool\\tpool\\tvg0\\t\\t\\t53687091200\\t5368709120\\t90.00\\n'\n"
           "printf '  /dev/mapper/vg0-old\\told\\tvg0\\tpool\\thome\\t107374182400\\t5368709120\\t\\n'\n"
           "printf 'a line of another version\\n'\n");
    ::chmod(lvs.c_str(), 0755);
    Drive drive;
    drive.source = "/dev/mapper/vg0-home";
    drive.mountPoint = t.path();
    drive.filesystem = "ext4";
    drive.capacity.free = 60 * GiB;
    const auto lines = readOutside(drive, {t / "sys", t / "proc", lvs});
    REQUIRE(line(lines, "group"));
    CHECK(*line(lines, "group")->bytes == 5 * GiB);
    REQUIRE(line(lines, "pool"));
    CHECK(*line(lines, "pool")->bytes == 5 * GiB);
    CHECK(line(lines, "pool")->evidence.find("less left than this drive calls free") != std::string::npos);
    REQUIRE(line(lines, "snapshots"));
    CHECK(line(lines, "snapshots")->command == "sudo lvremove 'vg0/old'");
    // Not on this one, and no answer at all: nothing is said.
    drive.source = "/dev/mapper/other";
    CHECK(readOutside(drive, {t / "sys", t / "proc", lvs}).empty());
    drive.source = "/dev/mapper/vg0-home";
    t.text("lvs", "#!/bin/sh\nexit 5\n");
    CHECK(readOutside(drive, {t / "sys", t / "proc", lvs}).empty());
}
