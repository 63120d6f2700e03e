// SPDX-License-Identifier: GPL-3.0-or-later
// Runs the real kurvoctl.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <sstream>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "cli/run_kurvoctl.h"
#include "core/platform/unique_fd.h"
#include "core/rights/ask_helper.h"
#include "support/mounts.h"

using namespace kurvo;
using namespace kurvo::test;
using nlohmann::json;

namespace {

void makePlace(const TestFolder& t)
{
    t.file("a/big.flac", 300000, 1700000000);
    t.file("a/.hidden/small.jpg", 5000, 1600000000);
    t.file("b/deep/er/file", 70000, 1500000000);
    t.file("b/linked", 90000);
    t.link("b/linked", "a/again");
    t.symlink("nowhere", "link");
}

} // namespace

TEST_CASE("scan --json has the figures of a recount", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto expected = recount(t.path());
    const auto run = kurvoctl("scan '" + t.path() + "' --json --threads 3");
    CHECK(run.status == 0);
    CHECK(run.err.empty());
    const auto all = run.lines();
    REQUIRE(all.size() == 1);
    CHECK(all[0]["files"] == expected.all.files);
    CHECK(all[0]["folders"] == expected.all.folders);
    CHECK(all[0]["apparent_bytes"] == expected.all.apparent);
    CHECK(all[0]["disk_bytes"] == expected.all.disk);
    CHECK(all[0]["hidden_files"] == expected.hiddenFiles);
    CHECK(all[0]["hidden_disk_bytes"] == expected.hiddenDisk);
    CHECK(all[0]["unreadable"] == 0);
    CHECK(all[0]["elapsed_seconds"].is_number());
}

TEST_CASE("folders and largest agree with a recount", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto expected = recount(t.path());
    const auto folders = kurvoctl("folders '" + t.path() + "' --depth 9 --json");
    CHECK(folders.status == 0);
    REQUIRE(folders.lines().size() == expected.folders.size());
    for (const auto& line : folders.lines()) {
        const auto found = expected.folders.find(line["path"].get<std::string>());
        REQUIRE(found != expected.folders.end());
        CHECK(line["files"] == found->second.files);
        CHECK(line["folders"] == found->second.folders);
        CHECK(line["apparent_bytes"] == found->second.apparent);
        CHECK(line["disk_bytes"] == found->second.disk);
    }
    CHECK(kurvoctl("folders '" + t.path() + "' --depth 1 --json").lines().size() == 3);
    CHECK(kurvoctl("folders '" + t.path() + "' --depth 0 --json").lines().size() == 1);
    const auto largest = kurvoctl("largest '" + t.path() + "' --count 4 --json").lines();
    REQUIRE(largest.size() == 4);
    for (std::size_t i = 0; i < 4; ++i) {
        CHECK(largest[i]["path"] == expected.files[i].path);
        CHECK(largest[i]["disk_bytes"] == expected.files[i].disk);
        CHECK(largest[i]["modified"] == expected.files[i].modified);
        CHECK(largest[i]["hidden"] == expected.files[i].hidden);
    }
}

TEST_CASE("a saved scan can be asked again", "[cli]")
{
    TestFolder t, out;
    makePlace(t);
    const auto file = out / "place.kurvo";
    CHECK(kurvoctl("scan '" + t.path() + "' --save '" + file + "' --json").status == 0);
    CHECK(exists(file));
    CHECK(kurvoctl("folders '" + file + "' --depth 3 --json").out ==
          kurvoctl("folders '" + t.path() + "' --depth 3 --json").out);
    CHECK(kurvoctl("largest '" + file + "' --json").out == kurvoctl("largest '" + t.path() + "' --json").out);
    CHECK(kurvoctl("scan '" + t.path() + "' --save /nonexistent/x.kurvo").status == 3);
}

TEST_CASE("names that are not UTF-8 are lossless in JSON", "[cli]")
{
    TestFolder t;
    t.file("\xff\xfe-odd", 5000);
    const auto run = kurvoctl("largest '" + t.path() + "' --json");
    CHECK(run.out.find("\\udcff\\udcfe-odd\"") != std::string::npos);
    CHECK(kurvoctl("largest '" + t.path() + "'").out.find("\xEF\xBF\xBD\xEF\xBF\xBD-odd") != std::string::npos);
}

