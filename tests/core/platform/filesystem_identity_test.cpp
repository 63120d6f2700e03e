// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <cstdlib>

#include "core/platform/filesystem_identity.h"
#include "core/snapshot/snapshot.h"
#include "support/mounts.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

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
