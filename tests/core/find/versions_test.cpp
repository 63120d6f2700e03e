// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <algorithm>
#include <fstream>
#include <map>
#include <set>

#include "core/find/versions.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20;

using Sets = std::set<std::set<std::string>>;

Sets found(const std::vector<std::string>& names)
{
    std::vector<Sapling> entries;
    for (const auto& name : names)
        entries.push_back(name.ends_with('/') ? folder(name.substr(0, name.size() - 1), {file("x", 2 * MiB)})
                                              : file(name, 2 * MiB));
    const auto tree = plant(folder("/data", entries));
    Sets sets;
    for (const auto& group : findVersions(*tree, {})) {
        std::set<std::string> members;
        for (const NodeId node : group.items)
            members.insert(std::string(tree->name(node)) + (tree->isFolder(node) ? "/" : ""));
        sets.insert(members);
    }
    return sets;
}

} // namespace

TEST_CASE("versions: 300 folders, written down before", "[find][versions]")
{
    std::ifstream in(std::string(KURVO_SOURCE) + "/tests/core/find/data/versions.txt");
    REQUIRE(in);
    struct Folder {
        std::string title;
        std::vector<std::string> names;
        std::map<char, std::set<std::string>> groups;
    };
    std::vector<Folder> folders;
    for (std::string line; std::getline(in, line);) {
        if (line.starts_with('['))
            folders.push_back({line, {}, {}});
        else if (!line.empty() && line[0] != '#') {
            folders.back().names.push_back(line.substr(2));
            if (line[0] != '-')
                folders.back().groups[line[0]].insert(line.substr(2));
        }
    }
    REQUIRE(folders.size() == 300);
    std::size_t wrong = 0, missed = 0, right = 0;
    for (const auto& each : folders) {
        Sets expected;
        for (const auto& [letter, names] : each.groups)
            expected.insert(names);
        const auto sets = found(each.names);
        for (const auto& set : sets)
            expected.contains(set) ? ++right : ++wrong;
        for (const auto& set : expected)
            missed += sets.contains(set) ? 0 : 1;
        if (sets != expected)
            UNSCOPED_INFO(each.title);
    }
    INFO(right << " right, " << wrong << " wrong, " << missed << " missed");
    CHECK(wrong == 0);
    CHECK(missed == 0);
}

TEST_CASE("versions: the newest comes first, and what may go", "[find][versions]")
{
    const auto at = [](Sapling sapling, std::int64_t when) {
        sapling.modified = when;
        return sapling;
    };
    const auto tree =
        plant(folder("/data", {at(file("tool-1.9.0.deb", 2 * MiB), 100), at(file("tool-1.10.0.deb", 3 * MiB), 300),
                               at(file("tool-1.10.0-rc1.deb", 4 * MiB), 200), at(file("tool-0.2.deb", 5 * MiB), 50)}));
    const auto groups = findVersions(*tree, {});
    REQUIRE(groups.size() == 1);
    std::vector<std::string> names;
    for (const NodeId node : groups[0].items)
        names.emplace_back(tree->name(node));
    CHECK(names ==
          std::vector<std::string>{"tool-1.10.0.deb", "tool-1.10.0-rc1.deb", "tool-1.9.0.deb", "tool-0.2.deb"});
    CHECK(groups[0].name == "tool.deb");
    CHECK(groups[0].older == 11 * MiB);
    CHECK(versionsToRemove(groups[0], *tree, 1, 1000).size() == 3);
    CHECK(versionsToRemove(groups[0], *tree, 3, 1000).size() == 1);
    CHECK(versionsToRemove(groups[0], *tree, 0, 1000).size() == 3); // one always stays
    CHECK(versionsToRemove(groups[0], *tree, 1, 1000, 850).size() == 2);
    // What was opened lately, or nobody knows when, stays.
    const auto opened = [&](NodeId node) -> std::optional<std::int64_t> {
        return tree->name(node) == "tool-0.2.deb" ? std::optional<std::int64_t>() : 900;
    };
    CHECK(versionsToRemove(groups[0], *tree, 1, 1000, 0, 50, opened).size() == 2);
    CHECK(versionsToRemove(groups[0], *tree, 1, 1000, 0, 500, opened).empty());
}

TEST_CASE("versions: what is installed, cached or thrown away is left out", "[find][versions]")
{
    const auto pair = [](const std::string& name) {
        return folder(name, {file("tool-1.0.zip", 2 * MiB), file("tool-1.1.zip", 2 * MiB)});
    };
    const auto tree = plant(folder(
        "/", {folder("usr", {folder("share", {pair("a")}), folder("local", {pair("b")})}),
              folder("home", {folder("w", {folder(".cache", {pair("c")}), pair("d"),
                                           folder(".local", {folder("share", {folder("Trash", {pair("files")})})})})}),
              pair("e")}));
    VersionOptions options;
    options.advice = std::make_shared<const TreeAdvice>(adviseTree(RuleBook::builtIn(), *tree));
    options.isPackaged = [](const std::string& path) { return path == "/e/tool-1.0.zip"; };
    std::set<std::string> folders;
    for (const auto& group : findVersions(*tree, options))
        folders.insert(tree->path(group.folder));
    CHECK(folders == std::set<std::string>{"/usr/local/b", "/home/w/d"});
}

TEST_CASE("versions: a hundred thousand numbered files are no crowd of groups, and any name is taken",
          "[find][versions]")
{
    std::vector<Sapling> many;
    for (int i = 0; i < 100000; ++i)
        many.push_back(file("x-1." + std::to_string(i) + ".zip", 4096));
    const auto tree = plant(folder("/data", {folder("many", std::move(many))}));
    const auto groups = findVersions(*tree, {});
    REQUIRE(groups.size() == 1);
    CHECK(groups[0].items.size() == 100000);
    CHECK(tree->name(groups[0].items.front()) == "x-1.99999.zip");
    for (const auto* name : {"",
                             ".",
                             "(",
                             ")",
                             "()",
                             "( )",
                             "v",
                             "v1",
                             "1.",
                             ".1",
                             "1.1",
                             "copy of ",
                             "(2)",
                             " (2)",
                             ".bak",
                             "99999999999999999999.99999999999999999999",
                             "\xff\xfe-1.2.zip",
                             "2026-13-41.tar",
                             "-",
                             "a (copy",
                             "a\x01"
                             "b-1.2.zip",
                             "20260501",
                             "v1.2.3.4.5.6",
                             "x-1.2-3-4-5-rc-rc1"})
        for (const bool isFolder : {false, true})
            (void)versionedName(name, isFolder);
}