TEST_CASE("text for people", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto scan = kurvoctl("scan '" + t.path() + "'");
    CHECK(scan.status == 0);
    CHECK(scan.out.find("on disk") != std::string::npos);
    CHECK(scan.out.find(" KiB") != std::string::npos);
    const auto folders = kurvoctl("folders '" + t.path() + "'").out;
    CHECK(folders.find("  a\n") < folders.find("  b\n")); // largest first
    CHECK(kurvoctl("largest '" + t.path() + "'").out.find("hidden") != std::string::npos);
    const auto drives = kurvoctl("drives");
    CHECK(drives.status == 0);
    CHECK(drives.out.find("mounted at") != std::string::npos);
}

TEST_CASE("drives as JSON", "[cli]")
{
    const auto all = kurvoctl("drives --json").lines();
    REQUIRE_FALSE(all.empty());
    CHECK(all[0]["mount_point"] == "/");
    CHECK(all[0]["total_bytes"].get<std::uint64_t>() == all[0]["used_bytes"].get<std::uint64_t>() +
                                                            all[0]["reserved_bytes"].get<std::uint64_t>() +
                                                            all[0]["free_bytes"].get<std::uint64_t>());
}

TEST_CASE("several paths give several objects", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto run = kurvoctl("scan '" + (t / "a") + "' '" + (t / "b") + "' --json");
    CHECK(run.status == 0);
    REQUIRE(run.lines().size() == 2);
    CHECK(run.lines()[1]["path"] == t / "b");
}

TEST_CASE("leaving out by pattern", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto run = kurvoctl("scan --exclude '*.flac' --exclude .hidden '" + t.path() + "' --json");
    CHECK(run.status == 0);
    CHECK(run.lines()[0]["files"] == recount(t.path()).all.files - 2);
}

TEST_CASE("exit statuses tell scripts what happened", "[cli]")
{
    TestFolder t;
    makePlace(t);
    CHECK(kurvoctl("").status == 2);
    CHECK(kurvoctl("explode").status == 2);
    CHECK(kurvoctl("scan").status == 2);
    CHECK(kurvoctl("scan --threads none '" + t.path() + "'").status == 2);
    CHECK(kurvoctl("scan --threads 0 '" + t.path() + "'").status == 2);
    CHECK(kurvoctl("largest '" + t.path() + "' --count -3").status == 2);
    CHECK(kurvoctl("scan a b --save x.kurvo").status == 2);
    CHECK(kurvoctl("--help").status == 0);
    CHECK(kurvoctl("--version").status == 0);
    const auto gone = kurvoctl("scan '" + (t / "gone") + "'");
    CHECK(gone.status == 3);
    CHECK(gone.err.find("it is not there") != std::string::npos);
    CHECK(gone.out.empty());
    const auto file = kurvoctl("folders '" + (t / "a/big.flac") + "'");
    CHECK(file.status == 3);
    CHECK(file.err.find("it is not a folder") != std::string::npos);
    const auto rubbish = kurvoctl("largest '" + t.text("rubbish.kurvo", "no snapshot at all, but long enough") + "'");
    CHECK(rubbish.status == 3);
    CHECK(rubbish.err.find("is not a Kurvo snapshot") != std::string::npos);
    CHECK(kurvoctl("largest '" + (t / "gone.kurvo") + "'").status == 3);
}

TEST_CASE("output that cannot be written is a failure", "[cli]")
{
    TestFolder t;
    makePlace(t);
    for (const auto& command : {std::string("drives --json"), fmt::format("scan --json '{}'", t.path()),
                                fmt::format("largest '{}'", t.path())}) {
        INFO(command);
        const int ran = std::system(fmt::format("{} {} >/dev/full 2>'{}'", KURVOCTL, command, t / "err").c_str());
        CHECK(WEXITSTATUS(ran) == 3);
        CHECK(readAll(t / "err").find("no space left on device") != std::string::npos);
    }
}

