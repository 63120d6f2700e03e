// SPDX-License-Identifier: GPL-3.0-or-later
// Moving, deleting and trashing for real, between mounts that are made here.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>
#include <map>
#include <random>

#include "core/act/act_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// A season of recordings with all that is hard to copy.
std::string season(const TestFolder& t)
{
    const auto top = t.folder("place/season");
    t.file("place/season/dawn.wav", 3 << 20);
    t.text("place/season/notes.txt", "wren\n");
    t.file("place/season/empty", 0);
    t.link("place/season/dawn.wav", "place/season/linked/dawn again.wav");
    t.symlink("../notes.txt", "place/season/linked/notes");
    t.symlink("/nowhere", "place/season/broken");
    REQUIRE(::mkfifo((top + "/pipe").c_str(), 0640) == 0);
    t.text("place/season/odd \xff\n name", "bytes");
    const UniqueFd holes(::open((top + "/ring.buf").c_str(), O_RDWR | O_CREAT, 0600));
    REQUIRE(::pwrite(holes.get(), "begin", 5, 0) == 5);
    REQUIRE(::pwrite(holes.get(), "middle", 6, 40 << 20) == 6);
    REQUIRE(::ftruncate(holes.get(), 200 << 20) == 0);
    ::setxattr((top + "/dawn.wav").c_str(), "user.season", "spring", 6, 0);
    ::chmod((top + "/notes.txt").c_str(), 04751);
    if (::geteuid() == 0)
        REQUIRE(::chown((top + "/empty").c_str(), 1234, 4321) == 0);
    std::string deep = "place/season/deep";
    for (int level = 0; level < 150; ++level)
        deep += "/d" + std::to_string(level);
    t.text(deep + "/bottom", "found");
    setModified(top + "/dawn.wav", 1700000001, 123456789);
    ::chmod((top + "/linked").c_str(), 0555);
    setModified(top + "/linked", 1600000000, 987654321);
    setModified(top, 1650000000, 5);
    return top;
}

} // namespace

TEST_CASE("a folder is moved to another drive with everything it has", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    const auto top = season(d.t);
    const auto before = everythingOf(top);
    REQUIRE(before.size() > 160);
    std::uint64_t reported = 0;
    d.options.onBytes = [&](std::uint64_t bytes) { reported += bytes; };
    auto step = d.step(Action::Move, top, d.other.path() + "/season", true);
    const auto moved = execute(d.logbook, step, d.options);
    INFO((moved ? "" : moved.error().sentence));
    REQUIRE(moved);
    CHECK(step.state == StepState::Done);
    const auto after = everythingOf(d.other.path() + "/season");
    for (const auto& [name, what] : before) {
        INFO(name);
        CHECK(after.count(name) == 1);
        if (after.count(name) == 1)
            CHECK(after.at(name) == what);
    }
    CHECK(after.size() == before.size());
    struct stat ring { };
    REQUIRE(::stat((d.other.path() + "/season/ring.buf").c_str(), &ring) == 0);
    CHECK(ring.st_blocks * 512 < 1 << 20);
    CHECK(isLink(top));
    CHECK(readAll(top + "/notes.txt") == "wren\n"); // by its old path
    CHECK(d.leftovers() == 0);
    CHECK(reported >= 2 * (3 << 20)); // copied and read back; links and holes but once
    CHECK(reported < 3 * (3 << 20));
    const auto logged = d.logbook.steps(d.run.id);
    REQUIRE(logged);
    CHECK(logged->front().state == StepState::Done);

    // and back, the link replaced by the original
    auto back = undoingStep(step, d.run.id);
    std::vector<LoggedStep> one{back};
    REQUIRE(d.logbook.add(one));
    const auto undone = undo(d.logbook, step, &one.front(), d.options);
    INFO((undone ? "" : undone.error().sentence));
    REQUIRE(undone);
    CHECK(step.state == StepState::Undone);
    CHECK_FALSE(isLink(top));
    CHECK(everythingOf(top) == before);
    CHECK_FALSE(exists(d.other.path() + "/season"));
    CHECK(d.leftovers() == 0);
}

