// SPDX-License-Identifier: GPL-3.0-or-later
// Places on another machine, over a real sshd and over what stands in for one.
#include <catch2/catch.hpp>

#include <filesystem>

#include "cli/ssh_server.h"
#include "core/remote/address.h"
#include "core/remote/ssh_scan.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// The scanner is a static program, which sanitizers' builds have none of.
bool hasScanner()
{
    return exists(std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/')) + "/../scanner/kurvo-scan.gz");
}

std::size_t count(const std::string& folder, const std::string& begin)
{
    std::size_t found = 0;
    for (const auto& name : namesIn(folder))
        found += name.starts_with(begin) ? 1 : 0;
    return found;
}

} // namespace

TEST_CASE("addresses of other machines", "[cli][remote]")
{
    const auto is = [](const char* text, const char* user, const char* host, int port, const char* path) {
        const auto address = parseAddress(text);
        INFO(text);
        REQUIRE(address);
        CHECK(address->user == user);
        CHECK(address->host == host);
        CHECK(address->port == port);
        CHECK(address->path == path);
    };
    is("desk:/srv", "", "desk", 0, "/srv");
    is("warden@desk:", "warden", "desk", 0, "");
    is("warden@desk:Recordings/2026", "warden", "desk", 0, "Recordings/2026");
    is("ssh://warden@desk:2222/srv/a%20b", "warden", "desk", 2222, "/srv/a b");
    is("ssh://desk", "", "desk", 0, "");
    is("ssh://desk/~/docs", "", "desk", 0, "docs");
    is("[fe80::1]:/srv", "", "fe80::1", 0, "/srv");
    is("ssh://[fe80::1]:22/srv", "", "fe80::1", 22, "/srv");
    for (const char* text : {"/srv", "place", "./a:b", "a/b:c", ":/x", "-oProxyCommand=touch:/x", "x@-F:/y",
                             "ssh://desk:99999/", "ssh://desk:x/", "a b:/x", "ssh://", "de'sk:/x", "de\nsk:/x"})
        CHECK_FALSE(parseAddress(text));
}

TEST_CASE("a place on another machine is scanned over SSH, with and without kurvoctl there", "[cli][remote]")
{
    const bool installed = GENERATE(false, true);
    if (!installed && !hasScanner())
        return;
    const auto folder = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));
    const SshServer there(installed ? "SetEnv PATH=" + folder + ":/usr/bin:/bin\n" : "SetEnv PATH=/usr/bin:/bin\n");
    there.file("place/films/long.mkv", 3'000'000);
    there.file("place/.store/blob", 700'000);
    there.file("place/closed/secret", 5000);
    ::chmod((there / "there/place/closed").c_str(), 0);
    const TestFolder t;
    ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
    const std::string send = installed ? "" : " --send-scanner";
    if (!installed) {
        const auto refused = kurvoctl("scan desk:place --json");
        CHECK(refused.status == 3);
        CHECK(refused.err.find("no scanner was sent") != std::string::npos);
        CHECK(refused.err.find("kurvoctl snapshot import -") != std::string::npos); // what to do by hand
    }
    const auto scanned = kurvoctl("scan desk:place --json" + send);
    REQUIRE(scanned.lines().size() == 1);
    CHECK(scanned.status == 1);
    const auto line = scanned.lines()[0];
    CHECK(line["path"] == there.home + "/place");
    CHECK(line["files"] == 2);
    CHECK(line["folders"] == 3);
    CHECK(line["unreadable"] == 1);
    CHECK(scanned.err.find("closed") != std::string::npos);
    // All of what it says is as at home.
    ::chmod((there / "there/place/closed").c_str(), 0755);
    std::filesystem::remove_all(there / "there/place/closed");
    const auto here = kurvoctl("folders '" + there.home + "/place' --json");
    const auto far = kurvoctl("folders desk:" + there.home + "/place --json" + send);
    CHECK(far.out == here.out);
    CHECK(far.status == 0);
    CHECK(kurvoctl("largest desk:place --json --exclude '*.mkv'" + send).lines().size() == 1);
    // A snapshot of it is kept, and knows its machine; the next scan is compared with it.
    const auto taken = kurvoctl("snapshot take desk:place" + send);
    CHECK(taken.status == 0);
    const auto kept = kurvoctl("snapshot list --json").lines();
    REQUIRE(kept.size() == 1);
    CHECK(kept[0]["place"] == there.home + "/place");
    there.file("place/films/new.mkv", 2'000'000);
    const auto changed = kurvoctl("compare '" + std::string(kept[0]["file"]) + "' desk:place --json" + send);
    CHECK(changed.out.find("new.mkv") != std::string::npos);
    // What cannot be had is said by whom it concerns.
    const auto nowhere = kurvoctl("scan desk:nowhere" + send);
    CHECK(nowhere.status == 3);
    CHECK(nowhere.err.find("desk: Could not open " + there.home + "/nowhere") != std::string::npos);
    CHECK(count("/tmp", "kurvo-scan.") == 0); // it removes itself
    ::unsetenv("XDG_DATA_HOME");
}