TEST_CASE("a scan that could not read everything says so and exits with 1", "[cli]")
{
    TestFolder t, out;
    makePlace(t);
    t.file("locked/file", 10);
    REQUIRE(::chmod((t / "locked").c_str(), 0) == 0);
    REQUIRE(::chmod(out.path().c_str(), 0777) == 0);
    const auto program = out / "kurvoctl"; // the build may lie where only root can reach
    std::filesystem::copy_file(KURVOCTL, program);
    const auto status = asNobody([&] {
        const auto command =
            program + " scan '" + t.path() + "' --json >'" + (out / "out") + "' 2>'" + (out / "err") + "'";
        const int ran = std::system(command.c_str());
        return WIFEXITED(ran) && WEXITSTATUS(ran) == 1;
    });
    REQUIRE(::chmod((t / "locked").c_str(), 0755) == 0);
    CHECK(status == 0);
    CHECK(json::parse(readAll(out / "out"))["unreadable"] == 1);
    CHECK(readAll(out / "err").find(t / "locked") != std::string::npos);
    CHECK(readAll(out / "err").find("permission denied") != std::string::npos);
}

TEST_CASE("the ledger of a drive as text and JSON", "[cli][mount]")
{
    if (!canMount())
        return;
    TestFolder t;
    TmpfsMount drive(t / "drive");
    writeAll(drive.path() + "/film", std::string(3 << 20, 'x'));
    const auto text = kurvoctl("ledger '" + drive.path() + "'");
    CHECK(text.status == 0);
    for (const auto* words : {"capacity", "Seen", "Deleted, still held open", "Not explained"})
        CHECK(text.out.find(words) != std::string::npos);
    const auto ledger = json::parse(kurvoctl("ledger --json '" + drive.path() + "'").out);
    CHECK(ledger["mount_point"] == drive.path());
    CHECK(ledger["used_bytes"].get<std::uint64_t>() >= 3u << 20);
    std::uint64_t sum = 0;
    for (const auto& line : ledger["lines"]) {
        CHECK(line["part"].is_string());
        CHECK(line["evidence"].is_string());
        sum += line["bytes"].is_null() ? 0 : line["bytes"].get<std::uint64_t>();
    }
    CHECK(sum == ledger["used_bytes"].get<std::uint64_t>());
    // Any folder stands for the drive it lies on.
    std::filesystem::create_directories(drive.path() + "/sub");
    CHECK(json::parse(kurvoctl("ledger --json '" + drive.path() + "/sub'").out)["mount_point"] == drive.path());
    CHECK(kurvoctl("ledger '" + (t / "gone") + "'").status == 3);
    CHECK(kurvoctl("ledger").status == 2);
}

TEST_CASE("a drive that fails under the helper is said to be gone, and what came is kept", "[cli][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    TestFolder t;
    // The folders all over it; without a journal, which would keep what is to be dropped below.
    const LoopMount drive(t / "drive", "mkfs.ext4 -q -F -b 1024 -O ^has_journal,^flex_bg -E lazy_itable_init=0", 64);
    for (int i = 0; i < 3000; ++i) {
        std::filesystem::create_directories(drive.path() + "/" + std::to_string(i));
        std::ofstream(drive.path() + "/" + std::to_string(i) + "/file") << "x";
    }
    ::sync();
    // All but its beginning, where the names of its folders are, and what the kernel remembers of it as well.
    REQUIRE(::truncate(drive.image().c_str(), 5 << 20) == 0);
    std::ofstream("/proc/sys/vm/drop_caches") << "3";
    const auto result = scanByHelper({KURVOCTL, "helper"}, drive.path(), {}, {}, nullptr);
    REQUIRE(result);
    CHECK(result->tree->name(rootNode) == drive.path());
    CHECK(result->stopped);
    CHECK(result->driveGone);
    CHECK_FALSE(result->outOfMemory);
    CHECK(result->unreadable > 100);
}

