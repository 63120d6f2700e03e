// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>

#include "core/platform/atomic_file.h"
#include "core/platform/entry_stat.h"
#include "core/platform/folders.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("a user's folders follow the XDG variables", "[folders]")
{
    const auto saved = std::string(std::getenv("XDG_DATA_HOME") ? std::getenv("XDG_DATA_HOME") : "");
    setenv("HOME", "/home/warden", 1);
    setenv("XDG_DATA_HOME", "/data/warden", 1);
    setenv("XDG_CONFIG_HOME", "relative/is/ignored", 1);
    const auto folders = userFolders();
    CHECK(folders.home == "/home/warden");
    CHECK(folders.data == "/data/warden");
    CHECK(folders.config == "/home/warden/.config");
    CHECK(folders.uid == geteuid());
    unsetenv("XDG_DATA_HOME");
    CHECK(userFolders().data == "/home/warden/.local/share");
    if (!saved.empty())
        setenv("XDG_DATA_HOME", saved.c_str(), 1);
}

TEST_CASE("a path through a symbolic link is not opened", "[folders]")
{
    TestFolder t;
    t.file("real/inside/file");
    t.symlink("real", "link");
    CHECK(openFolder(t / "real/inside"));
    const auto through = openFolder(t / "link/inside");
    REQUIRE_FALSE(through);
    CHECK(through.error().sentence.find("symbolic link") != std::string::npos);
    const auto parent = openParent(t / "real/inside/file");
    REQUIRE(parent);
    CHECK(parent->name == "file");
    CHECK_FALSE(openParent(t / "link/inside/file"));
    CHECK_FALSE(openParent("/"));
    CHECK_FALSE(openFolder("relative"));
    CHECK_FALSE(openFolder(t / "real/inside/file"));
    CHECK(openFolder(t / "gone").error().kind == ErrorKind::NotFound);
}

TEST_CASE("canonical paths resolve what a person typed", "[folders]")
{
    TestFolder t;
    t.folder("real/inside");
    t.symlink("real", "link");
    CHECK(*canonicalPath(t / "link/../link/inside/") == t / "real/inside");
    CHECK(canonicalPath(t / "nothing").error().kind == ErrorKind::NotFound);
}

TEST_CASE("folders are made with what is missing above them", "[folders]")
{
    TestFolder t;
    REQUIRE(makeFolders(t / "a/b/c"));
    CHECK(exists(t / "a/b/c"));
    REQUIRE(makeFolders(t / "a/b/c"));
    t.file("a/file");
    const auto blocked = makeFolders(t / "a/file/below");
    REQUIRE_FALSE(blocked);
    CHECK(blocked.error().kind == ErrorKind::NotAFolder);
}

TEST_CASE("users have names, unknown ones their number", "[folders]")
{
    CHECK(userName(0) == "root");
    CHECK(userName(4123456) == "4123456");
    CHECK_FALSE(hostName().empty());
}

TEST_CASE("an atomic file appears whole or not at all", "[atomic]")
{
    TestFolder t;
    const auto path = t.text("data", "before");
    {
        auto file = AtomicFile::create(path);
        REQUIRE(file);
        file->write("half", 4);
        CHECK(readAll(path) == "before");
    } // dropped without commit
    CHECK(readAll(path) == "before");
    CHECK(namesIn(t.path()) == std::vector<std::string>{"data"});
    {
        auto file = AtomicFile::create(path);
        REQUIRE(file);
        const std::string big(3 << 20, 'x');
        file->write(big.data(), big.size());
        file->write("!", 1);
        REQUIRE(file->commit());
    }
    CHECK(readAll(path).size() == (3 << 20) + 1);
    CHECK(namesIn(t.path()) == std::vector<std::string>{"data"});
    CHECK(AtomicFile::create(t / "missing/data").error().kind == ErrorKind::NotFound);
}

