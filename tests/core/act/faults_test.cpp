// SPDX-License-Identifier: GPL-3.0-or-later
// What goes wrong on real drives and with other programs at work: the plan says so, and nothing is lost.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <filesystem>
#include <thread>

#include "act_fixture.h"
#include "core/act/plan_run.h"
#include "core/base/figures.h"
#include "core/platform/filesystem_limits.h"
#include "core/scan/scanner.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A plan over real paths, carried out with a logbook beside them.
struct Faults {
    TestFolder t;
    Logbook logbook{t / "data/logbook.db"};
    PlanFile plan;
    RunOptions options{{t.user(), {}, nullptr}, {}, nullptr, {}};

    void add(const std::string& path, Action action, const std::string& destination = {}, bool link = false)
    {
        auto planned = readPlannedItem(path, {action, destination, link});
        INFO((planned ? "" : planned.error().sentence));
        REQUIRE(planned);
        plan.items.push_back(*planned);
        plan.written = currentTime();
        plan.place = t.path();
    }
    RunResult run()
    {
        auto result = runPlan(logbook, plan, options);
        INFO((result ? "" : result.error().sentence));
        REQUIRE(result);
        return std::move(*result);
    }
    /// Of the only item: why it is held back, by the check and by the run.
    void heldBack(const std::string& words)
    {
        const auto finding = checkPlan(plan, options.guard, {}, {}).front();
        INFO(finding.sentence);
        CHECK(finding.blocked);
        CHECK(finding.sentence.find(words) != std::string::npos);
        const auto result = run();
        CHECK(result.done() == 0);
        CHECK(result.steps.front().note.find(words) != std::string::npos);
    }
};

bool setImmutable(const std::string& path, bool immutable)
{
    const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
    int flags = 0;
    if (!fd || ::ioctl(fd.get(), FS_IOC_GETFLAGS, &flags) != 0)
        return false;
    flags = immutable ? flags | FS_IMMUTABLE_FL : flags & ~FS_IMMUTABLE_FL;
    return ::ioctl(fd.get(), FS_IOC_SETFLAGS, &flags) == 0;
}

} // namespace

TEST_CASE("a drive mounted read-only: nothing on it is touched, nothing goes there", "[act][fault][mount]")
{
    if (!canMount())
        return;
    Faults f;
    const TmpfsMount drive(f.t / "drive");
    writeAll(drive.path() + "/file", "x");
    f.t.text("place/mine", "m");
    const auto action = GENERATE(Action::Trash, Action::Delete, Action::Move);
    const bool destination = GENERATE(false, true);
    if (destination)
        f.add(f.t / "place/mine", Action::Move, drive.path());
    else
        f.add(drive.path() + "/file", action, f.t / "place");
    REQUIRE(::mount(nullptr, drive.path().c_str(), nullptr, MS_REMOUNT | MS_RDONLY, nullptr) == 0);
    f.heldBack("read-only");
    CHECK(readAll(drive.path() + "/file") == "x");
    CHECK(readAll(f.t / "place/mine") == "m");
}

TEST_CASE("what is marked immutable is held back; inside of a folder it keeps the whole where it is",
          "[act][fault][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    Faults f;
    const LoopMount drive(f.t / "drive", "mkfs.ext4", 32);
    const TmpfsMount other(f.t / "other");
    std::filesystem::create_directories(drive.path() + "/folder");
    writeAll(drive.path() + "/folder/a", "a");
    writeAll(drive.path() + "/folder/fixed", "fixed");
    REQUIRE(setImmutable(drive.path() + "/folder/fixed", true));
    SECTION("itself")
    {
        f.add(drive.path() + "/folder/fixed", GENERATE(Action::Trash, Action::Delete, Action::Move), other.path());
        f.heldBack("immutable");
    }
    SECTION("in a folder that is to be moved")
    {
        f.add(drive.path() + "/folder", Action::Move, other.path());
        const auto result = f.run();
        CHECK(result.done() == 0);
        CHECK(result.steps.front().note.find("immutable") != std::string::npos);
        CHECK(readAll(drive.path() + "/folder/a") == "a");
        CHECK(namesIn(other.path()).empty());
    }
    SECTION("in a folder that is to be deleted")
    {
        f.add(drive.path() + "/folder", Action::Delete);
        const auto result = f.run();
        CHECK(result.done() == 0);
        CHECK(result.steps.front().note.find("immutable") != std::string::npos);
        CHECK(readAll(drive.path() + "/folder/a") == "a");
    }
    CHECK(readAll(drive.path() + "/folder/fixed") == "fixed");
    CHECK(namesIn(drive.path()) == std::vector<std::string>{"folder", "lost+found"}); // nothing stands aside
    REQUIRE(setImmutable(drive.path() + "/folder/fixed", false));
}