TEST_CASE("the helper answers requests and nothing else", "[cli]")
{
    TestFolder t;
    t.file("place/a", 5000);
    const auto request = t.text("request", encodeRequest({{t / "place"}, {}}));
    const auto shell = [&](const std::string& from) {
        const int ran =
            std::system(fmt::format("{} helper <'{}' >'{}' 2>'{}'", KURVOCTL, from, t / "answer", t / "err").c_str());
        return WEXITSTATUS(ran);
    };
    CHECK(shell(request) == 0);
    const UniqueFd file(::open((t / "answer").c_str(), O_RDONLY | O_CLOEXEC));
    const auto answer = readAnswer(file.get(), {{t / "place"}, {}});
    REQUIRE(answer);
    REQUIRE(answer->size() == 1);
    CHECK(answer->front().tree->apparent(rootNode) == 5000);

    CHECK(shell(t.text("rubbish", "scan / please")) == 2);
    CHECK(readAll(t / "answer").empty());
    CHECK(readAll(t / "err").find("not a request") != std::string::npos);
    CHECK(shell(t.text("empty", "")) == 2);
}

TEST_CASE("all mounts are listed with why a mount is no drive", "[cli][mount]")
{
    const auto drives = kurvoctl("drives --json");
    const auto all = kurvoctl("drives --all --json");
    CHECK(all.status == 0);
    CHECK(std::count(all.out.begin(), all.out.end(), '\n') >= std::count(drives.out.begin(), drives.out.end(), '\n'));
    std::istringstream lines(all.out);
    bool pseudo = false;
    for (std::string line; std::getline(lines, line);)
        pseudo = pseudo || json::parse(line)["folded_away"] == "pseudo";
    CHECK(pseudo);
}

TEST_CASE("largest --where lists what a filter finds, and says where one is wrong", "[cli]")
{
    TestFolder t;
    makePlace(t);
    const auto run = kurvoctl("largest '" + t.path() + "' --json --where 'apparent>50K not under:b'");
    CHECK(run.status == 0);
    const auto all = run.lines();
    REQUIRE(all.size() == 2);
    CHECK(all[0]["path"] == t / "a/big.flac");
    CHECK(all[1]["path"] == t / "a/again");
    CHECK(kurvoctl("largest '" + t.path() + "' --json --where 'is:hidden'").lines().size() == 1);
    CHECK(kurvoctl("largest '" + t.path() + "' --where 'name:nothing-like-it'").out.empty());
    const auto wrong = kurvoctl("largest '" + t.path() + "' --where 'size>5M agee>2y'");
    CHECK(wrong.status == 2);
    CHECK(wrong.out.empty());
    CHECK(wrong.err.find("\"agee\" is no field") != std::string::npos);
    CHECK(wrong.err.find("\n          ^^^^\n") != std::string::npos);
}

TEST_CASE("kurvoctl duplicates prints a group a line, and folders on request", "[cli][duplicates]")
{
    const TestFolder t;
    for (const auto* name : {"a/one", "b/one", "c/alone"})
        t.text(std::string("place/") + name, std::string(20000, 'd'));
    t.text("place/a/two", "small");
    t.text("place/b/two", "small");
    const auto all = kurvoctl("duplicates '" + (t / "place") + "' --json");
    CHECK(all.status == 0);
    const auto groups = all.lines();
    REQUIRE(groups.size() == 2);
    CHECK(groups[0]["bytes_each"] == 20000);
    CHECK(groups[0]["paths"].size() == 3);
    CHECK(groups[1]["paths"] == json::array({t / "place/a/two", t / "place/b/two"}));
    const auto large = kurvoctl("duplicates '" + (t / "place") + "' --json --smallest 1K --leave-out '" +
                                (t / "place/c") + "' --folders");
    REQUIRE(large.lines().size() == 2);
    CHECK(large.lines()[1]["folders"] == json::array({t / "place/a", t / "place/b"}));
    const auto text = kurvoctl("duplicates '" + (t / "place") + "' --folders");
    CHECK(text.out.find("2 folders with the same content") != std::string::npos);
    CHECK(kurvoctl("duplicates '" + t.path() + "' --smallest huge").status == 2);
    CHECK(kurvoctl("duplicates '" + (t / "gone") + "'").status == 3);
}

