// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <set>

#include "core/advice/tree_advice.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// The role of a file at this path of a machine's drive, by name.
std::string roleOf(const std::string& path)
{
    auto sapling = file(path.substr(path.rfind('/') + 1), 1);
    for (auto above = path.substr(0, path.rfind('/')); !above.empty(); above.resize(above.rfind('/')))
        sapling = folder(above.substr(above.rfind('/') + 1), {sapling});
    const auto tree = plant(folder("/", {sapling}));
    return std::string(roleName(adviseTree(RuleBook::builtIn(), *tree).roles[*tree->find(path)]));
}

} // namespace

TEST_CASE("a role is what the place is for", "[advice][role]")
{
    const std::pair<const char*, const char*> expected[] = {
        {"/boot/vmlinuz-6.1.0-13-amd64", "system"},
        {"/etc/ssl/certs/a.pem", "system"},
        {"/usr/bin/tool", "programs"},
        {"/usr/share/doc/a/picture.png", "programs"},
        {"/opt/plotter/asset.iso", "programs"},
        {"/var/cache/apt/archives/a.deb", "packages"},
        {"/var/log/recorder.log", "logs"},
        {"/var/lib/recorder/ring.buf", "appdata"},
        {"/var/lib/docker/overlay2/x/diff/tmp/a.log", "machines"},
        {"/var/backups/desk/2026-06-30/file.jpg", "backups"},
        {"/home/warden/Nest camera/still.jpg", "pictures"},
        {"/home/warden/letter.odt", "documents"},
        {"/home/warden/Recordings/dawn.flac", "audio"},
        {"/home/warden/odd.thing", "personal"},
        {"/home/warden/.cache/tide-maps/z15/y.png", "cache"},
        {"/home/warden/.cache/tide-maps/index.sqlite", "cache"},
        {"/home/warden/.cache/tool/a.log", "logs"},
        {"/home/warden/.local/share/Trash/files/film.mov", "trash"},
        {"/home/warden/.config/tool/state.db", "appdata"},
        {"/home/warden/code/node_modules/a/index.js", "development"},
        {"/home/warden/code/.git/objects/aa/x.pack", "development"},
        {"/home/warden/Downloads/viewer.deb", "downloads"},
        {"/home/warden/Backups/2025/letter.odt", "backups"},
        {"/home/warden/Backups/2025/code/node_modules/a.js", "backups"},
        {"/home/ringing/machines/old.qcow2", "machines"},
        {"/tmp/build/a.o", "temporary"},
        {"/data/film.mkv", "video"},
        {"/data/thing", "unknown"},
    };
    for (const auto& [path, role] : expected) {
        INFO(path);
        CHECK(roleOf(path) == role);
    }
}

TEST_CASE("a role is the same from wherever a scan began", "[advice][role]")
{
    const auto inside = [](Sapling home) {
        return plant(folder("/", {folder("home", {folder("warden", {std::move(home)})})}));
    };
    const auto cache = folder(".cache", {folder("maps", {file("y.png", 5), file("i.sqlite", 3), file("x.log", 2)})});
    const auto whole = inside(cache);
    auto part = cache;
    part.name = "/home/warden/.cache";
    const auto alone = plant(part);
    const auto a = adviseTree(RuleBook::builtIn(), *whole), b = adviseTree(RuleBook::builtIn(), *alone);
    alone->forEachBelow(rootNode, [&](NodeId node) {
        const auto path = alone->path(node);
        INFO(path);
        const auto there = whole->find(path);
        REQUIRE(there);
        CHECK(a.roles[*there] == b.roles[node]);
        CHECK(a.rules[*there] == b.rules[node]);
    });
}

TEST_CASE("roles add up to all there is", "[advice][role]")
{
    for (std::uint64_t seed = 0; seed < 20; ++seed) {
        const auto tree = randomTree(seed);
        std::uint64_t disk = 0, files = 0, apparent = 0;
        for (const auto& sum : rolesBelow(*tree, adviseTree(RuleBook::builtIn(), *tree))) {
            disk += sum.disk;
            files += sum.files;
            apparent += sum.apparent;
        }
        CHECK(disk == tree->disk(rootNode));
        CHECK(apparent == tree->apparent(rootNode));
        CHECK(files == tree->files(rootNode));
    }
}

TEST_CASE("every role has its words, and a rule with a wrong one is told", "[advice][role]")
{
    std::set<std::string> names, titles;
    for (std::size_t i = 0; i < roleCount; ++i) {
        const auto role = static_cast<Role>(i);
        names.emplace(roleName(role));
        titles.emplace(roleTitle(role));
        CHECK(roleNamed(roleName(role)) == role);
        CHECK(std::string(roleGroupTitle(groupOf(role))) != "");
    }
    CHECK(names.size() == roleCount);
    CHECK(titles.size() == roleCount);
    const std::string begin =
        "[[rule]]\nid = \"a\"\npath = \"/a/**\"\nlevel = \"your call\"\nwhat = \"W.\"\ndo = \"D.\"\n";
    RuleBook book;
    REQUIRE(book.add(begin + "role = \"logs\"\nlead = \"Logs of a\"\n", "a.toml").empty());
    CHECK(book.rules()[0].role == Role::Logs);
    CHECK(book.rules()[0].lead == "Logs of a");
    const auto problems = RuleBook().add(begin + "role = \"rubbish\"\n", "a.toml");
    REQUIRE(problems.size() == 1);
    CHECK(problems[0].line == 7);
    CHECK(problems[0].sentence.find("temporary") != std::string::npos);
    // All but those that go by what a file is have one.
    std::size_t without = 0;
    for (const auto& rule : RuleBook::builtIn().rules())
        without += rule.role ? 0 : 1;
    CHECK(without <= 2);
}