TEST_CASE("what a filesystem cannot hold is known beforehand", "[act][fault]")
{
    FilesystemLimits fat{"FAT", 0xFFFFFFFFull, 255, true, true, true};
    CHECK(fat.refusal("season.wav", EntryKind::File, 4095ull << 20).empty());
    CHECK(fat.refusal("season.wav", EntryKind::File, 4096ull << 20).find("over 4 GiB") != std::string::npos);
    for (const auto* name : {"what?", "a:b", "back\\slash", "trailing.", "trailing ", "tab\t"})
        CHECK(fat.refusal(name, EntryKind::File, 1).find("does not allow names such as") != std::string::npos);
    CHECK(fat.refusal("link", EntryKind::SymbolicLink, 1).find("not an ordinary file") != std::string::npos);
    CHECK(fat.refusal("folder", EntryKind::Folder, 1ull << 40).empty());
    std::string bird; // 200 characters of four bytes, each two units
    for (int i = 0; i < 200; ++i)
        bird += "\U0001F426";
    CHECK(fat.refusal(bird, EntryKind::File, 1).find("longer than") != std::string::npos);
    std::string umlauts;
    for (int i = 0; i < 250; ++i)
        umlauts += "ü"; // 500 bytes, but 250 units
    CHECK(fat.refusal(umlauts, EntryKind::File, 1).empty());
    const FilesystemLimits ordinary;
    CHECK_FALSE(ordinary.refusal(umlauts, EntryKind::File, 1).empty());
    CHECK(ordinary.refusal("what?", EntryKind::Socket, 1ull << 50).empty());
}

TEST_CASE("moves to FAT: names, sizes, links; there, back, and after it was plugged in again",
          "[act][fault][fat][mount]")
{
    if (!canLoopMount("mkfs.vfat") || readAll("/proc/filesystems").find("vfat") == std::string::npos) {
        WARN("needs a kernel with vfat; skipped");
        return;
    }
    Faults f;
    const LoopMount stick(f.t / "stick", "mkfs.vfat -F 32", 64);
    SECTION("what it cannot hold stays")
    {
        const auto name = GENERATE(std::string("a:b"), std::string("huge"));
        const auto path = f.t.text("place/folder/" + name, "x");
        if (name == "huge")
            REQUIRE(::truncate(path.c_str(), 5ll << 30) == 0);
        f.add(f.t / "place/folder", Action::Move, stick.path());
        f.heldBack("FAT");
        CHECK(exists(path));
    }
    SECTION("there and back, with inodes that are others after it was mounted again")
    {
        f.t.text("place/folder/a", "a");
        f.t.text("place/folder/deep/b", std::string(100000, 'b'));
        f.add(f.t / "place/folder", Action::Move, stick.path());
        const auto result = f.run();
        REQUIRE(result.done() == 1);
        REQUIRE(std::system(
                    ("umount '" + stick.path() + "' && mount -o loop '" + stick.image() + "' '" + stick.path() + "'")
                        .c_str()) == 0);
        const auto undone = undoRun(f.logbook, result.run.id, {}, f.options);
        REQUIRE(undone);
        INFO(((*undone)[0].outcome ? "" : (*undone)[0].outcome.error().sentence));
        CHECK((*undone)[0].outcome);
        CHECK(readAll(f.t / "place/folder/deep/b") == std::string(100000, 'b'));
        CHECK(namesIn(stick.path()).empty());
    }
}

