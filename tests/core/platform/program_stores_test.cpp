// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <algorithm>
#include <filesystem>

#include "core/platform/package_database.h"
#include "core/platform/program_stores.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const StoredThing& thing(const std::vector<StoredThing>& all, const std::string& name)
{
    INFO(name);
    const auto found = std::find_if(all.begin(), all.end(), [&](const StoredThing& t) { return t.name == name; });
    REQUIRE(found != all.end());
    return *found;
}

} // namespace

TEST_CASE("stores: revisions of snaps, and runtimes that no sandboxed program needs", "[stores]")
{
    const TestFolder t;
    t.file("var/lib/snapd/snaps/plotter_12.snap", 100);
    t.file("var/lib/snapd/snaps/plotter_14.snap", 100);
    t.file("var/lib/snapd/snaps/odd.snap", 100);
    t.folder("snap/plotter/14");
    t.symlink("14", "snap/plotter/current");
    const std::string flatpak = "var/lib/flatpak/";
    t.text(flatpak + "app/org.skerry.Atlas/x86_64/stable/abc123/metadata",
           "[Application]\nname=org.skerry.Atlas\nruntime=org.shore.Platform/x86_64/24.08\n");
    t.symlink("abc123", flatpak + "app/org.skerry.Atlas/x86_64/stable/active");
    t.folder(flatpak + "app/org.skerry.Atlas/x86_64/stable/old999");
    for (const auto* branch : {"23.08", "24.08"}) {
        t.folder(flatpak + "runtime/org.shore.Platform/x86_64/" + branch + "/def456");
        t.symlink("def456", flatpak + "runtime/org.shore.Platform/x86_64/" + branch + "/active");
    }
    t.folder(flatpak + "runtime/org.shore.Platform.Locale/x86_64/24.08/fff");
    t.symlink("fff", flatpak + "runtime/org.shore.Platform.Locale/x86_64/24.08/active");
    // One whose link leads out of the store.
    t.folder(flatpak + "runtime/org.evil.Platform/x86_64/1/x");
    t.symlink("../../../../../../../etc", flatpak + "runtime/org.evil.Platform/x86_64/1/active");
    const auto all = readProgramStores(t.path());
    CHECK_FALSE(thing(all, "plotter, revision 12").needed);
    CHECK(thing(all, "plotter, revision 12").command == "sudo snap remove 'plotter' --revision='12'");
    CHECK(thing(all, "plotter, revision 14").needed);
    CHECK(thing(all, "org.skerry.Atlas/x86_64/stable").needed);
    CHECK(thing(all, "org.shore.Platform/x86_64/24.08").needed);
    CHECK_FALSE(thing(all, "org.shore.Platform/x86_64/23.08").needed);
    CHECK(thing(all, "org.shore.Platform.Locale/x86_64/24.08").needed);
    CHECK_FALSE(thing(all, "org.skerry.Atlas/x86_64/stable, old999").needed);
    for (const auto& one : all)
        for (const auto& path : one.paths)
            CHECK(path.starts_with(t.path() + "/var/lib/"));
    CHECK(all.size() == 7);
}