TEST_CASE("kurvoctl duplicates writes a plan that goes only while one of each stays", "[cli][duplicates][plan]")
{
    const TestFolder t;
    for (const auto* name : {"a/one", "b/one", "c/alone"})
        t.text(std::string("place/") + name, std::string(20000, 'd'));
    setModified(t / "place/c/alone", 1000);
    const auto file = t / "copies.kurvo-plan", command = "duplicates '" + (t / "place") + "' --plan '" + file + "'";
    const auto written = kurvoctl(command);
    INFO(written.err);
    CHECK(written.status == 0);
    CHECK(written.out.find("2 items are planned for the trash, 40.0 KiB") != std::string::npos);
    CHECK(kurvoctl(command).status == 3); // it is there already
    const auto check = [&] { return kurvoctl("plan check '" + file + "' --json"); };
    CHECK(check().status == 0);
    for (const auto& line : check().lines()) {
        CHECK(line["stays"] == t / "place/c/alone");
        CHECK(line["ready"] == true);
    }
    CHECK(kurvoctl("plan check '" + file + "'").out.find("the same stays at " + (t / "place/c/alone")) !=
          std::string::npos);
    writeAll(t / "place/c/alone", "another");
    const auto held = check();
    CHECK(held.status == 1);
    CHECK(held.lines()[0]["finding"].get<std::string>().find("is no longer what it was") != std::string::npos);
    CHECK(kurvoctl("plan apply '" + file + "'").status == 1);
    CHECK(exists(t / "place/a/one"));

    // What lies in a folder stays, and where none of a group does, all of them do.
    CHECK(kurvoctl(command + " --force --keep-in '" + (t / "place/b") + "'").status == 0);
    CHECK(check().lines().size() == 1);
    CHECK(check().lines()[0]["path"] == t / "place/a/one");
    const auto nothing = kurvoctl(command + " --force --keep-in '" + (t / "place/c") + "'");
    CHECK(nothing.status == 0);
    CHECK(nothing.err.find("nothing to plan") != std::string::npos);
    CHECK(check().lines()[0]["path"] == t / "place/a/one"); // the earlier one is as it was
    CHECK(kurvoctl(command + " --force '" + t.path() + "'").status == 2);
    CHECK(kurvoctl("duplicates '" + t.path() + "' --keep newest").status == 2);
    CHECK(kurvoctl("duplicates '" + t.path() + "' --force").status == 2);
}

TEST_CASE("kurvoctl advice says what a path is, and checks files of rules", "[cli][advice]")
{
    const TestFolder t;
    const auto own = "XDG_CONFIG_HOME='" + t.path() + "' ";
    t.text("place/a.deb", "x");
    t.text("kurvo/advice/own.toml", "[[rule]]\nid = \"mine\"\npath = \"**/place/*.deb\"\nlevel = \"leave alone\"\n"
                                    "what = \"A test.\"\ndo = \"Nothing.\"\n");
    const auto command =
        own + std::string(KURVOCTL) + " advice show --json '" + (t / "place/a.deb") + "' > '" + (t / "out") + "'";
    REQUIRE(std::system(command.c_str()) == 0);
    const auto said = json::parse(readAll(t / "out"));
    CHECK(said["rule"] == "mine");
    CHECK(said["level"] == "leave alone");
    CHECK(said["what"] == "A test.");
    CHECK(kurvoctl("advice show '" + (t / "gone") + "'").status == 1);
    CHECK(kurvoctl("advice show '" + (t / "place/a.deb") + "'").out.find("your call") != std::string::npos);

    CHECK(kurvoctl("advice check '" + (t / "kurvo/advice/own.toml") + "'").status == 0);
    const auto bad = t.text("bad.toml", readAll(t / "kurvo/advice/own.toml") + "[[rule]]\nid = nothing\n");
    const auto checked = kurvoctl("advice check '" + bad + "'");
    CHECK(checked.status == 1);
    CHECK(checked.err.find("bad.toml:8:") != std::string::npos);
    CHECK(checked.out.find("1 rule, 1 mistake") != std::string::npos);
    CHECK(kurvoctl("advice check '" + (t / "none.toml") + "'").status == 3);
}