TEST_CASE("a folder swapped for a link at every moment: what the link leads to is never touched", "[act][fault][mount]")
{
    if (!canMount())
        return;
    for (const auto action : {Action::Delete, Action::Move, Action::Trash}) {
        Faults f;
        const TmpfsMount other(f.t / "other", "size=64m");
        for (int i = 0; i < 20; ++i) {
            f.t.text("secret/item/f" + std::to_string(i), "never touched " + std::to_string(i));
            f.t.text("place/sub/item/f" + std::to_string(i), "planned " + std::to_string(i));
        }
        const auto secret = everythingOf(f.t / "secret");
        std::atomic<bool> over{false};
        std::atomic<int> swaps{0};
        for (int round = 0; round < 12; ++round) {
            f.plan.items.clear();
            f.add(f.t / "place/sub/item", action, other.path());
            over = false;
            std::thread vandal([&] {
                const auto sub = f.t / "place/sub", aside = f.t / "place/real";
                while (!over) {
                    if (::rename(sub.c_str(), aside.c_str()) == 0) {
                        (void)!::symlink("../secret", sub.c_str());
                        ::unlink(sub.c_str());
                        (void)::rename(aside.c_str(), sub.c_str());
                        ++swaps;
                    }
                }
            });
            const auto result = f.run();
            over = true;
            vandal.join();
            // Whatever became of it: whole at one place.
            const auto& step = result.steps.front();
            INFO(stateName(step.state) << " " << step.note);
            CHECK(everythingOf(f.t / "secret") == secret);
            if (step.state != StepState::Done) {
                auto left = f.logbook.unfinished();
                REQUIRE(left);
                ActOptions acting;
                acting.user = f.t.user();
                for (auto& one : *left)
                    CHECK(recover(f.logbook, one, acting));
            }
            const auto trashedName = step.trashed.name.empty() ? std::string("item") : step.trashed.name;
            const auto at = exists(f.t / "place/sub/item/f19") ? f.t / "place/sub/item"
                            : action == Action::Move           ? other.path() + "/item"
                            : action == Action::Trash
                                ? f.t.user().data + "/Trash/files/" + trashedName // "item.2" where one went before
                                : std::string();
            if (!at.empty()) {
                CHECK(namesIn(at).size() == 20);
                CHECK(readAll(at + "/f7") == "planned 7");
                if (at != f.t / "place/sub/item")
                    std::filesystem::copy(at, f.t / "place/sub/item", std::filesystem::copy_options::recursive);
                std::error_code ignored;
                if (at != f.t / "place/sub/item")
                    std::filesystem::remove_all(at, ignored);
            } else {
                for (int i = 0; i < 20; ++i)
                    f.t.text("place/sub/item/f" + std::to_string(i), "planned " + std::to_string(i));
            }
        }
        CHECK(swaps > 12);
    }
}

TEST_CASE("as anybody: what is one's own goes, what is not is held back with the right that is missing",
          "[act][fault][mount]")
{
    if (!canMount())
        return;
    Faults f;
    const TmpfsMount other(f.t / "other", "size=32m");
    REQUIRE(::chmod(other.path().c_str(), 0777) == 0);
    f.t.text("place/mine/delete", "d");
    f.t.text("place/mine/move/deep/file", "m");
    f.t.text("place/mine/trash", "t");
    f.t.text("place/theirs/file", "x");
    f.t.text("place/mixed/inner/file", "x"); // a folder of somebody else's in a folder of one's own
    f.t.folder("home/data");
    for (const std::string path : {"", "place", "home", "home/data", "data"}) {
        std::filesystem::create_directories(f.t / path);
        REQUIRE(::chmod((f.t / path).c_str(), 0777) == 0);
    }
    REQUIRE(std::system(("chown -R 65534:65534 '" + (f.t / "place/mine") + "' '" + (f.t / "home") +
                         "' && chown 65534 '" + (f.t / "place/mixed") + "'")
                            .c_str()) == 0);
    const auto status = asNobody([&] {
        UserFolders nobody = f.t.user();
        nobody.uid = 65534;
        f.options.guard = {nobody, {}, nullptr};
        f.add(f.t / "place/mine/delete", Action::Delete);
        f.add(f.t / "place/mine/move", Action::Move, other.path(), true);
        f.add(f.t / "place/mine/trash", Action::Trash);
        f.add(f.t / "place/theirs/file", Action::Delete);
        f.add(f.t / "place/mixed", Action::Move, other.path());
        const auto findings = checkPlan(f.plan, f.options.guard, {}, {});
        const bool checked = !findings[0].blocked && !findings[1].blocked && !findings[2].blocked &&
                             findings[3].blocked && findings[3].needsRights;
        const auto result = f.run();
        for (const auto& step : result.steps)
            if (step.path.ends_with("/mixed") && step.note.find("Administrator rights") == std::string::npos)
                return false;
        return checked && result.done() == 3;
    });
    CHECK(status == 0);
    CHECK_FALSE(exists(f.t / "place/mine/delete"));
    CHECK(readAll(other.path() + "/move/deep/file") == "m");
    CHECK(isLink(f.t / "place/mine/move"));
    CHECK(exists(f.t / "home/data/Trash/files/trash"));
    CHECK(readAll(f.t / "place/theirs/file") == "x");
    CHECK(readAll(f.t / "place/mixed/inner/file") == "x");
    CHECK(namesIn(other.path()) == std::vector<std::string>{"move"});
}

