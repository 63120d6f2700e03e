// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <unistd.h>

#include <algorithm>

#include "core/platform/drives.h"
#include "core/platform/mount_table.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("the root is among the drives, with figures that add up", "[drives]")
{
    const auto drives = readDrives();
    REQUIRE(drives);
    REQUIRE_FALSE(drives->empty());
    const auto& root = drives->front();
    CHECK(root.mountPoint == "/");
    CHECK(root.name.size() > 0);
    CHECK(root.capacity.total == root.capacity.used + root.capacity.reserved + root.capacity.free);
    for (const auto& drive : *drives)
        CHECK_FALSE((isPseudoFilesystem(drive.filesystem) && drive.mountPoint != "/"));
}

TEST_CASE("a drive that is mounted shows up once, whatever is bound to it", "[drives][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    TmpfsMount stick(t / "media/FIELD", "size=4m");
    const auto count = [](const std::string& path) {
        const auto drives = readDrives();
        return std::count_if(drives->begin(), drives->end(), [&](const Drive& d) { return d.mountPoint == path; });
    };
    CHECK(count(stick.path()) == 1);
    const auto drives = *readDrives();
    const auto found =
        std::find_if(drives.begin(), drives.end(), [&](const Drive& d) { return d.mountPoint == stick.path(); });
    REQUIRE(found != drives.end());
    CHECK(found->name == "FIELD");
    CHECK(found->filesystem == "tmpfs");
    CHECK(found->kind == DeviceKind::Memory);
    CHECK(found->capacity.total == 4 << 20);
    CHECK(readDrive(stick.path())->name == "FIELD");
    CHECK_FALSE(readDrive(t.path()));
    const auto bound = t.folder("bound");
    REQUIRE(std::system(("mount --bind '" + stick.path() + "' '" + bound + "'").c_str()) == 0);
    CHECK(count(stick.path()) + count(bound) == 1);
    REQUIRE(std::system(("umount '" + bound + "'").c_str()) == 0);
}

TEST_CASE("the root is a drive even where it is not in the list of mounts", "[drives]")
{
    TestFolder t; // as in a chroot
    const auto drives = readDrives(t.text("mountinfo", "22 21 0:20 / /proc rw - proc proc rw\n"));
    REQUIRE(drives);
    REQUIRE(drives->size() == 1);
    CHECK(drives->front().mountPoint == "/");
    CHECK(drives->front().name == "System drive");
    CHECK(drives->front().capacity.total > 0);
}

TEST_CASE("the list of mounts can be missing or odd", "[drives]")
{
    TestFolder t;
    CHECK_FALSE(readDrives(t / "nothing"));
    const auto odd = t.text("mountinfo", "21 1 8:2 / / rw,relatime - ext4 /dev/sda2 rw\n"
                                         "22 21 0:20 / /proc rw - proc proc rw\n"
                                         "23 21 0:77 / /gone/with\\040space rw - ext4 /dev/sdz9 rw\n");
    const auto drives = readDrives(odd);
    REQUIRE(drives);
    REQUIRE(drives->size() == 1); // the place that is not there is left out, and so is what is no drive
    CHECK(drives->front().mountPoint == "/");
    CHECK(drives->front().source == "/dev/sda2");
}

TEST_CASE("the kernel's list is read as it is written, whatever is in it", "[drives]")
{
    TestFolder t;
    const auto mounts = readMountTable(t.text(
        "mountinfo", "36 35 98:0 /mnt1 /mnt\\0402\\134x rw,noatime master:1 shared:2 - ext3 /dev/root rw,errors=ro\n"
                     "nonsense\n\n37 36 0:9 / /a - b\n"
                     "38 36 0:9 /a\\012b /r ro,nosuid - fuse.sshfs desk:/\\04 rw\n"
                     "99999999999999999999999 1 0:1 / / rw - x y z"));
    REQUIRE(mounts);
    REQUIRE(mounts->size() == 2);
    CHECK(mounts->at(0).target == "/mnt 2\\x");
    CHECK(mounts->at(0).root == "/mnt1");
    CHECK(mounts->at(0).source == "/dev/root");
    CHECK_FALSE(mounts->at(0).readOnly); // the filesystem's own options are others
    CHECK(mounts->at(1).id == 38);
    CHECK(mounts->at(1).root == "/a\nb");
    CHECK(mounts->at(1).source == "desk:/\\04");
    CHECK(mounts->at(1).readOnly);
    const auto real = readMountTable();
    REQUIRE(real);
    CHECK(std::any_of(real->begin(), real->end(),
                      [](const MountLine& m) { return m.target == "/proc" && m.type == "proc"; }));
}