TEST_CASE("a host whose key has changed is refused in ssh's own words", "[cli][remote]")
{
    const SshServer there;
    auto known = readAll(there / "known");
    TestFolder other;
    (void)!std::system(("ssh-keygen -q -t ed25519 -N '' -f '" + (other / "key") + "'").c_str());
    const auto key = readAll(other / "key.pub");
    known = known.substr(0, known.find(' ') + 1) + key.substr(0, key.find(' ', key.find(' ') + 1)) + "\n";
    writeAll(there / "known", known);
    const auto refused = kurvoctl("scan desk:");
    CHECK(refused.status == 3);
    CHECK(refused.err.find("REMOTE HOST IDENTIFICATION HAS CHANGED") != std::string::npos);
    CHECK(refused.err.find("What ssh said stands above") != std::string::npos);
}

TEST_CASE("another machine that cannot be scanned says why", "[cli][remote]")
{
    const TestFolder t;
    t.file("place/a", 5000);
    const auto scan = [&](const std::string& more = " --send-scanner") {
        return kurvoctl("scan 'desk:" + (t / "place") + "' --json" + more);
    };
    SECTION("another processor, another system")
    {
        const FakeSsh ssh;
        ssh.program("uname", "[ \"$1\" = -m ] && echo riscv128 || echo Linux");
        CHECK(scan().err.find("not for riscv128") != std::string::npos);
        ssh.program("uname", "[ \"$1\" = -m ] && echo x86_64 || echo Plan9");
        CHECK(scan().err.find("runs Plan9") != std::string::npos);
    }
    SECTION("no room, and nothing that may be run")
    {
        if (!hasScanner())
            return;
        const FakeSsh ssh;
        ssh.program("mktemp", "exit 1");
        const auto full = scan();
        CHECK(full.status == 3);
        CHECK(full.err.find("no room on desk") != std::string::npos);
        if (!canMount())
            return;
        const TmpfsMount fixed(t / "fixed", "size=8m");
        REQUIRE(std::system(("mount -o remount,noexec '" + fixed.path() + "'").c_str()) == 0);
        ssh.program("mktemp", "exec /usr/bin/mktemp -d '" + fixed.path() + "/x.XXXXXX'");
        CHECK(scan().err.find("Nothing may be run on desk") != std::string::npos);
        CHECK(namesIn(fixed.path()).empty());
        const TmpfsMount small(t / "small", "size=256k");
        ssh.program("mktemp", "exec /usr/bin/mktemp -d '" + small.path() + "/x.XXXXXX'");
        CHECK(scan().err.find("no room on desk") != std::string::npos);
        CHECK(namesIn(small.path()).empty());
    }
    SECTION("an older kurvoctl gives way to the scanner")
    {
        if (!hasScanner())
            return;
        const FakeSsh ssh;
        ssh.program("kurvoctl", "echo 'The following argument was not expected: serve' >&2; exit 2");
        CHECK(scan().status == 0);
        CHECK(ssh.leftBehind().empty());
    }
    SECTION("an answer that is none")
    {
        const FakeSsh ssh;
        ssh.program("kurvoctl", "[ \"$2\" = --speaks ] && exit 0; head -c 100000 /dev/urandom");
        const auto rubbish = scan();
        CHECK(rubbish.status == 3);
        CHECK(rubbish.out.empty());
        ssh.program("kurvoctl", "[ \"$2\" = --speaks ] && exit 0; printf 'KURVOANS\\002\\0\\0\\0\\377\\377\\377\\177'");
        CHECK(scan().err.find("no answer") != std::string::npos);
        // One that is gone before it could be asked: what it said still counts.
        const FakeSsh gone("exec 0<&-; echo KURVOHAS; printf 'KURVOANS\\002\\0\\0\\0\\377\\377\\377\\177'");
        CHECK(scan().err.find("no answer") != std::string::npos);
        const FakeSsh endless("while :; do echo nothing of ours; done");
        CHECK(scan().err.find("something else than an answer") != std::string::npos);
    }
    SECTION("no such host")
    {
        const FakeSsh ssh("echo 'ssh: Could not resolve hostname' >&2; exit 255");
        const auto gone = scan();
        CHECK(gone.status == 3);
        CHECK(gone.err.find("ssh: Could not resolve hostname") != std::string::npos);
    }
    SECTION("no ssh")
    {
        ::setenv("KURVO_SSH", "/nowhere/ssh", 1);
        CHECK(scan().err.find("no ssh on this machine") != std::string::npos);
        ::unsetenv("KURVO_SSH");
    }
}

