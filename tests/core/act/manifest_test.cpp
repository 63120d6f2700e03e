// SPDX-License-Identifier: GPL-3.0-or-later
// Only what is listed is removed, and only while it is what it was.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "act_fixture.h"
#include "core/act/manifest.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Listed {
    explicit Listed(const TestFolder& t)
        : folder(::open(t.path().c_str(), O_RDONLY | O_DIRECTORY)), path(t / "tree") { }
    Result<Manifest> read(Manifest::For purpose = Manifest::For::Removing) const
    {
        return Manifest::read(folder.get(), "tree", path, purpose);
    }
    Manifest::Removed remove(const Manifest& manifest) const { return manifest.remove(folder.get(), "tree", path); }
    UniqueFd folder;
    std::string path;
};

} // namespace

TEST_CASE("a tree is removed with its links, not what they lead to", "[act][manifest]")
{
    TestFolder t;
    const auto outside = t.text("outside/precious", "stay");
    t.text("tree/a/b/file", "x");
    t.symlink(t / "outside", "tree/a/away");
    ::mkfifo((t / "tree/pipe").c_str(), 0600);
    t.text("tree/closed/inside", "y");
    t.link("tree/closed/inside", "tree/a/again");
    REQUIRE(::chmod((t / "tree/closed").c_str(), 0500) == 0);
    const Listed listed(t);
    const auto manifest = listed.read();
    REQUIRE(manifest);
    CHECK(manifest->entries() == 9);
    const auto removed = listed.remove(*manifest);
    CHECK_FALSE(removed.surprise);
    CHECK(removed.entries == 9);
    CHECK(namesIn(t.path()) == std::vector<std::string>{"outside"});
    CHECK(readAll(outside) == "stay");
    CHECK(listed.read().error().kind == ErrorKind::Changed); // nothing is there any more
}

TEST_CASE("what is deeper than any path is removed with few descriptors", "[act][manifest]")
{
    TestFolder t;
    const auto tree = t.folder("tree");
    UniqueFd at(::open(tree.c_str(), O_RDONLY | O_DIRECTORY));
    const std::string name(60, 'd');
    for (int level = 0; level < 400; ++level) {
        REQUIRE(::mkdirat(at.get(), name.c_str(), 0755) == 0);
        at = UniqueFd(::openat(at.get(), name.c_str(), O_RDONLY | O_DIRECTORY));
        REQUIRE(at);
    }
    const Listed listed(t);
    const auto manifest = listed.read();
    REQUIRE(manifest);
    CHECK_FALSE(listed.remove(*manifest).surprise);
    CHECK(namesIn(t.path()).empty());
}

TEST_CASE("another mount inside is not entered", "[act][manifest][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    t.text("tree/file", "x");
    TmpfsMount inner(t / "tree/inner");
    writeAll(inner.path() + "/precious", "stay");
    const auto refused = Listed(t).read();
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("mounted inside") != std::string::npos);
    CHECK(readAll(inner.path() + "/precious") == "stay");
    CHECK(readAll(t / "tree/file") == "x");
}

TEST_CASE("whatever changes between listing and removing is kept", "[act][manifest]")
{
    TestFolder t;
    for (const auto* name : {"a", "b", "inner/c", "inner/d"})
        t.text(std::string("tree/") + name, "planned");
    const Listed listed(t);
    const auto manifest = listed.read();
    REQUIRE(manifest);
    const auto kept = [&](const std::string& path, const std::string& content) {
        const auto removed = listed.remove(*manifest);
        REQUIRE(removed.surprise);
        CHECK(removed.surprise->kind == ErrorKind::Changed);
        CHECK(readAll(path) == content);
    };
    SECTION("written to")
    {
        writeAll(t / "tree/inner/c", "planned and more");
        kept(t / "tree/inner/c", "planned and more");
    }
    SECTION("written to with the same size, and its time set back")
    {
        struct stat before { };
        REQUIRE(::stat((t / "tree/a").c_str(), &before) == 0);
        writeAll(t / "tree/a", "PLANNED");
        setModified(t / "tree/a", before.st_mtim.tv_sec, before.st_mtim.tv_nsec);
        kept(t / "tree/a", "PLANNED");
    }
    SECTION("replaced by an atomic save")
    {
        t.text("new", "saved");
        REQUIRE(::rename((t / "new").c_str(), (t / "tree/b").c_str()) == 0);
        kept(t / "tree/b", "saved");
    }
    SECTION("added")
    {
        t.text("tree/inner/late", "late");
        kept(t / "tree/inner/late", "late");
    }
    SECTION("a folder swapped for another")
    {
        REQUIRE(::rename((t / "tree/inner").c_str(), (t / "moved").c_str()) == 0);
        t.text("tree/inner/c", "another");
        kept(t / "tree/inner/c", "another");
        CHECK(readAll(t / "moved/d") == "planned");
    }
}

