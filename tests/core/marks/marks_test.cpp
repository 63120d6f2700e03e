// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sqlite3.h>
#include <sys/stat.h>

#include <filesystem>
#include <map>

#include "core/marks/marks.h"
#include "core/platform/unique_fd.h"
#include "support/mounts.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("marks stay with their path, by machine", "[marks]")
{
    const TestFolder t;
    const std::string odd = "/home/a/\xff\n'odd\"";
    {
        MarkStore store(t / "data/marks.db");
        CHECK(store.read("desk")->marks.empty());
        CHECK_FALSE(exists(t / "data/marks.db")); // looking makes nothing
        REQUIRE(store.write("desk", {{"/home/a", "keep", "theirs", 100}, {odd, "ask", "", 200}}));
        REQUIRE(store.write("bench", {{"/home/a", "archive", "", 300}}));
    }
    struct stat s { };
    REQUIRE(::stat((t / "data/marks.db").c_str(), &s) == 0);
    CHECK((s.st_mode & 077) == 0); // paths can be private
    MarkStore store(t / "data/marks.db");
    const auto desk = store.read("desk");
    REQUIRE(desk);
    CHECK(desk->marks.size() == 2);
    CHECK(desk->marks.at(odd) == Mark{odd, "ask", "", 200});
    CHECK(desk->marks.at("/home/a").note == "theirs");
    CHECK(store.read("bench")->marks.at("/home/a").kind == "archive");
    REQUIRE(store.write("desk", {{"/home/a", "ask", "changed", 400}, {odd, "", "", 0}}));
    CHECK(store.read("desk")->marks.size() == 1);
    CHECK(store.read("desk")->marks.at("/home/a").kind == "ask");
}

TEST_CASE("kinds of one's own stand behind those that are built in", "[marks]")
{
    const TestFolder t;
    MarkStore store(t / "marks.db");
    REQUIRE(store.writeKinds({{"later", "look later", 0x332288, "L"}, {"keep", "twice", 1, "x"}}));
    auto book = store.read("desk");
    REQUIRE(book);
    REQUIRE(book->kinds.size() == 5);
    CHECK(book->kinds[4] == MarkKind{"later", "look later", 0x332288, "L"});
    REQUIRE(store.write("desk", {{"/a", "later", "", 1}}));
    REQUIRE(store.writeKinds({})); // the mark stays, and comes back with its kind
    book = store.read("desk");
    CHECK_FALSE(book->kindIndex("later"));
    CHECK(book->marks.size() == 1);
}

TEST_CASE("what lies in a marked folder has its mark", "[marks]")
{
    const auto tree = plant(folder("/place", {folder("a", {file("x", 1), folder("b", {file("y", 1), file("z", 1)})}),
                                              folder("c", {file("w", 1)})}));
    auto book = std::make_shared<MarkBook>();
    for (const auto& [path, kind] : std::map<std::string, std::string>{
             {"/place/a", "archive"}, {"/place/a/b/y", "keep"}, {"/place/gone", "ask"}, {"/place/c", "no kind"}})
        book->marks[path] = {path, kind, "", 0};
    const TreeMarks marks(tree, book);
    const auto at = [&](const char* path) { return *tree->find(path); };
    CHECK(marks.own(at("/place/a"))->kind == "archive");
    CHECK(marks.own(at("/place/a/x")) == nullptr);
    CHECK(marks.of(at("/place/a/x")).mark->kind == "archive");
    CHECK(marks.of(at("/place/a/x")).from == at("/place/a"));
    CHECK(marks.of(at("/place/a/b")).mark->kind == "archive");
    CHECK(marks.of(at("/place/a/b/y")).mark->kind == "keep");
    CHECK(marks.kindOf(at("/place/a/b/z")) == 2);
    CHECK(marks.kindOf(at("/place/c/w")) == book->kinds.size());
    CHECK(marks.of(rootNode).mark == nullptr);
    // A place that lies in a marked folder inherits as well, and it is not the place's own.
    book->marks["/"] = {"/", "ask", "", 0};
    const TreeMarks within(tree, book);
    CHECK(within.of(at("/place/c/w")).mark->kind == "ask");
    CHECK(within.own(rootNode) == nullptr);
    CHECK_FALSE(TreeMarks(tree, std::make_shared<MarkBook>()).any());
}

