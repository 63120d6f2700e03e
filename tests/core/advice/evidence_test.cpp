// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include "core/advice/evidence.h"
#include "core/base/figures.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const Evidence* of(const std::vector<Evidence>& all, Evidence::Kind kind)
{
    for (const auto& each : all)
        if (each.kind == kind)
            return &each;
    return nullptr;
}

/// A process that has a file open until this goes.
class Keeper {
public:
    explicit Keeper(const std::string& path)
    {
        int ready[2];
        REQUIRE(::pipe(ready) == 0);
        pid_ = ::fork();
        if (pid_ == 0) {
            const int fd = ::open(path.c_str(), O_RDONLY);
            (void)!::write(ready[1], fd >= 0 ? "y" : "n", 1);
            for (;;)
                ::pause();
        }
        char answer = 0;
        REQUIRE(::read(ready[0], &answer, 1) == 1);
        ::close(ready[0]);
        ::close(ready[1]);
    }
    ~Keeper()
    {
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, nullptr, 0);
    }
    pid_t pid() const { return pid_; }

private:
    pid_t pid_ = 0;
};

} // namespace

TEST_CASE("evidence: a program has it open", "[advice][evidence]")
{
    const TestFolder t;
    const auto path = t.file("cache/a.bin", 4096);
    CHECK_FALSE(of(gatherEvidence(path, nullptr, currentTime()), Evidence::Kind::Open));
    const Keeper keeper(path);
    for (const auto& asked : {path, t / "cache"}) {
        const auto found = gatherEvidence(asked, nullptr, currentTime());
        const auto* open = of(found, Evidence::Kind::Open);
        REQUIRE(open);
        CHECK(open->sentence.find(std::to_string(keeper.pid())) != std::string::npos);
    }
    CHECK_FALSE(of(gatherEvidence(t.file("cache/b.bin", 1), nullptr, currentTime()), Evidence::Kind::Open));
}

TEST_CASE("evidence: changed just now, and other links", "[advice][evidence]")
{
    const TestFolder t;
    const auto path = t.file("a.bin", 4096, 1750000000);
    CHECK(gatherEvidence(path, nullptr, 1750000000 + 86400).empty());
    const auto fresh = gatherEvidence(path, nullptr, 1750000000 + 5 * 60);
    REQUIRE(of(fresh, Evidence::Kind::JustChanged));
    CHECK(of(fresh, Evidence::Kind::JustChanged)->sentence.find("5 minutes ago") != std::string::npos);
    t.link("a.bin", "b.bin");
    const auto linked = gatherEvidence(path, nullptr, 1750000000 + 86400);
    REQUIRE(of(linked, Evidence::Kind::OtherLinks));
    CHECK(gatherEvidence(t / "gone", nullptr, 0).empty());
}

TEST_CASE("evidence: a mount", "[advice][evidence][mount]")
{
    if (!canMount())
        return;
    const TestFolder t;
    const TmpfsMount mount(t / "m");
    const auto found = gatherEvidence(mount.path(), nullptr, 0);
    REQUIRE(of(found, Evidence::Kind::Mount));
    CHECK(of(found, Evidence::Kind::Mount)->atMost == AdviceLevel::LeaveAlone);
    CHECK_FALSE(of(gatherEvidence(t.folder("f"), nullptr, 0), Evidence::Kind::Mount));
}

TEST_CASE("the packages of this system say whose a file is", "[advice][evidence][packages]")
{
    const auto packages = PackageDatabase::read();
    if (!packages)
        return;
    CHECK(packages->packages().size() > 50);
    const auto found = gatherEvidence("/usr/bin/env", &*packages, currentTime());
    REQUIRE(of(found, Evidence::Kind::Package));
    CHECK(of(found, Evidence::Kind::Package)->sentence.find("coreutils") != std::string::npos);
    CHECK(packages->owner("/usr/bin/ls")); // listed as /bin/ls
    CHECK_FALSE(packages->owner("/usr/bin"));
    CHECK(packages->ownerWithin("/usr/bin"));
    for (const auto& package : packages->packages())
        if (package.name == "coreutils") {
            CHECK(package.essential);
            CHECK(package.installedBytes > 1 << 20);
            CHECK(package.files > 100);
            CHECK(package.installed > 1600000000);
        }
}

TEST_CASE("a damaged package database is told, or works as far as it goes", "[packages]")
{
    const TestFolder t;
    CHECK(PackageDatabase::read(t.path()).error().kind == ErrorKind::NotFound);
    t.text("var/lib/dpkg/status", std::string("\0\1\2nothing of the sort", 22));
    CHECK(PackageDatabase::read(t.path()).error().kind == ErrorKind::Damaged);
    t.text("var/lib/dpkg/status", "Package: one\nStatus: install ok installed\nInstalled-Size: 99999999999999999999\n"
                                  "Description: the first\n more of it\n\nPackage: two\nStatus: install ok installed\n"
                                  "Installed-Size: 12\nArchitecture: amd64\nMulti-Arch: same\n\n"
                                  "Package: gone\nStatus: deinstall ok config-files\n\nPackage: three\n");
    t.text("var/lib/dpkg/info/one.list", "/.\n/opt\n/opt/one\n/opt/one/a\n\nno path\n/opt/one/b");
    t.text("var/lib/apt/extended_states", "Package: one\nAuto-Installed: 1\n\nPackage: two\nAuto-Installed: 0\n");
    const auto packages = PackageDatabase::read(t.path());
    REQUIRE(packages);
    REQUIRE(packages->packages().size() == 2);
    CHECK(packages->unreadable() == 1);
    CHECK(packages->packages()[0].automatic);
    CHECK(packages->packages()[0].summary == "the first");
    CHECK(packages->packages()[0].files == 2);
    CHECK(packages->packages()[1].name == "two:amd64");
    CHECK(packages->packages()[1].installedBytes == 12 * 1024);
    CHECK(packages->owner("/opt/one/b"));
    CHECK(packages->pathsOf(packages->packages()[0]).size() == 2);
    t.text("var/lib/dpkg/info/two.list", "/opt/two\n");
    CHECK(PackageDatabase::read(t.path())->unreadable() == 0);
}

TEST_CASE("advice is as careful as its most careful evidence", "[advice]")
{
    const auto& book = RuleBook::builtIn();
    const std::string path = "/home/warden/.cache/tide-maps/z15/a.png";
    CHECK(adviceFor(path, false, book).level == AdviceLevel::UsuallySafe);
    const auto careful = adviceFor(path, false, book, {{Evidence::Kind::Open, AdviceLevel::YourCall, "In use."}});
    CHECK(careful.level == AdviceLevel::YourCall);
    CHECK(careful.rule == "map-tiles");
    const auto log = adviceFor("/var/log/it's.log", false, book);
    CHECK(log.command == "sudo truncate -s 0 '/var/log/it'\\''s.log'");
    const auto unknown = adviceFor("/data/a", false, book);
    CHECK(unknown.rule.empty());
    CHECK(unknown.level == AdviceLevel::YourCall);
    CHECK(unknown.what.ends_with('.'));
}