TEST_CASE("single files, links and what cannot be moved", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    const auto link = d.t / "place/link";
    d.t.text("place/file", "content");
    d.t.symlink("file", "place/link");
    auto step = d.step(Action::Move, link, d.other.path() + "/link");
    REQUIRE(execute(d.logbook, step, d.options));
    CHECK(isLink(d.other.path() + "/link"));
    CHECK(readAll(d.t / "place/file") == "content"); // what it led to was not touched

    writeAll(d.other.path() + "/taken", "older");
    step = d.step(Action::Move, d.t / "place/file", d.other.path() + "/taken");
    const auto refused = execute(d.logbook, step, d.options);
    REQUIRE_FALSE(refused);
    CHECK(refused.error().sentence.find("not replaced") != std::string::npos);
    CHECK(readAll(d.other.path() + "/taken") == "older");
    CHECK(readAll(d.t / "place/file") == "content");

    // replaced by a link since it was looked at: nothing is followed
    step = d.step(Action::Move, d.t / "place/file", d.other.path() + "/file");
    ::unlink((d.t / "place/file").c_str());
    d.t.text("place/secret", "secret");
    d.t.symlink("secret", "place/file");
    CHECK_FALSE(execute(d.logbook, step, d.options));
    CHECK(readAll(d.t / "place/secret") == "secret");
    CHECK_FALSE(exists(d.other.path() + "/file"));

    d.t.text("place/gone", "x");
    step = d.step(Action::Delete, d.t / "place/gone");
    ::unlink((d.t / "place/gone").c_str());
    const auto gone = execute(d.logbook, step, d.options);
    REQUIRE_FALSE(gone);
    CHECK(gone.error().kind == ErrorKind::NotFound);
    CHECK(d.leftovers() == 0);
}

TEST_CASE("a destination that fills up leaves everything as it was", "[act]")
{
    if (!canMount())
        return;
    for (const int full : {0, 3, 7}) { // in the first, a later, the last file
        TwoDrives d("size=" + std::to_string((full + 1) * 1024 - 300) + "k");
        for (int i = 0; i < 8; ++i)
            d.t.text("place/series/take-" + std::to_string(i), std::string(1 << 20, static_cast<char>('a' + i)));
        const auto before = everythingOf(d.t / "place");
        auto step = d.step(Action::Move, d.t / "place/series", d.other.path() + "/series");
        const auto moved = execute(d.logbook, step, d.options);
        REQUIRE_FALSE(moved);
        CHECK(moved.error().kind == ErrorKind::NoSpace);
        CHECK(step.state == StepState::Failed);
        CHECK(everythingOf(d.t / "place") == before);
        CHECK(namesIn(d.other.path()).empty());
        CHECK(d.leftovers() == 0);
    }
}

TEST_CASE("stopped, or written to while it is copied: taken back", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/series/a", std::string(4 << 20, 'a'));
    d.t.text("place/series/b", std::string(4 << 20, 'b'));
    const auto before = everythingOf(d.t / "place");
    std::stop_source stop;
    d.options.stop = stop.get_token();
    d.options.onBytes = [&](std::uint64_t) { stop.request_stop(); };
    auto step = d.step(Action::Move, d.t / "place/series", d.other.path() + "/series");
    auto moved = execute(d.logbook, step, d.options);
    REQUIRE_FALSE(moved);
    CHECK(moved.error().kind == ErrorKind::Cancelled);
    CHECK(everythingOf(d.t / "place") == before);
    CHECK(namesIn(d.other.path()).empty());

    // written to when the copy is read back: found before the original goes
    d.options.stop = {};
    std::uint64_t reported = 0;
    d.options.onBytes = [&](std::uint64_t bytes) {
        reported += bytes;
        if (reported == 9 << 20)
            writeAll(d.t / "place/series/a", "newer");
    };
    step = d.step(Action::Move, d.t / "place/series", d.other.path() + "/series");
    moved = execute(d.logbook, step, d.options);
    REQUIRE_FALSE(moved);
    CHECK(moved.error().kind == ErrorKind::Changed);
    CHECK(readAll(d.t / "place/series/a") == "newer");
    CHECK(namesIn(d.other.path()).empty());
    CHECK(d.leftovers() == 0);
}