TEST_CASE("a database that is damaged, foreign or newer is told and left as it is", "[marks]")
{
    const TestFolder t;
    const auto path = t / "marks.db";
    {
        MarkStore store(path);
        REQUIRE(store.write("desk", {{"/a", "keep", "", 1}}));
    }
    const auto whole = readAll(path);
    SECTION("no database")
    {
        writeAll(path,
                 "some text that is long enough to be looked at as the header of a database file, and more of it");
    }
    SECTION("overwritten")
    {
        auto bad = whole;
        for (std::size_t i = 100; i < bad.size(); ++i)
            bad[i] = static_cast<char>(i * 37);
        writeAll(path, bad);
    }
    SECTION("another program's")
    {
        sqlite3* db = nullptr;
        std::filesystem::remove(path);
        REQUIRE(sqlite3_open(path.c_str(), &db) == SQLITE_OK);
        sqlite3_exec(db, "CREATE TABLE a (b)", nullptr, nullptr, nullptr);
        sqlite3_close(db);
    }
    SECTION("newer")
    {
        sqlite3* db = nullptr;
        REQUIRE(sqlite3_open(path.c_str(), &db) == SQLITE_OK);
        sqlite3_exec(db, "PRAGMA user_version = 7", nullptr, nullptr, nullptr);
        sqlite3_close(db);
    }
    const auto before = readAll(path);
    MarkStore store(path);
    const auto book = store.read("desk");
    REQUIRE_FALSE(book);
    CHECK(book.error().sentence.find("left as") != std::string::npos);
    CHECK_FALSE(store.write("desk", {{"/b", "keep", "", 1}}));
    CHECK(readAll(path) == before);
}

TEST_CASE("a database that is locked, read-only or on a full drive loses nothing", "[marks]")
{
    const TestFolder t;
    const auto path = t / "marks.db";
    MarkStore store(path);
    REQUIRE(store.write("desk", {{"/a", "keep", "", 1}}));
    SECTION("locked")
    {
        sqlite3* other = nullptr;
        REQUIRE(sqlite3_open(path.c_str(), &other) == SQLITE_OK);
        REQUIRE(sqlite3_exec(other, "BEGIN EXCLUSIVE", nullptr, nullptr, nullptr) == SQLITE_OK);
        const auto refused = store.write("desk", {{"/b", "keep", "", 1}});
        REQUIRE_FALSE(refused);
        CHECK(refused.error().sentence.find("Another program") != std::string::npos);
        sqlite3_exec(other, "COMMIT", nullptr, nullptr, nullptr);
        sqlite3_close(other);
        CHECK(store.write("desk", {{"/b", "keep", "", 1}}));
    }
    SECTION("read-only")
    {
        ::chmod(t.path().c_str(), 0755);
        ::chmod(path.c_str(), 0444);
        CHECK(asNobody([&] {
                  MarkStore theirs(path);
                  const auto book = theirs.read("desk");
                  return book && book->marks.size() == 1 && !theirs.write("desk", {{"/b", "keep", "", 1}});
              }) == 0);
        CHECK(store.read("desk")->marks.size() == 1);
    }
    SECTION("full drive")
    {
        if (!canMount())
            return;
        const TmpfsMount mount(t / "full", "size=256k");
        MarkStore there(mount.path() + "/marks.db");
        REQUIRE(there.write("desk", {{"/a", "keep", "", 1}}));
        std::vector<Mark> many;
        for (int i = 0; i < 5000; ++i)
            many.push_back({"/a/long/path/to/fill/the/drive/with/" + std::to_string(i), "keep", "", 1});
        const auto refused = there.write("desk", many);
        REQUIRE_FALSE(refused);
        CHECK(refused.error().kind == ErrorKind::NoSpace);
        CHECK(there.read("desk")->marks.size() == 1); // all or none
    }
}

TEST_CASE("marks are handed over as CSV", "[marks]")
{
    MarkBook book;
    book.marks["/b"] = {"/b", "clear-out", "said \"yes\", today", 1750000000};
    book.marks["/a"] = {"/a", "keep", "", 1750000000};
    const auto csv = marksAsCsv(book);
    CHECK(csv.starts_with("mark,note,changed,path\r\nkeep,,"));
    CHECK(csv.find("clear out,\"said \"\"yes\"\", today\",") != std::string::npos);
}
