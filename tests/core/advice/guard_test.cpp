// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/advice/guard.h"
#include "core/plan/plan.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const UserFolders warden{"/home/warden", "/home/warden/.local/share", "/home/warden/.config", 1000};
const GuardFacts facts{warden, "/home/warden/.local/share/kurvo"};

} // namespace

TEST_CASE("what the system needs is protected, with the reason", "[plan][guard]")
{
    for (const auto* path : {"/",
                             "/bin",
                             "/bin/sh",
                             "/boot/vmlinuz",
                             "/etc",
                             "/etc/passwd",
                             "/lib/modules",
                             "/lib64",
                             "/usr",
                             "/usr/bin/env",
                             "/usr/share/doc",
                             "/home",
                             "/home/warden",
                             "/home/guest",
                             "/root",
                             "/var",
                             "/var/log",
                             "/var/lib",
                             "/var/lib/dpkg/status",
                             "/proc/1",
                             "/sys",
                             "/dev/sda",
                             "/run/user",
                             "/opt",
                             "/srv",
                             "/tmp",
                             "/media",
                             "/mnt",
                             "/usr/local",
                             "/home/warden/.local/share/kurvo",
                             "/home/warden/.local/share/kurvo/snapshots/x.kurvo",
                             "/home/warden/.local",
                             "/home/warden/.local/share/Trash"}) {
        INFO(path);
        const auto reason = protectionOf(path, facts);
        REQUIRE(reason);
        CHECK(reason->reason.starts_with(path));
        CHECK(reason->reason.ends_with("."));
    }
}

TEST_CASE("what people fill drives with is not protected", "[plan][guard]")
{
    for (const auto* path :
         {"/home/warden/.cache", "/home/warden/Recordings", "/var/log/recorder.log", "/var/cache/packages",
          "/opt/plotter", "/usr/local/share/maps", "/home/guest/Downloads", "/media/warden/skerry-archive", "/swapfile",
          "/etcetera", "/homes", "/home/warden/.local/share/mail", "/home/warden/.local/share/Trash/files/x",
          "/var/lib/dumps"}) {
        INFO(path);
        CHECK_FALSE(protectionOf(path, facts));
    }
}

TEST_CASE("the guard is lifted for one item, and never for what would take a person or the system along",
          "[plan][guard]")
{
    const auto tree = plant(folder("/", {folder("usr", {folder("lib", {file("old.so", 8192), file("new.so", 4096)})}),
                                         folder("home", {folder("guest", {file("a", 4096)}), folder("warden", {})})}));
    Plan plan;
    const auto old = *tree->find("/usr/lib/old.so");
    CHECK_FALSE(plan.add(*tree, old, facts));
    REQUIRE(plan.add(*tree, old, facts, Guard::Lifted));
    CHECK(plan.items()[0].guardLifted);
    CHECK_FALSE(plan.add(*tree, *tree->find("/usr/lib/new.so"), facts)); // for that one only
    REQUIRE(plan.add(*tree, *tree->find("/home/guest"), facts, Guard::Lifted));
    for (const auto* path : {"/usr", "/home", "/home/warden"}) {
        INFO(path);
        CHECK_FALSE(plan.add(*tree, *tree->find(path), facts, Guard::Lifted));
    }
    CHECK(plan.items().size() == 2);
}

TEST_CASE("what packages own is protected wherever it lies", "[plan][guard][packages]")
{
    const TestFolder t;
    t.text("var/lib/dpkg/status", "Package: plotter\nStatus: install ok installed\nVersion: 1.2\n\n");
    t.text("var/lib/dpkg/info/plotter.list", "/.\n/opt\n/opt/plotter\n/opt/plotter/asset.pak\n");
    const auto packages = PackageDatabase::read(t.path());
    REQUIRE(packages);
    GuardFacts known = facts;
    known.packages = &*packages;
    const auto file = protectionOf("/opt/plotter/asset.pak", known);
    REQUIRE(file);
    CHECK(file->reason.find("the package plotter") != std::string::npos);
    CHECK(file->reason.find("sudo apt remove plotter") != std::string::npos);
    CHECK(file->canBeLifted);
    CHECK(protectionOf("/opt/plotter", known)); // with what is in it
    CHECK_FALSE(protectionOf("/opt/plotter/mine.txt", known));
    CHECK_FALSE(protectionOf("/opt/plotter2", known));
    CHECK_FALSE(protectionOf("/opt/plotter/asset.pak", facts));
}