TEST_CASE("a file that somebody can write to is found, however it is held", "[act][manifest]")
{
    TestFolder t;
    const auto path = t.text("tree/inner/log", std::string(8192, 'x'));
    const Listed listed(t);
    UniqueFd fd(::open(path.c_str(), O_RDWR));
    SECTION("by a descriptor") { }
    SECTION("by a mapping whose descriptor is closed")
    {
        void* page = ::mmap(nullptr, 4096, PROT_READ | PROT_WRITE, MAP_SHARED, fd.get(), 0);
        REQUIRE(page != MAP_FAILED);
        fd.reset();
        const auto refused = listed.read();
        REQUIRE_FALSE(refused);
        CHECK(refused.error().sentence.find("open for writing") != std::string::npos);
        ::munmap(page, 4096);
        CHECK(listed.read());
        return;
    }
    const auto refused = listed.read();
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("open for writing") != std::string::npos);
    CHECK(refused.error().path == path);
    fd = UniqueFd(::open(path.c_str(), O_RDONLY)); // who reads does no harm
    CHECK(listed.read());
    CHECK(listed.read(Manifest::For::Looking));
}

TEST_CASE("somebody at work in a folder is found, and so is who may not be asked about", "[act][manifest]")
{
    if (::geteuid() != 0)
        return;
    TestFolder t;
    t.text("tree/inner/file", "x");
    const Listed listed(t);
    int ready[2];
    REQUIRE(::pipe(ready) == 0);
    const pid_t worker = ::fork();
    if (worker == 0) {
        (void)!::chdir((t / "tree/inner").c_str());
        (void)!::write(ready[1], "x", 1);
        ::pause();
        ::_exit(0);
    }
    char one = 0;
    REQUIRE(::read(ready[0], &one, 1) == 1);
    const auto refused = listed.read();
    ::kill(worker, SIGKILL);
    ::waitpid(worker, nullptr, 0);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("is at work in") != std::string::npos);
    CHECK(listed.read());
    // A file of root's in a folder of one's own: only with rights can it be told who writes to it.
    REQUIRE(::chmod(t.path().c_str(), 0755) == 0);
    for (const auto* mine : {"tree", "tree/inner"})
        REQUIRE(::chown((t / mine).c_str(), 65534, 65534) == 0);
    CHECK(asNobody([&] {
              const auto unknown = Listed(t).read();
              return !unknown && unknown.error().kind == ErrorKind::NoPermission;
          }) == 0);
}

TEST_CASE("a folder of one's own that lets nobody in gets back its mode when it stays", "[act][manifest]")
{
    TestFolder t;
    t.text("tree/closed/file", "x");
    REQUIRE(::chmod(t.path().c_str(), 0777) == 0);
    for (const auto* mine : {"tree", "tree/closed", "tree/closed/file"})
        REQUIRE(::chown((t / mine).c_str(), 65534, 65534) == 0);
    REQUIRE(::chmod((t / "tree/closed").c_str(), 0) == 0);
    CHECK(asNobody([&] {
              const Listed listed(t);
              const auto manifest = listed.read();
              if (!manifest || manifest->entries() != 3)
                  return false;
              manifest->restoreModes(listed.folder.get(), "tree");
              struct stat s { };
              if (::stat((t / "tree/closed").c_str(), &s) != 0 || (s.st_mode & 0777) != 0)
                  return false;
              const auto again = listed.read();
              return again && !listed.remove(*again).surprise && !exists(t / "tree");
          }) == 0);
}

TEST_CASE("a manifest has the figures of a scan", "[act][manifest]")
{
    TestFolder t;
    t.file("tree/a", 5000);
    t.file("tree/inner/b", 70000);
    t.symlink("a", "tree/link");
    ::mkfifo((t / "tree/pipe").c_str(), 0600);
    const auto planned = readPlannedItem(t / "tree", {Action::Delete, {}, false});
    REQUIRE(planned);
    const auto manifest = Listed(t).read();
    REQUIRE(manifest);
    CHECK(manifest->summary() == planned->content);
    CHECK(manifest->unchangedSince(momentNow(), t / "tree"));
    CHECK_FALSE(manifest->unchangedSince(0, t / "tree"));
}