TEST_CASE("a plan is made, checked, carried out and taken back from a terminal", "[cli][plan]")
{
    TestFolder t;
    t.text("place/old.log", "lines");
    t.text("place/dumps/core.1", "dump");
    const auto data = t.folder("data");
    const char* const before = std::getenv("XDG_DATA_HOME");
    const std::string old = before ? before : "";
    ::setenv("XDG_DATA_HOME", data.c_str(), 1);
    const auto file = t / "plan.json";
    CHECK(
        kurvoctl("plan make '" + (t / "place/old.log") + "' '" + (t / "place/dumps") + "' -o '" + file + "'").status ==
        0);
    auto run = kurvoctl("plan check '" + file + "' --json");
    CHECK(run.status == 0);
    REQUIRE(run.lines().size() == 2);
    CHECK(run.lines()[0]["ready"] == true);
    run = kurvoctl("plan apply '" + file + "' --json");
    CHECK(run.status == 0);
    CHECK_FALSE(exists(t / "place/old.log"));
    CHECK_FALSE(exists(t / "place/dumps"));
    run = kurvoctl("logbook --json");
    REQUIRE(run.lines().size() == 1);
    CHECK(run.lines()[0]["run"] == 1);
    run = kurvoctl("logbook 1 --json");
    REQUIRE(run.lines().size() == 2);
    CHECK(run.lines()[0]["state"] == "done");
    CHECK(kurvoctl("plan undo").status == 0);
    CHECK(readAll(t / "place/old.log") == "lines");
    CHECK(readAll(t / "place/dumps/core.1") == "dump");
    CHECK(kurvoctl("plan undo").status == 3); // nothing is left to take back

    // What is deleted for good is confirmed by its number.
    CHECK(kurvoctl("plan make --force --action delete '" + (t / "place/dumps") + "' -o '" + file + "'").status == 0);
    run = kurvoctl("plan apply '" + file + "'");
    CHECK(run.status == 2);
    CHECK(run.err.find("--delete 1") != std::string::npos);
    CHECK(exists(t / "place/dumps"));
    t.text("place/dumps/core.2", "newer");
    run = kurvoctl("plan apply '" + file + "' --delete 1");
    CHECK(run.status == 1); // it has gained an entry
    CHECK(readAll(t / "place/dumps/core.2") == "newer");
    CHECK(kurvoctl("plan make --force --action move '" + (t / "place/dumps") + "' -o '" + file + "'").status == 2);
    CHECK(kurvoctl("plan check '" + (t / "place/old.log") + "'").status == 3);
    CHECK(kurvoctl("plan make --force /etc/passwd -o '" + file + "'").status == 3);
    CHECK(kurvoctl("logbook recover").status == 0);

    // The report, in each form; what cannot be planned, with the reason.
    run = kurvoctl("logbook report");
    CHECK(run.status == 0);
    CHECK(run.out.find("<!DOCTYPE html>") == 0);
    CHECK(run.out.find("held back") != std::string::npos);
    run = kurvoctl("logbook report 1 --format json --largest-of '" + (t / "place") + "'");
    CHECK(run.status == 0);
    const auto report = nlohmann::json::parse(run.out);
    CHECK(report["run"] == 1);
    CHECK(report["largest"].size() >= 1);
    CHECK(kurvoctl("logbook report --format csv").out.find("run,date,action") == 0);
    CHECK(kurvoctl("logbook report 4711").status == 3);
    CHECK(kurvoctl("logbook report --format pdf").status == 2);
    run = kurvoctl("plan make --force / -o '" + file + "'");
    CHECK(run.status == 3);
    CHECK(run.err.find("The root of the system cannot be planned") != std::string::npos);
    CHECK(kurvoctl("plan make --force --action empty-trash '" + (t / "place") + "' -o '" + file + "'").status == 0);
    run = kurvoctl("plan check '" + file + "'"); // a folder that is no trash
    CHECK(run.status == 1);
    CHECK(run.out.find("no trash folder of yours") != std::string::npos);
    old.empty() ? ::unsetenv("XDG_DATA_HOME") : ::setenv("XDG_DATA_HOME", old.c_str(), 1);
}
