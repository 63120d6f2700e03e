// SPDX-License-Identifier: GPL-3.0-or-later
// A tree narrowed to what was found: the sums of exactly that.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <unistd.h>

#include <random>

#include "core/find/questions.h"
#include "core/platform/unique_fd.h"
#include "core/scan/scanner.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("a narrowed tree holds what is wanted, the way to it, and its sums", "[tree][narrowed]")
{
    const auto tree = plant(folder("/p", {folder("a", {file("x", 4096), folder("b", {file("y", 8192)})}),
                                          folder("c", {file("z", 16384)}), file("w", 1024)}));
    std::vector<bool> wanted(tree->extent().nodes);
    const auto y = *tree->find("/p/a/b/y"), w = *tree->find("/p/w");
    wanted[y] = wanted[w] = true;
    const FileTree narrowed(*tree, wanted);
    CHECK(narrowed.isNarrowed());
    CHECK(narrowed.disk(rootNode) == tree->disk(y) + tree->disk(w)); // no folder's own blocks
    CHECK(narrowed.sums(rootNode).files == 2);
    CHECK(narrowed.contains(y));
    CHECK_FALSE(narrowed.contains(*tree->find("/p/a/x")));
    CHECK_FALSE(narrowed.contains(*tree->find("/p/c")));
    CHECK(narrowed.countChildren(*tree->find("/p/a")) == 1);
    CHECK(narrowed.sortedChildren(rootNode, Measure::Disk).front() == *tree->find("/p/a"));

    // What was taken out in the meantime is not there, and nothing at all leaves the root alone.
    const FileTree less(tree->sharedStore(), {*tree->find("/p/a")});
    const FileTree narrowedLess(less, wanted);
    CHECK(narrowedLess.disk(rootNode) == tree->disk(w));
    CHECK_FALSE(narrowedLess.contains(y));
    const FileTree nothing(*tree, std::vector<bool>(tree->extent().nodes));
    CHECK(nothing.disk(rootNode) == 0);
    CHECK(nothing.contains(rootNode));
    CHECK(nothing.countChildren(rootNode) == 0);
}

TEST_CASE("narrowed sums at every folder, with links, as counted by hand", "[tree][narrowed]")
{
    std::mt19937 random(5);
    for (int round = 0; round < 20; ++round) {
        TestFolder t;
        std::vector<std::string> folders{"place"}, files;
        for (int i = 0; i < 60; ++i) {
            const auto name = folders[random() % folders.size()] + "/e" + std::to_string(i);
            if (random() % 4 == 0) {
                t.folder(name);
                folders.push_back(name);
            } else if (!files.empty() && random() % 5 == 0) {
                t.link(files[random() % files.size()], name);
            } else {
                files.push_back(name);
                t.file(name, random() % 20000);
            }
        }
        const auto tree = scan(t / "place")->tree;
        std::vector<bool> wanted(tree->extent().nodes);
        for (NodeId node = 1; node < tree->extent().nodes; ++node)
            wanted[node] = !tree->isFolder(node) && random() % 3 == 0;
        const FileTree narrowed(*tree, wanted);
        for (NodeId folder = 0; folder < tree->extent().nodes; ++folder) {
            if (!tree->isFolder(folder))
                continue;
            std::uint64_t disk = 0, count = 0;
            for (NodeId node = 1; node < tree->extent().nodes; ++node)
                if (wanted[node] && tree->isAtOrBelow(node, folder)) {
                    disk += tree->disk(node);
                    ++count;
                }
            CHECK(narrowed.contains(folder) == (count > 0 || folder == rootNode));
            CHECK(narrowed.sums(folder).files == count);
            CHECK(narrowed.disk(folder) == disk);
        }
    }
}

TEST_CASE("space kept beyond the end of a file is told from holes", "[questions][scan]")
{
    TestFolder t;
    const auto ahead = t.text("place/next-hour.wav", "a minute");
    const UniqueFd fd(::open(ahead.c_str(), O_WRONLY));
    if (::fallocate(fd.get(), FALLOC_FL_KEEP_SIZE, 0, 3 << 20) != 0)
        return; // not on this filesystem
    const auto holes = t.text("place/ring.buf", "begin");
    REQUIRE(::truncate(holes.c_str(), 64 << 20) == 0);
    t.file("place/plain", 2 << 20);
    const auto tree = scan(t / "place")->tree;
    const Questions questions(tree, 0);
    const auto kept = questions.nodes(Question::Preallocated), sparse = questions.nodes(Question::Sparse);
    REQUIRE(kept.size() == 1);
    CHECK(tree->name(kept.front()) == "next-hour.wav");
    REQUIRE(sparse.size() == 1);
    CHECK(tree->name(sparse.front()) == "ring.buf");
}
