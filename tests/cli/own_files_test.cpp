// SPDX-License-Identifier: GPL-3.0-or-later
// Files that a person names, and wrong input: what is there is never lost, and what changes nothing is not accepted.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <filesystem>

#include "cli/run_kurvoctl.h"
#include "core/platform/folders.h"
#include "support/mounts.h"

using namespace kurvo::test;

namespace {

/// Data of its own for as long as this lives.
class OwnData {
public:
    explicit OwnData(const std::string& path)
    {
        const char* const now = std::getenv("XDG_DATA_HOME");
        before_ = now ? now : "";
        ::setenv("XDG_DATA_HOME", path.c_str(), 1);
    }
    ~OwnData() { before_.empty() ? ::unsetenv("XDG_DATA_HOME") : ::setenv("XDG_DATA_HOME", before_.c_str(), 1); }
    OwnData(const OwnData&) = delete;
    OwnData& operator=(const OwnData&) = delete;

private:
    std::string before_;
};

} // namespace

TEST_CASE("a bare name is a file of the current folder, for everybody", "[cli][own-files]")
{
    TestFolder t;
    t.file("place/a", 5000);
    REQUIRE(::chmod(t.path().c_str(), 0777) == 0);
    std::filesystem::copy_file(KURVOCTL, t / "kurvoctl");
    REQUIRE(::chmod((t / "kurvoctl").c_str(), 0755) == 0);
    CHECK(asNobody([&] {
              return std::system(
                         ("cd " + quoted(t.path()) + " && HOME=. ./kurvoctl scan place --save home.kurvo >/dev/null")
                             .c_str()) == 0;
          }) == 0);
    CHECK(readAll(t / "home.kurvo").starts_with("KURVOSNP"));
    // Where nothing can be written it says so before the scan.
    REQUIRE(::chmod(t.path().c_str(), 0755) == 0);
    CHECK(asNobody([&] {
              const auto said = t / "said"; // of root's folder: cannot be made
              return std::system(
                         ("cd " + quoted(t.path()) + " && HOME=. ./kurvoctl scan / --save other.kurvo >/dev/null 2>&1")
                             .c_str()) != 0;
          }) == 0);
}

TEST_CASE("what is there is replaced only when asked for, and only by its own kind", "[cli][own-files]")
{
    TestFolder t;
    t.file("place/a", 5000);
    const auto place = quoted(t / "place");
    const auto file = t / "x.kurvo";
    SECTION("a snapshot by a snapshot")
    {
        REQUIRE(kurvoctl("scan " + place + " --save " + quoted(file)).status == 0);
        const auto inode = inodeOf(file);
        const auto refused = kurvoctl("scan " + place + " --save " + quoted(file));
        CHECK(refused.status == 3);
        CHECK(refused.err.find("--force") != std::string::npos);
        CHECK(refused.out.empty()); // before the scan
        CHECK(inodeOf(file) == inode);
        CHECK(kurvoctl("scan " + place + " --save " + quoted(file) + " --force").status == 0);
        CHECK(inodeOf(file) != inode);
        CHECK(kurvoctl("snapshot export " + quoted(file) + " -o " + quoted(file)).status == 3);
    }
    SECTION("nothing else, whatever is asked for")
    {
        t.text("notes", "mine");
        t.symlink(t / "notes", "link");
        const auto device = t / "null"; // not the machine's own: a test that fails must break nothing else
        REQUIRE((::mknod(device.c_str(), S_IFCHR | 0666, makedev(1, 3)) == 0 || ::mkfifo(device.c_str(), 0666) == 0));
        for (const auto& other : {t / "notes", t / "link", device, t / "place"}) {
            INFO(other);
            CHECK(kurvoctl("scan " + place + " --save " + quoted(other) + " --force").status == 3);
            CHECK(kurvoctl("plan make " + quoted(t / "place/a") + " --force -o " + quoted(other)).status == 3);
        }
        CHECK(readAll(t / "notes") == "mine");
        CHECK_FALSE(std::filesystem::is_regular_file(device));
    }
    SECTION("a plan does not become the file that it plans")
    {
        const auto a = quoted(t / "place/a");
        CHECK(kurvoctl("plan make " + a + " -o " + a).status == 3);
        CHECK(kurvoctl("plan make " + place + " -o " + quoted(t / "place/plan.json")).status == 3);
        CHECK(std::filesystem::file_size(t / "place/a") == 5000);
        CHECK_FALSE(exists(t / "place/plan.json"));
        CHECK(kurvoctl("plan make " + a + " -o " + quoted(t / "p")).status == 0);
        CHECK(kurvoctl("plan make " + a + " -o " + quoted(t / "p")).status == 3);
        CHECK(kurvoctl("plan make " + a + " -o " + quoted(t / "p") + " --force").status == 0);
    }
}