TEST_CASE("deleting: only what was planned, and only if it still is that", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/dumps/core.1", "dump");
    d.t.text("place/keep", "keep");
    const auto parent = everythingOf(d.t / "place/keep");
    std::uint64_t entries = 0;
    bool wasAway = false;
    d.options.contentIsSame = [&](const ContentSummary& now) -> Result<Done> {
        entries = now.entries;
        wasAway = !exists(d.t / "place/dumps"); // out of everybody's paths
        return Error{ErrorKind::Changed, "", 0, "It has gained a file."};
    };
    auto step = d.step(Action::Delete, d.t / "place/dumps");
    CHECK_FALSE(execute(d.logbook, step, d.options));
    CHECK(entries == 2);
    CHECK(wasAway);
    CHECK(readAll(d.t / "place/dumps/core.1") == "dump");
    d.options.contentIsSame = {};
    step = d.step(Action::Delete, d.t / "place/dumps");
    REQUIRE(execute(d.logbook, step, d.options));
    CHECK(namesIn(d.t / "place") == std::vector<std::string>{"keep"});
    CHECK(everythingOf(d.t / "place/keep") == parent);
    const auto undone = undo(d.logbook, step, nullptr, d.options);
    REQUIRE_FALSE(undone);
    CHECK(undone.error().sentence.find("for good") != std::string::npos);

    // Without the right to remove it nothing happens.
    const auto mine = d.t.folder("nobody");
    ::chmod(d.t.path().c_str(), 0755);
    ::chmod(mine.c_str(), 0777);
    CHECK(asNobody([&] {
              std::filesystem::create_directories(mine + "/place/dumps/locked");
              writeAll(mine + "/place/dumps/locked/core.2", "dump");
              Logbook logbook(mine + "/logbook.db");
              LoggedRun run;
              LoggedStep one;
              one.action = Action::Delete;
              one.path = mine + "/place/dumps";
              statEntry(AT_FDCWD, one.path.c_str(), one.stat, StatSync::Fresh);
              std::vector<LoggedStep> steps{one};
              ::chmod((mine + "/place").c_str(), 0555);
              if (!logbook.begin(run) || !logbook.add(steps))
                  return false;
              const auto refused = execute(logbook, steps.front(), {});
              ::chmod((mine + "/place").c_str(), 0755);
              return !refused && refused.error().kind == ErrorKind::NoPermission &&
                     readAll(mine + "/place/dumps/locked/core.2") == "dump";
          }) == 0);
}

TEST_CASE("the trash, noted before it happens, and back", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/old.log", "lines");
    auto step = d.step(Action::Trash, d.t / "place/old.log");
    REQUIRE(execute(d.logbook, step, d.options));
    CHECK_FALSE(exists(d.t / "place/old.log"));
    auto logged = d.logbook.steps(d.run.id);
    REQUIRE(logged);
    CHECK(logged->front().trashed == step.trashed);
    writeAll(d.t / "place/old.log", "newer");
    CHECK_FALSE(undo(d.logbook, logged->front(), nullptr, d.options)); // something newer is in the way
    CHECK(readAll(d.t / "place/old.log") == "newer");
    ::unlink((d.t / "place/old.log").c_str());
    REQUIRE(undo(d.logbook, logged->front(), nullptr, d.options));
    CHECK(readAll(d.t / "place/old.log") == "lines");
}