TEST_CASE("what a shell prints when one logs in is passed over", "[cli][remote]")
{
    const TestFolder t;
    t.file("place/a", 5000);
    const auto folder = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));
    const FakeSsh ssh("PATH=" + folder +
                      ":$PATH; echo Welcome; echo; printf 'You have mail: '; exec /bin/sh -c \"$1\"");
    const auto scanned = kurvoctl("scan 'desk:" + (t / "place") + "' --json");
    REQUIRE(scanned.status == 0);
    CHECK(scanned.lines()[0]["files"] == 1);
}

TEST_CASE("a connection that is cut at any moment leaves nothing, here or there", "[cli][remote]")
{
    const TestFolder t;
    for (std::uint64_t i = 1; i <= 600; ++i) // names that do not pack well
        t.file("place/d" + std::to_string(i % 9) + "/f" + std::to_string(i * 0x9E3779B97F4A7C15u), 100);
    ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
    const auto folder = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));
    for (const int bytes : {0, 5, 9, 12, 20, 60, 300, 2000, 4000}) {
        INFO(bytes);
        {
            const FakeSsh ssh("PATH=" + folder + ":$PATH; exec dd bs=1 count=" + std::to_string(bytes) +
                              " status=none < <(/bin/sh -c \"$1\")");
            const auto cut = kurvoctl("snapshot take 'desk:" + (t / "place") + "'");
            CHECK(cut.status == 3);
            CHECK(cut.err.find("ended before its answer") != std::string::npos);
        }
        if (hasScanner()) { // while the scanner is sent
            const FakeSsh ssh("dd bs=4096 count=" + std::to_string(bytes / 12) + " status=none | /bin/sh -c \"$1\"");
            const auto cut = kurvoctl("snapshot take 'desk:" + (t / "place") + "' --send-scanner");
            CHECK(cut.status == 3);
            for (int i = 0; i < 100 && !ssh.leftBehind().empty(); ++i)
                ::usleep(20'000);
            CHECK(ssh.leftBehind().empty());
        }
    }
    CHECK_FALSE(exists(t / "data/kurvo/snapshots")); // nothing half was kept
    ::unsetenv("XDG_DATA_HOME");
}

TEST_CASE("rights on another machine come by sudo there", "[cli][remote]")
{
    const TestFolder t;
    t.file("place/a", 5000);
    const auto folder = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));
    const FakeSsh ssh("PATH='$PATH':" + folder + ":$PATH; exec /bin/sh -c \"$1\"");
    ssh.program("sudo", "printf '%s ' \"$@\" >>'" + (t / "asked") + "'; [ \"$1\" = -n ] && shift; exec \"$@\"");
    FakeSsh with("PATH='" + (ssh.folder() / "bin") + "':" + folder + ":$PATH; exec /bin/sh -c \"$1\"");
    CHECK(kurvoctl("scan 'desk:" + (t / "place") + "' --sudo --json").status == 0);
    CHECK(readAll(t / "asked").starts_with("-n kurvoctl serve"));
    ssh.program("sudo", "echo 'sudo: a password is required' >&2; exit 1");
    const auto refused = kurvoctl("scan 'desk:" + (t / "place") + "' --sudo --json");
    CHECK(refused.status == 3);
    INFO(refused.err);
    CHECK(refused.err.find("sudo: a password is required") != std::string::npos);
}
