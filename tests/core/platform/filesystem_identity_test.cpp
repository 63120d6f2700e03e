// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cstdlib>

#include "core/platform/filesystem_identity.h"
#include "core/snapshot/snapshot.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("a subvolume, and a folder that is mounted by itself, are places of their own", "[platform][mount]")
{
    if (!canLoopMount("mkfs.btrfs"))
        return;
    TestFolder t;
    const LoopMount drive(t / "all", "mkfs.btrfs -q", 128);
    if (filesystemUuid(drive.path()).empty()) {
        WARN("this kernel does not say and there is no /dev/disk/by-uuid; skipped");
        return;
    }
    t.folder("all/data/survey");
    const auto mount = [&](const std::string& how, const std::string& at) {
        t.folder(at);
        return std::system(("mount " + how + " '" + (t / at) + "'").c_str()) == 0;
    };
    REQUIRE(mount("--bind '" + (t / "all/data") + "'", "bound"));
    const auto all = describePlace(drive.path()), inAll = describePlace(t / "all/data"),
               bound = describePlace(t / "bound");
    CHECK(bound.mountPoint == t / "bound");
    CHECK_FALSE(isOnePlace(all, bound)); // though both are all of a mount of one filesystem
    CHECK(isOnePlace(inAll, bound));
    CHECK(isOnePlace(describePlace(t / "all/data/survey"), describePlace(t / "bound/survey")));
    CHECK(isOneFilesystem(all, bound));
    REQUIRE(std::system(("umount '" + (t / "bound") + "'").c_str()) == 0);
    if (std::system(("btrfs -q subvolume create '" + (t / "all/home") + "' >/dev/null").c_str()) != 0) {
        WARN("needs btrfs-progs; skipped");
        return;
    }
    REQUIRE(mount("-o subvol=home \"$(findmnt -no SOURCE '" + drive.path() + "')\"", "home"));
    const auto home = describePlace(t / "home");
    CHECK(isOneFilesystem(all, home));
    CHECK_FALSE(isOnePlace(all, home));
    CHECK(isOnePlace(describePlace(t / "all/home"), home));
    REQUIRE(std::system(("umount '" + (t / "home") + "'").c_str()) == 0);
}

TEST_CASE("machines set up from one image have drives of their own, a stick is one on both", "[platform]")
{
    SnapshotInfo desk;
    desk.host = "skerry-desk";
    desk.place = desk.mountPoint = "/";
    desk.filesystemUuid = "0c5f1a52-3f2e-4f5e-9b7a-6d1c2e3f4a5b";
    auto other = desk;
    other.host = "skerry-hide";
    CHECK_FALSE(isOnePlace(desk, other));
    CHECK_FALSE(isOneFilesystem(desk, other));
    other.place = other.mountPoint = "/mnt/rescued"; // the disk itself, in the other machine
    CHECK(isOnePlace(desk, other));
    auto stick = desk;
    stick.place = stick.mountPoint = "/media/warden/FIELD";
    other = stick;
    other.host = "skerry-hide";
    CHECK(isOnePlace(stick, other));
}

TEST_CASE("a drive is the same one when it is mounted elsewhere", "[platform][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    TestFolder t;
    const LoopMount drive(t / "first", "mkfs.ext4 -U 0c5f1a52-3f2e-4f5e-9b7a-6d1c2e3f4a5b", 16);
    const auto uuid = filesystemUuid(drive.path());
    if (uuid.empty()) {
        WARN("this kernel does not say and there is no /dev/disk/by-uuid; skipped");
        return;
    }
    CHECK(uuid == "0c5f1a52-3f2e-4f5e-9b7a-6d1c2e3f4a5b");
    t.folder("first/place");
    const auto before = describePlace(t / "first/place");
    REQUIRE(std::system(("umount '" + drive.path() + "' && mkdir '" + (t / "second") + "' && mount -o loop '" +
                         drive.image() + "' '" + (t / "second") + "'")
                            .c_str()) == 0);
    const auto after = describePlace(t / "second/place");
    CHECK(after.place != before.place);
    CHECK(isOneFilesystem(before, after));
    CHECK(isOnePlace(before, after));
    CHECK_FALSE(isOnePlace(before, describePlace(t / "second")));
    // And another drive at the old path is another place.
    const TmpfsMount other(drive.path());
    CHECK(filesystemUuid(other.path()).empty());
    CHECK_FALSE(isOneFilesystem(after, describePlace(drive.path())));
    REQUIRE(std::system(("umount '" + (t / "second") + "'").c_str()) == 0);
    CHECK(filesystemUuid(t / "nowhere").empty());
}