TEST_CASE("stores: layers of container images belong to those that alone have them", "[stores]")
{
    const TestFolder t;
    const std::string docker = "var/lib/docker/", db = docker + "image/overlay2/";
    t.text(
        db + "repositories.json",
        R"({"Repositories": {"skerry/base": {"skerry/base:1": "sha256:aaaa"}, "skerry/tool": {"skerry/tool:2": "sha256:bbbb"}}})");
    t.text(db + "imagedb/content/sha256/aaaa", R"({"rootfs": {"type": "layers", "diff_ids": ["sha256:d1"]}})");
    t.text(db + "imagedb/content/sha256/bbbb",
           R"({"rootfs": {"type": "layers", "diff_ids": ["sha256:d1", "sha256:d2"]}})");
    t.text(db + "imagedb/content/sha256/cccc", R"({"rootfs": {"type": "layers", "diff_ids": ["sha256:d9"]}})");
    t.text(db + "imagedb/content/sha256/dddd", "{half of it");
    t.text(db + "layerdb/sha256/c1/cache-id", "cache1");
    t.text(db + "layerdb/sha256/c1/diff", "sha256:d1");
    t.text(db + "layerdb/sha256/c2/cache-id", "cache2");
    t.text(db + "layerdb/sha256/c2/diff", "sha256:d2");
    t.text(db + "layerdb/sha256/c2/parent", "sha256:c1");
    t.text(db + "layerdb/sha256/c3/cache-id", "../../../etc");
    t.text(db + "layerdb/sha256/c3/diff", "sha256:d9");
    t.text(
        docker + "containers/f00d/config.v2.json",
        R"({"Name": "/atlas", "Image": "sha256:aaaa", "State": {"Running": true}, "MountPoints": {"/d": {"Name": "notes"}}})");
    t.folder(docker + "volumes/notes/_data");
    t.folder(docker + "volumes/left/_data");
    const std::string podman = "home/warden/.local/share/containers/storage/";
    t.text(
        podman + "overlay-images/images.json",
        R"([{"id": "1111", "names": ["skerry/web:1"], "layer": "l2"}, {"id": "2222", "layer": "l1"}, 7, {"id": "../x"}])");
    t.text(podman + "overlay-layers/layers.json",
           R"([{"id": "l1"}, {"id": "l2", "parent": "l1"}, {"id": "l3", "parent": "l3"}])");
    t.text(podman + "overlay-containers/containers.json",
           R"([{"id": "9999", "names": ["web"], "image": "1111", "layer": "l4"}])");
    const auto all = readProgramStores(t.path(), {t / "home/warden"});
    const auto& base = thing(all, "skerry/base:1");
    CHECK(base.needed);
    CHECK(base.paths.empty()); // its one layer is the other image's as well
    const auto& tool = thing(all, "skerry/tool:2");
    CHECK_FALSE(tool.needed);
    CHECK(tool.paths == std::vector<std::string>{t / "var/lib/docker/overlay2/cache2"});
    CHECK(thing(all, "atlas").needed);
    CHECK(thing(all, "notes").needed);
    CHECK_FALSE(thing(all, "left").needed);
    CHECK(thing(all, "skerry/web:1").needed);
    CHECK(thing(all, "skerry/web:1").paths ==
          std::vector<std::string>{t / "home/warden/.local/share/containers/storage/overlay/l2"});
    CHECK_FALSE(thing(all, "2222, without a name").needed);
    for (const auto& one : all)
        for (const auto& path : one.paths)
            CHECK(path.find("..") == std::string::npos);
    CHECK(readProgramStores(t / "nothing").empty());
}

TEST_CASE("packages that nothing needs any more are those that apt would remove", "[packages][stores]")
{
    const TestFolder t;
    const auto package = [](const std::string& name, const std::string& more) {
        return "Package: " + name + "\nStatus: install ok installed\nArchitecture: all\n" + more + "\n";
    };
    t.text("var/lib/dpkg/status", package("wanted", "Depends: lib-a (>= 1), virtual | lib-z\n") +
                                      package("lib-a", "Recommends: lib-b\n") + package("lib-b", "") +
                                      package("provider", "Provides: virtual (= 2)\n") +
                                      package("left", "Depends: left-too\n") + package("left-too", "") +
                                      package("core", "Priority: required\n") + package("linux-image-1", ""));
    std::string states;
    for (const auto* name : {"lib-a", "lib-b", "provider", "left", "left-too", "core", "linux-image-1"})
        states += std::string("Package: ") + name + "\nAuto-Installed: 1\n\n";
    t.text("var/lib/apt/extended_states", states);
    const auto told = PackageDatabase::read(t.path());
    REQUIRE(told);
    std::vector<std::string> none;
    for (const auto& each : told->packages())
        if (each.neededByNone)
            none.push_back(each.name);
    CHECK(none == std::vector<std::string>{"left", "left-too"});
    // Where nobody knows what was asked for, nothing is said.
    std::filesystem::remove(t / "var/lib/apt/extended_states");
    const auto blind = PackageDatabase::read(t.path());
    REQUIRE(blind);
    for (const auto& each : blind->packages())
        CHECK_FALSE(each.neededByNone);
}