TEST_CASE("capacity and mount point of a path", "[drives]")
{
    TestFolder t;
    CHECK(readCapacity(t.path()));
    CHECK(readCapacity(t / "nothing").error().kind == ErrorKind::NotFound);
    CHECK(mountPointOf(t / "nothing").error().kind == ErrorKind::NotFound);
    CHECK(*mountPointOf("/proc") == "/proc");
    if (!canMount())
        return;
    TmpfsMount mount(t / "inside");
    CHECK(*mountPointOf(mount.path()) == mount.path());
    writeAll(mount.path() + "/file", "x");
    CHECK(*mountPointOf(mount.path() + "/file") == mount.path());
    CHECK(*mountPointOf(t.path()) != mount.path());
}

TEST_CASE("kinds of device have names", "[drives]")
{
    CHECK(std::string(deviceKindName(DeviceKind::Internal)) == "internal");
    CHECK(std::string(deviceKindName(DeviceKind::Removable)) == "removable");
    CHECK(std::string(deviceKindName(DeviceKind::Network)) == "network");
    CHECK(std::string(deviceKindName(DeviceKind::Memory)) == "memory");
}

TEST_CASE("all mounts are told with why a mount is no drive", "[drives]")
{
    const auto mounts = readAllMounts();
    REQUIRE(mounts);
    const auto drives = readDrives();
    CHECK(std::count_if(mounts->begin(), mounts->end(), [](const Drive& d) { return d.folded == FoldedAway::No; }) ==
          static_cast<std::ptrdiff_t>(drives->size()));
    for (const auto& mount : *mounts)
        if (mount.filesystem == "proc")
            CHECK(mount.folded == FoldedAway::Pseudo);
    CHECK(mayHang("nfs4"));
    CHECK(mayHang("fuse.sshfs"));
    CHECK_FALSE(mayHang("ext4"));
    CHECK(foldedAwayName(FoldedAway::No) == std::string());
    CHECK(foldedAwayName(FoldedAway::NoAnswer) == std::string("no answer"));
}

TEST_CASE("mounts below a place, and the folder they cover", "[drives][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    t.file("place/covered/below", 1000);
    TmpfsMount outer(t / "place/outer");
    TmpfsMount inner(t / "place/outer/inner");
    TmpfsMount cover(t / "place/covered");
    const auto below = mountsBelow(t / "place");
    REQUIRE(below);
    std::vector<std::string> paths;
    for (const auto& mount : *below) {
        CHECK(mount.filesystem == "tmpfs");
        paths.push_back(mount.path);
    }
    std::sort(paths.begin(), paths.end());
    CHECK(paths == std::vector<std::string>{cover.path(), outer.path(), inner.path()});
    CHECK(mountsBelow(t / "place/outer/inner")->empty());

    const auto top = mountPointOf(t.path());
    REQUIRE(top);
    const auto view = openWithoutMountsOnTop(*top);
    REQUIRE(view);
    const auto covered = (t / "place/covered/below").substr(*top == "/" ? 1 : top->size() + 1);
    CHECK(::faccessat(view->get(), covered.c_str(), F_OK, 0) == 0);
    CHECK(::access((t / "place/covered/below").c_str(), F_OK) != 0);
    const auto status = asNobody([&] { return !openWithoutMountsOnTop(*top); });
    CHECK(status == 0);
}

TEST_CASE("a filesystem tells its inodes and what it shows", "[drives][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    TmpfsMount drive(t / "drive");
    const auto before = readFilesystemFacts(drive.path());
    REQUIRE(before);
    CHECK(before->type == "tmpfs");
    CHECK(before->shownPart == "/");
    for (int i = 0; i < 10; ++i)
        writeAll(drive.path() + "/f" + std::to_string(i), "x");
    CHECK(readFilesystemFacts(drive.path())->inodesUsed == before->inodesUsed + 10);
    CHECK_FALSE(readFilesystemFacts(t / "gone"));
}