TEST_CASE("removing snapshots: of the catalogue, into the trash, and nothing else", "[cli][own-files]")
{
    TestFolder t;
    const OwnData data(t.folder("data"));
    t.file("place/a", 5000);
    const auto in = "snapshot --in " + quoted(t / "kept") + " ";
    REQUIRE(kurvoctl(in + "take " + quoted(t / "place")).status == 0);
    t.file("place/b", 5000);
    REQUIRE(kurvoctl(in + "take " + quoted(t / "place")).status == 0);
    const auto listed = kurvoctl(in + "list --json").lines();
    REQUIRE(listed.size() == 2);
    const auto newest = listed[0]["file"].get<std::string>(), oldest = listed[1]["file"].get<std::string>();
    const auto precious = t.text("precious.txt", "mine");
    const auto elsewhere = t / "elsewhere.kurvo";
    std::filesystem::copy_file(newest, elsewhere);
    t.symlink(elsewhere, "kept/link.kurvo");
    for (const auto& wrong : {precious, elsewhere, t / "kept/link.kurvo", t / "kept", t / "kept/nothing.kurvo"}) {
        INFO(wrong);
        CHECK(kurvoctl(in + "remove " + quoted(wrong)).status == 3);
    }
    CHECK(readAll(precious) == "mine");
    CHECK(exists(elsewhere));
    REQUIRE(kurvoctl(in + "pin " + quoted(oldest)).status == 0);
    const auto pinned = kurvoctl(in + "remove " + quoted(oldest));
    CHECK(pinned.status == 3);
    CHECK(pinned.err.find("pinned") != std::string::npos);
    CHECK(exists(oldest));
    CHECK(kurvoctl(in + "remove " + quoted(newest)).status == 0);
    CHECK_FALSE(exists(newest));
    const auto trashed = t / "data/Trash/files/" + std::filesystem::path(newest).filename().string();
    CHECK(kurvoctl("snapshot verify " + quoted(trashed)).status == 0); // whole, without what it was packed against
}

TEST_CASE("a catalogue that is not there, or cannot be read, is not said to be well", "[cli][own-files]")
{
    TestFolder t;
    const auto command = GENERATE(std::string("verify"), std::string("prune"), std::string("list"));
    const auto missing = kurvoctl("snapshot --in " + quoted(t / "nothing") + " " + command);
    CHECK(missing.status == 3);
    CHECK(missing.err.find("no catalogue") != std::string::npos);
    t.text("file", "x");
    CHECK(kurvoctl("snapshot --in " + quoted(t / "file") + " " + command).status == 3);
}