TEST_CASE("one Kurvo at a time; a damaged logbook is said and kept", "[act][logbook]")
{
    TestFolder t;
    Logbook first(t / "data/logbook.db"), second(t / "data/logbook.db");
    {
        const auto turn = first.takeTurn();
        REQUIRE(turn);
        const auto refused = second.takeTurn();
        REQUIRE_FALSE(refused);
        CHECK(refused.error().sentence.find("Another Kurvo") != std::string::npos);
    }
    CHECK(second.takeTurn());
    REQUIRE(first.runs());
    CHECK(first.runs()->empty());
    writeAll(t / "data/logbook.db", "this is no database, but long enough to look like one to somebody");
    LoggedRun run;
    const auto broken = second.begin(run);
    REQUIRE_FALSE(broken);
    CHECK(broken.error().kind == ErrorKind::Damaged);
    CHECK(readAll(t / "data/logbook.db").starts_with("this is no database"));
}

TEST_CASE("killed at any moment, every byte is at its old or at its new place after the next start", "[act][kill]")
{
    if (!canMount())
        return;
    // More of them, from another seed: tools/kill_runs.sh.
    const char* many = std::getenv("KURVO_KILL_ROUNDS");
    const char* seed = std::getenv("KURVO_KILL_SEED");
    const int rounds = many ? std::atoi(many) : 24;
    std::mt19937 random(seed ? static_cast<unsigned>(std::atoi(seed)) : 20261123u);
    int underWay = 0;
    std::map<std::string, int> found;
    for (int round = 0; round < rounds; ++round) {
        TwoDrives d("size=48m");
        std::map<std::string, std::string> contents;
        for (int i = 0; i < 3; ++i)
            for (int f = 0; f < 12; ++f)
                d.t.text("place/set-" + std::to_string(i) + "/f" + std::to_string(f),
                         std::string(100000 + random() % 200000, static_cast<char>('a' + random() % 26)));
        d.t.text("place/old.log", "lines");
        std::vector<LoggedStep> steps{
            d.step(Action::Move, d.t / "place/set-0", d.other.path() + "/set-0", round % 2 == 0),
            d.step(Action::Trash, d.t / "place/old.log"), d.step(Action::Delete, d.t / "place/set-1"),
            d.step(Action::Move, d.t / "place/set-2", d.other.path() + "/set-2")};
        std::map<std::string, std::map<std::string, std::string>> before;
        for (const auto& step : steps)
            before[step.path] = everythingOf(step.path);

        Ticker ticker;
        const pid_t child = ::fork();
        REQUIRE(child >= 0);
        if (child == 0) {
            Logbook own(d.t / "data/logbook.db"); // a connection does not outlive a fork
            d.options.onBytes = [&](std::uint64_t) { ticker.tick(); };
            for (auto& step : steps) {
                ticker.tick();
                (void)execute(own, step, d.options);
            }
            ::_exit(0);
        }
        ticker.wait(static_cast<unsigned>(1 + random() % 52), static_cast<unsigned>(random() % 5000)); // there are 52
        ::kill(child, SIGKILL);
        ::waitpid(child, nullptr, 0);

        Logbook next(d.t / "data/logbook.db");
        auto left = next.unfinished();
        REQUIRE(left);
        underWay += left->empty() ? 0 : 1;
        for (auto& step : *left) {
            ++found[std::string(actionName(step.action)) + ", " + stateName(step.state)];
            const auto ended = recover(next, step, d.options);
            INFO((ended ? *ended : ended.error().sentence));
            CHECK(ended);
        }
        CHECK(d.leftovers() == 0);
        const auto logged = next.steps(d.run.id);
        REQUIRE(logged);
        for (const auto& step : *logged) {
            INFO(step.path << ": " << stateName(step.state) << " " << step.note);
            CHECK_FALSE(step.isUnderWay());
            const bool done = step.state == StepState::Done;
            const auto& was = before.at(step.path);
            if (!done) {
                CHECK(everythingOf(step.path) == was);
                CHECK((step.target.empty() || !exists(step.target)));
            } else if (step.action == Action::Move) {
                CHECK(everythingOf(step.target) == was);
                CHECK(isLink(step.path) == step.leaveLink);
                CHECK((step.leaveLink || !exists(step.path)));
            } else {
                CHECK_FALSE(exists(step.path));
                if (step.action == Action::Trash)
                    CHECK(readAll(step.trashed.folder.path + "/files/" + step.trashed.name) == "lines");
            }
        }
    }
    CHECK(underWay > 3); // else nothing was tested
    if (many) {
        std::printf("%d rounds, %d of them with a step under way\n", rounds, underWay);
        for (const auto& [what, count] : found)
            std::printf("%4d  %s\n", count, what.c_str());
    }
}