TEST_CASE("the trash of one's own is emptied by the plan, and no other folder", "[act][fault]")
{
    Faults f;
    f.t.text("place/a", "a");
    f.t.text("place/b", "b");
    f.add(f.t / "place/a", Action::Trash);
    f.add(f.t / "place/b", Action::Trash);
    REQUIRE(f.run().done() == 2);
    const auto trash = f.t.user().data + "/Trash";
    SECTION("whole")
    {
        f.plan.items.clear();
        f.add(trash, Action::EmptyTrash);
        CHECK(f.run().done() == 1);
        CHECK(namesIn(trash + "/files").empty());
        CHECK(namesIn(trash + "/info").empty());
    }
    SECTION("one of it, with its note")
    {
        f.plan.items.clear();
        f.add(trash + "/files/a", Action::Delete);
        CHECK(f.run().done() == 1);
        CHECK(namesIn(trash + "/files") == std::vector<std::string>{"b"});
        CHECK(namesIn(trash + "/info") == std::vector<std::string>{"b.trashinfo"});
    }
    SECTION("what only looks like its note stays")
    {
        f.t.text("place/files/x", "x");
        f.t.text("place/info/x.trashinfo", "mine");
        f.plan.items.clear();
        f.add(f.t / "place/files/x", Action::Delete);
        CHECK(f.run().done() == 1);
        CHECK(readAll(f.t / "place/info/x.trashinfo") == "mine");
    }
    SECTION("not when something came in since it was planned")
    {
        f.plan.items.clear();
        f.add(trash, Action::EmptyTrash);
        f.t.text("home/data/Trash/files/late", "late");
        f.heldBack("has gained");
        CHECK(namesIn(trash + "/files").size() == 3);
    }
    SECTION("a folder that only looks like one is none")
    {
        f.t.text("place/Trash/files/mine", "m");
        f.t.text("place/Trash/info/mine.trashinfo", "[Trash Info]\n");
        f.plan.items.clear();
        f.add(f.t / "place/Trash", Action::EmptyTrash);
        f.heldBack("no trash folder of yours");
        CHECK(readAll(f.t / "place/Trash/files/mine") == "m");
    }
}

TEST_CASE("device numbers count until the machine is started again", "[act][plan]")
{
    Faults f;
    f.t.text("place/file", "x");
    f.add(f.t / "place/file", Action::Delete);
    f.plan.items.front().item.device += 1;
    f.heldBack("replaced");
    f.plan.written = 1000000; // long before this machine was started
    CHECK_FALSE(checkPlan(f.plan, f.options.guard, {}, {}).front().blocked);
    CHECK(f.run().done() == 1);
    CHECK_FALSE(exists(f.t / "place/file"));
}

TEST_CASE("without room for the logbook nothing is begun, and what is under way is taken back", "[act][fault][mount]")
{
    if (!canMount())
        return;
    Faults f;
    const TmpfsMount data(f.t / "small", "size=300k");
    const TmpfsMount other(f.t / "other", "size=32m");
    f.t.text("place/a", "a");
    f.t.text("place/b/file", std::string(200000, 'b'));
    f.add(f.t / "place/a", Action::Delete);
    f.add(f.t / "place/b", Action::Move, other.path());
    const auto fill = [&] {
        (void)!std::system(("head -c 1048576 /dev/zero >'" + data.path() + "/filler' 2>/dev/null").c_str());
    };
    Logbook logbook(data.path() + "/logbook.db");
    SECTION("from the start")
    {
        fill();
        const auto result = runPlan(logbook, f.plan, f.options);
        REQUIRE_FALSE(result);
        CHECK(result.error().sentence.find("full") != std::string::npos);
        CHECK(exists(f.t / "place/a"));
    }
    SECTION("in the middle")
    {
        f.options.onProgress = [&](const RunProgress& p) {
            if (p.movedNow > 0)
                fill();
        };
        (void)runPlan(logbook, f.plan, f.options);
        ::unlink((data.path() + "/filler").c_str());
        CHECK(recoverAll(logbook, f.t.user(), {}));
    }
    // Whole at one place, and at one only.
    const bool moved = exists(other.path() + "/b");
    CHECK(readAll((moved ? other.path() + "/b" : f.t / "place/b") + "/file") == std::string(200000, 'b'));
    CHECK(exists(f.t / "place/b") != moved);
    CHECK(namesIn(other.path()).size() == (moved ? 1 : 0));
}