TEST_CASE("a process killed while it writes leaves the old file and nothing else", "[atomic]")
{
    TestFolder t;
    const auto path = t.text("data", "before");
    const auto child = ::fork();
    if (child == 0) {
        auto file = AtomicFile::create(path);
        const std::string big(3 << 20, 'x');
        if (file)
            file->write(big.data(), big.size());
        ::raise(SIGKILL);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    CHECK(WIFSIGNALED(status));
    CHECK(readAll(path) == "before");
    CHECK(namesIn(t.path()) == std::vector<std::string>{"data"});
}

TEST_CASE("a full disk while saving is said and leaves the old file", "[atomic][mount]")
{
    if (!canMount()) {
        WARN("needs root to mount; skipped");
        return;
    }
    TestFolder t;
    TmpfsMount small(t / "small", "size=256k");
    writeAll(small.path() + "/data", "before");
    auto file = AtomicFile::create(small.path() + "/data");
    REQUIRE(file);
    const std::string big(2 << 20, 'x');
    file->write(big.data(), big.size());
    const auto committed = file->commit();
    REQUIRE_FALSE(committed);
    CHECK(committed.error().kind == ErrorKind::NoSpace);
    CHECK(committed.error().sentence.find("the disk is full") != std::string::npos);
    file = systemError("drop", "", 0); // lets go of the temporary file
    CHECK(readAll(small.path() + "/data") == "before");
    CHECK(namesIn(small.path()) == std::vector<std::string>{"data"});
}

TEST_CASE("entries are described without following links", "[stat]")
{
    TestFolder t;
    const auto path = t.file("file", 10000, 1234567890);
    t.symlink("file", "link");
    t.symlink("nowhere", "dangling");
    ::mkfifo((t / "fifo").c_str(), 0644);
    t.folder("folder");
    t.link("file", "again");
    EntryStat s;
    REQUIRE(statEntry(AT_FDCWD, path.c_str(), s) == 0);
    CHECK(s.kind == EntryKind::File);
    CHECK(s.size == 10000);
    CHECK(s.blocks * 512 >= 10000);
    CHECK(s.modified == 1234567890);
    CHECK(s.links == 2);
    CHECK(s.inode == inodeOf(path));
    CHECK(s.mountId != 0);
    EntryStat again;
    REQUIRE(statEntry(AT_FDCWD, (t / "again").c_str(), again, StatSync::Fresh) == 0);
    CHECK(s.sameObject(again));
    REQUIRE(statEntry(AT_FDCWD, (t / "link").c_str(), s) == 0);
    CHECK(s.kind == EntryKind::SymbolicLink);
    CHECK(s.size == 4);
    CHECK_FALSE(s.sameObject(again));
    CHECK(statEntry(AT_FDCWD, (t / "dangling").c_str(), s) == 0);
    REQUIRE(statEntry(AT_FDCWD, (t / "fifo").c_str(), s) == 0);
    CHECK(s.kind == EntryKind::Fifo);
    CHECK(statEntry(AT_FDCWD, (t / "none").c_str(), s) == ENOENT);
}

TEST_CASE("a folder reader lists all names once", "[stat]")
{
    TestFolder t;
    std::vector<std::string> made;
    for (int i = 0; i < 5000; ++i) {
        made.push_back("entry-with-a-rather-long-name-" + std::to_string(i));
        t.file("many/" + made.back());
    }
    UniqueFd fd(::open((t / "many").c_str(), O_RDONLY | O_DIRECTORY));
    FolderReader reader;
    reader.start(fd.get());
    std::vector<std::string> seen;
    while (const char* name = reader.next())
        seen.emplace_back(name);
    CHECK(reader.error() == 0);
    std::sort(seen.begin(), seen.end());
    std::sort(made.begin(), made.end());
    CHECK(seen == made);
    UniqueFd file(::open(t.file("plain").c_str(), O_RDONLY));
    reader.start(file.get());
    CHECK(reader.next() == nullptr);
    CHECK(reader.error() == ENOTDIR);
}