TEST_CASE("what cannot be moved as a whole is not moved at all", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/set/a", "a");
    const TmpfsMount inside(d.t / "place/set/mounted");
    writeAll(inside.path() + "/x", "x");
    auto step = d.step(Action::Move, d.t / "place/set", d.other.path() + "/set");
    const auto moved = execute(d.logbook, step, d.options);
    REQUIRE_FALSE(moved);
    CHECK(moved.error().sentence.find("mounted") != std::string::npos);
    CHECK(readAll(d.t / "place/set/a") == "a");
    CHECK(readAll(inside.path() + "/x") == "x");
    CHECK(namesIn(d.other.path()).empty());
    CHECK(d.leftovers() == 0);
}

TEST_CASE("under way since an older version: a move is finished where the copy is there, else given back", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/set/a", "a");
    auto step = d.step(Action::Move, d.t / "place/set", d.other.path() + "/set", true);
    // As after a kill right before the original is removed.
    std::filesystem::create_directories(d.other.path() + "/set");
    writeAll(d.other.path() + "/set/a", "a");
    step.copyInode = inodeOf(d.other.path() + "/set");
    step.state = StepState::Removing;
    const auto aside = d.t / "place/" + step.asideName();
    std::filesystem::rename(step.path, aside);
    REQUIRE(d.logbook.update(step));
    const bool there = GENERATE(true, false);
    if (!there)
        std::filesystem::rename(d.other.path() + "/set", d.other.path() + "/elsewhere");
    auto left = d.logbook.unfinished();
    REQUIRE(left);
    REQUIRE(left->size() == 1);
    const auto ended = recover(d.logbook, left->front(), d.options);
    INFO((ended ? *ended : ended.error().sentence));
    REQUIRE(ended);
    CHECK(readAll(d.t / "place/set/a") == "a"); // by the link, or itself
    CHECK(isLink(d.t / "place/set") == there);
    CHECK(ended->find(there ? "finished" : "is not there") != std::string::npos);
    CHECK(left->front().state == (there ? StepState::Done : StepState::Failed));
    CHECK(d.leftovers() == 0);
}

TEST_CASE("a copy that got its name but not the same content any more: both stay", "[act]")
{
    if (!canMount())
        return;
    TwoDrives d;
    d.t.text("place/notes", "original");
    auto step = d.step(Action::Move, d.t / "place/notes", d.other.path() + "/notes");
    writeAll(d.other.path() + "/notes", "somebody wrote here");
    step.copyInode = inodeOf(d.other.path() + "/notes");
    step.state = StepState::Placing;
    REQUIRE(d.logbook.update(step));
    const auto ended = recover(d.logbook, step, d.options);
    REQUIRE(ended);
    CHECK(ended->find("is where it was. A copy stands at") != std::string::npos);
    CHECK(readAll(d.t / "place/notes") == "original");
    CHECK(readAll(d.other.path() + "/notes") == "somebody wrote here");
    CHECK(step.state == StepState::Failed);
    CHECK(d.leftovers() == 0);
}