TEST_CASE("plans that say two things, or what no version said, are refused", "[cli][own-files]")
{
    TestFolder t;
    const OwnData data(t.folder("data"));
    const auto a = t.text("place/a", "x");
    const auto file = t / "plan.json";
    REQUIRE(kurvoctl("plan make " + quoted(a) + " -o " + quoted(file)).status == 0);
    const auto good = readAll(file);
    REQUIRE(kurvoctl("plan check " + quoted(file)).status == 0);
    const auto with = [&](const std::string& from, const std::string& to) {
        auto text = good;
        const auto at = text.find(from);
        REQUIRE(at != text.npos);
        return text.replace(at, from.size(), to);
    };
    const auto modified = good.find("\"modified\": ") + 12;
    const auto time = good.substr(modified, good.find(',', modified) - modified);
    for (const auto& bad : {with("\"version\": 1", "\"version\": 4294967297"), with("\"version\": 1", "\"version\": 0"),
                            with("\"version\": 1", "\"version\": -5"), with("\"version\": 1", "\"version\": 1.5"),
                            with("\"modified\": " + time, "\"modified\": 9223372036854775807"),
                            with("\"modified_ns\": ", "\"modified_ns\": 7000000000, \"x\": "),
                            with("\"modified_ns\": ", "\"modified_ns\": 4294967296, \"x\": "),
                            with("\"action\": \"trash\"", "\"action\": \"trash\", \"action\": \"delete\""),
                            with("\"path\": ", "\"path_encoded\": \"/etc/passwd\", \"path\": ")}) {
        writeAll(t / "bad.json", bad);
        INFO(bad);
        CHECK(kurvoctl("plan check " + quoted(t / "bad.json")).status == 3);
        CHECK(kurvoctl("plan apply " + quoted(t / "bad.json")).status == 3);
    }
    CHECK(readAll(a) == "x");
    // Of another host nothing is ready.
    writeAll(t / "other.json", with("\"host\": \"", "\"host\": \"not-"));
    const auto other = kurvoctl("plan check " + quoted(t / "other.json"));
    CHECK(other.status == 3);
    CHECK(other.err.find("not on this machine") != std::string::npos);
}

TEST_CASE("options that would change nothing are refused", "[cli][own-files]")
{
    TestFolder t;
    const auto a = quoted(t.text("place/a", "x"));
    const auto to = " -o " + quoted(t / "plan.json");
    CHECK(kurvoctl("plan make " + a + " --to " + quoted(t.path()) + to).status == 2);
    CHECK(kurvoctl("plan make " + a + " --link" + to).status == 2);
    CHECK(kurvoctl("scan " + quoted(t / "place") + " --force").status == 2);
    CHECK(kurvoctl("compare a b --json --format csv").status == 2);
    CHECK_FALSE(exists(t / "plan.json"));
}

TEST_CASE("undo says which run it takes back, and does not walk back to older ones", "[cli][own-files]")
{
    TestFolder t;
    const OwnData data(t.folder("data"));
    for (const auto* name : {"first", "second"}) {
        t.text(std::string("place/") + name, name);
        REQUIRE(kurvoctl("plan make " + quoted(t / "place/" + name) + " --force -o " + quoted(t / "p")).status == 0);
        REQUIRE(kurvoctl("plan apply " + quoted(t / "p")).status == 0);
    }
    const auto undone = kurvoctl("plan undo");
    CHECK(undone.status == 0);
    CHECK(undone.out.find("Undoing run 2") != std::string::npos);
    CHECK(readAll(t / "place/second") == "second");
    const auto again = kurvoctl("plan undo");
    CHECK(again.status == 3);
    CHECK(again.err.find("Run 2, the newest, has nothing left") != std::string::npos);
    CHECK_FALSE(exists(t / "place/first"));
    CHECK(kurvoctl("plan undo 1").status == 0);
    CHECK(readAll(t / "place/first") == "first");
}

TEST_CASE("a drive that does not answer keeps no command waiting", "[cli][own-files][mount]")
{
    if (!canStall())
        return;
    TestFolder t;
    const OwnData data(t.folder("data"));
    t.text("place/a", "x");
    StallingMount drive(t / "place/drive");
    REQUIRE(kurvoctl("plan make " + quoted(drive.path() + "/alpha") + " -o " + quoted(t / "p")).status == 0);
    drive.stallWhole();
    const auto path = quoted(drive.path());
    for (const auto& command :
         {"folders " + path, "largest " + path, "export " + path, "duplicates " + path, "ledger " + path,
          "compare " + path + " " + quoted(t / "place"), "snapshot take " + path, "plan check " + quoted(t / "p"),
          "plan apply " + quoted(t / "p"), "plan make " + path + "/beta -o " + quoted(t / "q"),
          "advice show " + path}) {
        INFO(command);
        const auto given = kurvoctl(command + " --patience 1");
        CHECK(given.status != 0);
        CHECK(given.err.find("not answer") != std::string::npos);
    }
    // Left out of a scan across mounts, and said.
    const auto scanned = kurvoctl("scan " + quoted(t / "place") + " --cross-mounts --patience 1");
    CHECK(scanned.status == 1);
    CHECK(scanned.err.find(drive.path()) != std::string::npos);
}
