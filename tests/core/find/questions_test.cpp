// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <set>

#include "core/find/order.h"
#include "core/find/questions.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::int64_t questioned = 1800000000;

} // namespace

TEST_CASE("each question finds its own", "[questions]")
{
    auto old = file("archive.tar", 50 << 20);
    old.modified = questioned - 400ll * 86400;
    auto fresh = file("film.mkv", 50 << 20);
    fresh.modified = questioned;
    const auto tree = plant(folder(
        "/",
        {folder("home", {folder(".cache", {file("tile", 20 << 20)}), old, fresh, file("letter.txt~", 100),
                         file(".~lock.a.odt#", 10), file("big.iso", 1000), file("tool.AppImage", 9),
                         folder(".local", {folder("share", {folder("Trash", {folder("files", {file("x", 5)})})})})}),
         folder("var", {folder("log", {file("syslog", 300), folder("deep", {file("odd", 1)})}),
                        folder("lib", {folder("coredump", {file("core.9", 7)})})}),
         folder(".Trash-1000", {file("gone", 6)}), file("photo.jpg.part", 3)}));
    const Questions questions(tree, questioned);
    const auto names = [&](Question question) {
        std::set<std::string> found;
        for (const auto node : questions.nodes(question))
            found.insert(std::string(tree->name(node)));
        return found;
    };
    using Names = std::set<std::string>;
    CHECK(names(Question::All).size() == 13);
    CHECK(names(Question::LargeHidden) == Names{"tile"});
    CHECK(names(Question::OldLarge).contains("archive.tar"));
    CHECK_FALSE(names(Question::OldLarge).contains("film.mkv"));
    CHECK(names(Question::Trash) == Names{"x", "gone"});
    CHECK(names(Question::Caches) == Names{"tile"});
    CHECK(names(Question::LogsAndDumps) == Names{"syslog", "odd", "core.9"});
    CHECK(names(Question::Leftovers) == Names{"letter.txt~", ".~lock.a.odt#", "photo.jpg.part"});
    CHECK(names(Question::Images) == Names{"big.iso", "tool.AppImage"});
    CHECK(names(Question::Sparse).empty());
    CHECK(names(Question::Preallocated).empty());
    CHECK(names(Question::HiddenRoots) == Names{".cache"}); // .local holds too little
    CHECK(names(Question::ManyFiles).empty());
    const auto answers = questions.answers();
    for (std::size_t q = 0; q < questionCount; ++q) {
        std::uint64_t disk = 0;
        const auto files = questions.nodes(static_cast<Question>(q));
        for (const auto node : files)
            disk += tree->disk(node);
        CHECK(answers[q].found == files.size());
        if (static_cast<Question>(q) != Question::ManyFiles)
            CHECK(answers[q].disk == disk);
    }
    CHECK(questions.answers(*tree->find("/var"))[0].found == 3);
}

TEST_CASE("folders with very many entries, one in another", "[questions]")
{
    std::vector<Sapling> outer, inner;
    for (int i = 0; i < 1500; ++i) {
        outer.push_back(file("o" + std::to_string(i), 512));
        inner.push_back(file("i" + std::to_string(i), 1024));
    }
    outer.push_back(folder("inner", inner));
    const auto tree = plant(folder("/p", {folder("outer", outer), folder("few", {file("x", 512)})}));
    const Questions questions(tree, questioned);
    CHECK(questions.nodes(Question::ManyFiles).size() == 2);
    const auto answer = questions.answers()[static_cast<std::size_t>(Question::ManyFiles)];
    CHECK(answer.found == 2);
    CHECK(answer.disk == 1500 * 512 + 1500 * 1024); // each file once
}

TEST_CASE("long lists in every order", "[order][property]")
{
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        const auto tree = randomTree(seed);
        std::vector<NodeId> files;
        tree->forEachBelow(rootNode, [&](NodeId node) {
            if (!tree->isFolder(node))
                files.push_back(node);
        });
        const std::set<NodeId> all(files.begin(), files.end());
        for (const auto order : {FileOrder::Name, FileOrder::Folder, FileOrder::Disk, FileOrder::Apparent,
                                 FileOrder::Changed, FileOrder::Type, FileOrder::Owner})
            for (const bool descending : {false, true}) {
                sortFiles(*tree, files, order, descending);
                CHECK(std::set<NodeId>(files.begin(), files.end()) == all);
                for (std::size_t i = 1; i < files.size(); ++i) {
                    auto a = files[i - 1], b = files[i];
                    if (descending)
                        std::swap(a, b);
                    const auto& store = tree->store();
                    switch (order) {
                    case FileOrder::Folder:
                        if (store.parent(a) != store.parent(b))
                            CHECK(store.comparePaths(store.parent(a), store.parent(b)) < 0);
                        break;
                    case FileOrder::Disk:
                        CHECK(tree->disk(a) <= tree->disk(b));
                        break;
                    case FileOrder::Apparent:
                        CHECK(tree->apparent(a) <= tree->apparent(b));
                        break;
                    case FileOrder::Changed:
                        CHECK(store.modified(a) <= store.modified(b));
                        break;
                    case FileOrder::Owner:
                        CHECK(store.owner(a) <= store.owner(b));
                        break;
                    default:
                        break;
                    }
                }
            }
    }
}
