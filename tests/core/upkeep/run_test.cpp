// SPDX-License-Identifier: GPL-3.0-or-later
// Upkeep at work: what a rule does, and what no rule ever touches.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <filesystem>
#include <map>
#include <random>
#include <set>
#include <thread>

#include "core/act/run_history.h"
#include "core/base/figures.h"
#include "core/marks/marks.h"
#include "core/platform/trash.h"
#include "core/snapshot/catalogue.h"
#include "core/upkeep/run.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::int64_t oneDay = 86400;

/// The advice as it is for a home in /home, where the tests cannot be.
std::shared_ptr<const RuleBook> adviceHere()
{
    auto book = std::make_shared<RuleBook>(RuleBook::builtIn());
    std::string rules;
    for (const auto& [id, path, level] :
         {std::tuple{"thumbnails", "**/.cache/thumbnails/**", "usually safe"},
          std::tuple{"node-modules", "**/node_modules/**", "usually safe"},
          std::tuple{"git-objects", "**/.git/**", "leave alone"}, std::tuple{"office", "**/papers/**", "your call"}})
        rules += std::string("[[rule]]\nid = \"") + id + "\"\npath = [\"" + path + "\"]\nlevel = \"" + level +
                 "\"\nwhat = \"Here.\"\ndo = \"Look.\"\n";
    REQUIRE(book->add(rules, "here.toml").empty());
    return book;
}

/// Another program that has a file open.
class HeldOpen {
public:
    explicit HeldOpen(const std::string& path) : pid_(::fork())
    {
        if (pid_ == 0) {
            const int fd = ::open(path.c_str(), O_RDWR);
            for (;;)
                ::pause();
            ::close(fd);
        }
        ::usleep(100'000);
    }
    ~HeldOpen()
    {
        ::kill(pid_, SIGKILL);
        ::waitpid(pid_, nullptr, 0);
    }
    HeldOpen(const HeldOpen&) = delete;
    HeldOpen& operator=(const HeldOpen&) = delete;

private:
    pid_t pid_;
};

/// A home with a clock of its own, which begins some days ahead: whatever the tests make is old by it.
struct Home {
    TestFolder t;
    std::int64_t now = currentTime() + 10 * oneDay;
    UpkeepWish wish;

    Home()
    {
        t.folder("home");
        wish.user = t.user();
        wish.data = wish.user.data + "/kurvo";
        wish.snapshots = wish.data + "/snapshots";
        wish.book = adviceHere();
    }
    std::string file(const std::string& name, std::uint64_t size, std::int64_t daysOld) const
    {
        return t.file("home/" + name, size, now - daysOld * oneDay);
    }
    UpkeepRule& rule(const std::string& name, const std::string& filter, UpkeepAction action = UpkeepAction::Trash)
    {
        UpkeepRule rule;
        rule.name = name;
        rule.place = t / "home";
        rule.filter = filter;
        rule.action = action;
        rule.olderDays = 30;
        rule.most = action == UpkeepAction::Tell ? 0 : 100 << 20;
        rule.on = true;
        wish.rules.push_back(rule);
        return wish.rules.back();
    }
    std::vector<UpkeepOutcome> run()
    {
        wish.now = now;
        auto outcomes = runUpkeep(wish);
        if (!outcomes)
            FAIL(outcomes.error().sentence);
        return std::move(*outcomes);
    }
    /// Of a single rule.
    UpkeepOutcome runOne()
    {
        auto outcomes = run();
        REQUIRE(outcomes.size() == 1);
        UNSCOPED_INFO(outcomes[0].sentence());
        return std::move(outcomes[0]);
    }
    std::string heldOf(const UpkeepOutcome& outcome, const std::string& path) const
    {
        for (const auto& item : outcome.look.items)
            if (item.path == path)
                return item.held.empty() ? "goes" : item.held;
        return "not found";
    }
    std::vector<RunRecord> history() const
    {
        Logbook logbook(wish.data + "/logbook.db");
        const auto history = readHistory(logbook);
        REQUIRE(history);
        return *history;
    }
};

} // namespace

TEST_CASE("a rule puts what is old into the trash, and the way back stays open", "[upkeep]")
{
    Home h;
    const auto old = h.file("films/old.mkv", 300'000, 40), fresh = h.file("films/new.mkv", 300'000, 5);
    const auto other = h.file("papers/old.odt", 1000, 400);
    h.rule("films", "*.mkv");
    SECTION("only looking changes nothing")
    {
        h.wish.dryRun = true;
        const auto looked = h.runOne();
        CHECK(looked.look.verdict == UpkeepVerdict::Ready);
        CHECK(looked.look.going == 1);
        CHECK(h.heldOf(looked, old) == "goes");
        CHECK(exists(old));
        CHECK_FALSE(exists(h.wish.data + "/upkeep.json"));
        CHECK_FALSE(exists(h.wish.data + "/logbook.db"));
    }
    SECTION("carried out, and undone")
    {
        const auto done = h.runOne();
        CHECK(done.done == 1);
        CHECK(done.news);
        CHECK_FALSE(exists(old));
        CHECK(exists(fresh));
        CHECK(exists(other));
        const auto history = h.history();
        REQUIRE(history.size() == 1);
        CHECK(history[0].run.rule == "films");
        CHECK(history[0].canBeUndone());
        CHECK_FALSE(h.runOne().news); // nothing more, and nothing to say
        Logbook logbook(h.wish.data + "/logbook.db");
        REQUIRE(undoRun(logbook, done.run, {}, {{h.wish.user, {}, nullptr}, {}, nullptr}));
        CHECK(readAll(old).size() == 300'000);
    }
    SECTION("one that is off does nothing unless it is named")
    {
        h.wish.rules[0].on = false;
        CHECK(h.run().empty());
        h.wish.only = {"films"};
        CHECK(h.runOne().done == 1);
    }
}

TEST_CASE("no rule touches what is protected, open, young, marked, or to be left alone", "[upkeep]")
{
    Home h;
    const auto open = h.file("a/open.bin", 1000, 90), kept = h.file("a/kept.bin", 1000, 90);
    const auto asked = h.file("b/asked/one.bin", 1000, 90), free = h.file("a/free.bin", 1000, 90);
    const auto data = h.t.file("home/data/kurvo/own.bin", 1000, h.now - 90 * oneDay);
    const auto objects = h.file("project/.git/objects/ab/cdef.bin", 1000, 90);
    h.wish.data = h.t / "home/data/kurvo";
    h.rule("everything", "*.bin");
    h.wish.evenSo = true; // it finds nearly all
    MarkStore marks(h.wish.data + "/marks.db");
    REQUIRE(marks.write(hostName(), {{kept, "keep", "for the audit", 1}, {h.t / "home/b/asked", "ask", "", 1}}));
    const HeldOpen held(open);
    const auto done = h.runOne();
    CHECK(done.done == 1);
    CHECK_FALSE(exists(free));
    for (const auto& path : std::vector<std::string>{open, kept, asked, data, objects})
        CHECK(exists(path));
    CHECK(h.heldOf(done, kept).find("keep") != std::string::npos);
    CHECK(h.heldOf(done, asked).find("ask") != std::string::npos);
    CHECK(h.heldOf(done, data).find("Kurvo") != std::string::npos);
    CHECK(h.heldOf(done, objects).find("leave alone") != std::string::npos);
    CHECK(h.heldOf(done, open).find("open") != std::string::npos);
}

TEST_CASE("what came here within the last hour stays, whatever date it carries", "[upkeep]")
{
    Home h;
    h.now = currentTime();
    const auto unpacked = h.file("a/unpacked.bin", 1000, 90); // as tar gives it
    h.file("other", 1, 0);
    h.rule("old", "*.bin");
    const auto done = h.runOne();
    CHECK(done.done == 0);
    CHECK(exists(unpacked));
    CHECK(h.heldOf(done, unpacked).find("within the last hour") != std::string::npos);
}

TEST_CASE("a rule that would do more than it may, or than it ever did, stops and asks", "[upkeep]")
{
    Home h;
    h.file("keep/a", 5'000'000, 1);
    for (int i = 0; i < 20; ++i)
        h.file("keep/file-" + std::to_string(i), 10, 1);
    SECTION("more than it may")
    {
        h.rule("dumps", "*.dump").most = 1 << 20;
        const auto dump = h.file("big.dump", 2 << 20, 60);
        auto done = h.runOne();
        CHECK(done.look.verdict == UpkeepVerdict::Asks);
        CHECK(done.news);
        CHECK(exists(dump));
        CHECK(readUpkeepBook(h.wish.data + "/upkeep.json").states.at("dumps").asks.find("1.00 MiB") !=
              std::string::npos);
        CHECK_FALSE(h.runOne().news); // asked once
        h.wish.evenSo = true;
        CHECK(h.runOne().done == 1);
        CHECK_FALSE(exists(dump));
        CHECK(readUpkeepBook(h.wish.data + "/upkeep.json").states.at("dumps").asks.empty());
    }
    SECTION("ten times what it ever did")
    {
        h.rule("dumps", "*.dump").most = std::uint64_t{1} << 30;
        h.file("one.dump", 1 << 20, 60);
        CHECK(h.runOne().done == 1);
        for (int i = 0; i < 3; ++i)
            h.file("many-" + std::to_string(i) + ".dump", 50 << 20, 60);
        const auto asks = h.runOne();
        CHECK(asks.look.verdict == UpkeepVerdict::Asks);
        CHECK(asks.look.sentence.find("ten times") != std::string::npos);
        CHECK(exists(h.t / "home/many-0.dump"));
    }
    SECTION("nearly everything")
    {
        h.rule("all", "size>=0").olderDays = 0;
        h.wish.rules[0].moreThan = 1;
        const auto asks = h.runOne();
        CHECK(asks.look.verdict == UpkeepVerdict::Asks);
        CHECK(asks.look.sentence.find("nearly all") != std::string::npos);
        CHECK(exists(h.t / "home/keep/a"));
    }
}

TEST_CASE("over a limit the oldest go, until it is kept", "[upkeep]")
{
    Home h;
    for (int i = 1; i <= 10; ++i)
        h.file(".cache/thumbnails/large/" + std::to_string(i) + ".png", 1 << 20, i);
    for (int i = 0; i < 10; ++i)
        h.file("papers/" + std::to_string(i), 10, 1);
    auto& rule = h.rule("thumbnails", "", UpkeepAction::Delete);
    rule.subject = UpkeepSubject::Advice;
    rule.kinds = {"thumbnails"};
    rule.olderDays = 0;
    SECTION("of their own")
    {
        rule.moreThan = 7 << 20;
        const auto done = h.runOne();
        CHECK(done.done == 3);
        CHECK_FALSE(exists(h.t / "home/.cache/thumbnails/large/10.png"));
        CHECK(exists(h.t / "home/.cache/thumbnails/large/7.png"));
        CHECK_FALSE(exists(h.t / "home/data/Trash")); // deleted, as such may be
        CHECK(h.runOne().done == 0);
    }
    SECTION("of the drive")
    {
        rule.fullerThan = 90;
        std::uint64_t used = 900 << 20;
        h.wish.capacity = [&](const std::string&) {
            return Result<Capacity>(Capacity{1000 << 20, used, 0, (1000 << 20) - used});
        };
        CHECK(h.runOne().done == 0);
        used = 902 << 20;
        CHECK(h.runOne().done == 2);
    }
    SECTION("what is not usually safe is put into the trash instead of deleted")
    {
        rule.subject = UpkeepSubject::Filter;
        rule.kinds.clear();
        rule.filter = "*papers/*";
        rule.moreThan = 1;
        h.wish.evenSo = true;
        const auto done = h.runOne();
        REQUIRE(done.done > 0);
        CHECK(h.history()[0].canBeUndone());
    }
}

TEST_CASE("a clock that cannot be right is not believed", "[upkeep]")
{
    Home h;
    const auto old = h.file("old.bin", 1000, 40);
    h.file("other", 1, 0);
    h.rule("old", "*.bin");
    h.wish.only = {"nothing"};
    h.run();
    h.wish.only.clear();
    const auto refused = [&](std::int64_t now) {
        h.wish.now = now;
        const auto ran = runUpkeep(h.wish);
        REQUIRE_FALSE(ran);
        CHECK(ran.error().sentence.find("clock") != std::string::npos);
        CHECK(exists(old));
    };
    refused(h.now - oneDay);
    refused(h.now + 400 * oneDay);
    h.wish.clockIsRight = true;
    h.now += 400 * oneDay;
    CHECK(h.runOne().done == 1);
}

TEST_CASE("a destination that is away is waited for, and said once", "[upkeep][mount]")
{
    if (!canMount())
        return;
    Home h;
    h.file("other", 1, 0);
    const auto film = h.file("films/old.mkv", 300'000, 40);
    auto& rule = h.rule("archive", "*.mkv", UpkeepAction::Move);
    rule.to = h.t / "archive";
    auto waits = h.runOne();
    CHECK(waits.look.verdict == UpkeepVerdict::Waits);
    CHECK(waits.news);
    CHECK_FALSE(h.runOne().news);
    {
        const TmpfsMount other(h.t / "archive");
        rule.toDrive = "another drive";
        waits = h.runOne();
        CHECK(waits.look.sentence.find("Another drive") != std::string::npos);
        CHECK(exists(film));
        rule.toDrive.clear();
        CHECK(h.runOne().done == 1);
        CHECK(exists(h.t / "archive/old.mkv"));
        Logbook logbook(h.wish.data + "/logbook.db");
        REQUIRE(undoRun(logbook, h.history()[0].run.id, {}, {{h.wish.user, {}, nullptr}, {}, nullptr}));
        CHECK(readAll(film).size() == 300'000);
    }
}

TEST_CASE("a place that has become a link is not worked through", "[upkeep]")
{
    Home h;
    const auto mine = h.file("papers/old.bin", 1000, 60);
    h.file("other", 1, 0);
    auto& rule = h.rule("shared", "*.bin");
    rule.place = h.t / "shared";
    h.t.symlink(h.t / "home/papers", "shared"); // somebody who may write there has put it in
    const auto done = h.runOne();
    CHECK(done.problem.find("link") != std::string::npos);
    CHECK(exists(mine));
}

TEST_CASE("where none has run yet, the rules tell what the clock may be", "[upkeep]")
{
    Home h;
    const auto old = h.file("old.bin", 1000, 60);
    h.file("other", 1, 0);
    h.rule("old", "*.bin").made = h.now - 2 * 366 * oneDay; // it jumped ahead since the rule was written
    h.wish.now = h.now;
    CHECK_FALSE(runUpkeep(h.wish));
    h.wish.rules[0].made = h.now + oneDay;
    CHECK_FALSE(runUpkeep(h.wish));
    CHECK(exists(old));
    h.wish.rules[0].made = h.now - 5 * oneDay;
    CHECK(h.runOne().done == 1);
}

TEST_CASE("what is known of rules is changed by several at a time, and nothing of it is lost", "[upkeep]")
{
    const TestFolder t;
    const auto file = t / "data/upkeep.json";
    std::vector<std::thread> threads;
    for (int i = 0; i < 8; ++i)
        threads.emplace_back([&, i] {
            for (int k = 0; k < 10; ++k)
                REQUIRE(changeUpkeepBook(file, [&](UpkeepBook& book) {
                    book.states["rule-" + std::to_string(i)].looked = k;
                    book.news.push_back({1, "r", "s", 0});
                }));
        });
    for (auto& thread : threads)
        thread.join();
    const auto book = readUpkeepBook(file);
    CHECK(book.states.size() == 8);
    CHECK(book.news.size() == 80);
    writeAll(file, "{\"rules\": [1, 2], \"news\": 7, \"last_run\": \"x\"}");
    CHECK(readUpkeepBook(file).states.empty()); // taken for nothing known
}

TEST_CASE("rules that fight are not carried out, either of them", "[upkeep]")
{
    Home h;
    const auto film = h.file("films/old.mkv", 1000, 40);
    auto& there = h.rule("there", "*.mkv", UpkeepAction::Move);
    there.to = h.t / "archive";
    auto back = there;
    back.name = "back";
    back.place = h.t / "archive";
    back.to = h.t / "home/films";
    h.wish.rules.push_back(back);
    for (const auto& outcome : h.run())
        CHECK(outcome.problem.find("to and fro") != std::string::npos);
    CHECK(exists(film));
}

TEST_CASE("the trash is emptied of what lies in it for long, with its notes", "[upkeep]")
{
    Home h;
    h.file("other", 1, 0);
    const auto put = [&](const std::string& name, std::int64_t daysAgo) {
        const auto path = h.file(name, 5000, 400);
        EntryStat stat;
        REQUIRE(statEntry(AT_FDCWD, path.c_str(), stat) == 0);
        const auto trashed = moveToTrash(path, stat, h.wish.user);
        REQUIRE(trashed);
        // The date is the only thing that says since when.
        const auto note = trashed->folder.path + "/info/" + trashed->name + ".trashinfo";
        char date[32];
        const std::time_t when = h.now - daysAgo * oneDay;
        std::strftime(date, sizeof date, "%Y-%m-%dT%H:%M:%S", std::localtime(&when));
        auto text = readAll(note);
        text.replace(text.find("DeletionDate=") + 13, 19, date);
        writeAll(note, text);
        return trashed->folder.path + "/files/" + trashed->name;
    };
    const auto old = put("old", 40), young = put("young", 5);
    const auto noteless = h.t.file("home/data/Trash/files/noteless", 100, h.now - 400 * oneDay);
    auto& rule = h.rule("trash", "", UpkeepAction::Delete);
    rule.subject = UpkeepSubject::Trash;
    const auto done = h.runOne();
    CHECK(done.done == 1);
    CHECK_FALSE(exists(old));
    CHECK(exists(young));
    CHECK(exists(noteless)); // nobody knows since when it lies there
    CHECK(namesIn(h.t / "home/data/Trash/info") == std::vector<std::string>{"young.trashinfo"});
}

TEST_CASE("the way back lasts as long as the rule says, and the logbook as long as that", "[upkeep]")
{
    Home h;
    h.file("other", 1, 0);
    const auto first = h.file("first.bin", 1000, 40);
    h.rule("old", "*.bin").keepDays = 20;
    const auto done = h.runOne();
    REQUIRE(done.done == 1);
    const auto inTrash = h.t / "home/data/Trash/files/first.bin";
    CHECK(exists(inTrash));
    h.now += 19 * oneDay;
    CHECK(h.runOne().letGo == 0);
    CHECK(exists(inTrash));
    SECTION("then it is let go")
    {
        h.now += 2 * oneDay;
        CHECK(h.runOne().letGo == 1);
        CHECK_FALSE(exists(inTrash));
        CHECK(namesIn(h.t / "home/data/Trash/info").empty());
        CHECK_FALSE(h.history().back().canBeUndone());
        // Old runs leave the logbook once nothing of them can be undone.
        h.file("last.bin", 1000, 300);
        h.wish.clockIsRight = true;
        h.now += 300 * oneDay;
        h.wish.rules[0].keepDays = 0;
        const auto last = h.runOne().run;
        h.now += 800 * oneDay;
        h.wish.rules[0].on = false;
        h.run();
        const auto history = h.history();
        REQUIRE(history.size() == 1);
        CHECK(history[0].run.id == last);
    }
    SECTION("but not where something else has its name in the trash by then")
    {
        std::filesystem::remove(inTrash);
        const auto other = h.t.file("home/data/Trash/files/first.bin", 77, h.now);
        h.now += 2 * oneDay;
        CHECK(h.runOne().letGo == 0);
        CHECK(exists(other));
    }
}

TEST_CASE("a log that grows is told of, by the snapshots", "[upkeep]")
{
    Home h;
    h.file("other", 1, 0);
    h.file("var/log/steady.log", 3 << 20, 20);
    const auto growing = h.file("var/log/growing.log", 2 << 20, 20);
    h.rule("logs", "*.log", UpkeepAction::Tell).olderDays = 0;
    h.wish.rules[0].growsAWeek = 1 << 20;
    CHECK(h.runOne().look.verdict == UpkeepVerdict::Nothing); // there is nothing to compare with
    const auto scan = kurvo::scan(h.t / "home");
    REQUIRE(scan);
    auto info = describeScan(*scan);
    info.taken = h.now - 8 * oneDay;
    REQUIRE(addSnapshot(h.wish.snapshots, info, *scan->tree));
    h.file("var/log/growing.log", 6 << 20, 0);
    const auto told = h.runOne();
    CHECK(told.look.verdict == UpkeepVerdict::Tells);
    CHECK(told.look.going == 1);
    CHECK(told.news);
    CHECK(h.heldOf(told, growing) == "goes");
    CHECK_FALSE(h.runOne().news);
    CHECK(exists(growing));
}

TEST_CASE("another user's files in a shared place stay, and the rest goes", "[upkeep]")
{
    if (::geteuid() != 0)
        return;
    Home h;
    const auto mine = h.file("shared/mine.bin", 1000, 60);
    h.file("shared/theirs/a.bin", 1000, 60);
    for (int i = 0; i < 5; ++i)
        h.file("shared/file-" + std::to_string(i), 10, 60);
    h.rule("old", "*.bin");
    for (const auto& entry : std::filesystem::recursive_directory_iterator(h.t.path()))
        REQUIRE(::lchown(entry.path().c_str(), 65534, 65534) == 0);
    REQUIRE(::chown((h.t / "home").c_str(), 65534, 65534) == 0);
    REQUIRE(::chown((h.t / "home/shared/theirs").c_str(), 0, 0) == 0);
    const pid_t child = ::fork();
    REQUIRE(child >= 0);
    if (child == 0) {
        if (::setgid(65534) != 0 || ::setuid(65534) != 0)
            ::_exit(9);
        h.wish.user.uid = 65534;
        h.wish.now = h.now;
        const auto ran = runUpkeep(h.wish);
        ::_exit(ran && ran->size() == 1 && (*ran)[0].done == 1 && !(*ran)[0].problem.empty() ? 0 : 1);
    }
    int status = 0;
    REQUIRE(::waitpid(child, &status, 0) == child);
    CHECK(status == 0);
    CHECK_FALSE(exists(mine));
    CHECK(exists(h.t / "home/shared/theirs/a.bin"));
}

TEST_CASE("ninety days of a world that grows: the drive stays under its limit, and all can be taken back in its time",
          "[upkeep][mount]")
{
    if (!canMount())
        return;
    TestFolder outside;
    const TmpfsMount drive(outside / "drive", "size=64m");
    const auto home = outside / "drive/home";
    std::filesystem::create_directories(home);
    UpkeepWish wish;
    wish.user = {home, home + "/.local/share", home + "/.config", ::geteuid()};
    wish.data = outside / "data";
    wish.snapshots = wish.data + "/snapshots";
    wish.book = adviceHere();
    for (auto& rule : readyUpkeepRules(wish.user))
        if (rule.action != UpkeepAction::Tell) {
            rule.on = true;
            wish.rules.push_back(rule);
            if (rule.name == "browser-caches")
                wish.rules.back().moreThan = 8 << 20;
            if (rule.name == "build-output")
                wish.rules.back().keepDays = 7;
        }
    const auto start = currentTime() + 40 * oneDay;
    std::mt19937 random(20261129);
    std::map<std::string, std::string> protectedFiles, undone;
    const auto write = [&](const std::string& name, std::size_t size, std::int64_t when) {
        const auto path = home + "/" + name;
        std::filesystem::create_directories(std::filesystem::path(path).parent_path());
        writeAll(path, std::string(size, static_cast<char>('a' + random() % 26)));
        setModified(path, when);
        return path;
    };
    const auto keep = [&](const std::string& path) { protectedFiles[path] = readAll(path); };
    const auto open = write(".cache/thumbnails/large/open.png", 200'000, start - 300 * oneDay);
    keep(open);
    const HeldOpen held(open);
    int undoings = 0;
    for (int d = 0; d < 90; ++d) {
        const auto now = start + d * oneDay;
        // What a day brings: caches, build output that is left behind, papers, and what is being worked on.
        write(".cache/thumbnails/large/" + std::to_string(d) + ".png", 600'000, now - 7200);
        if (d % 3 == 0)
            for (const char* part : {"a.js", "b.js"})
                write("project-" + std::to_string(d) + "/node_modules/left/" + part, 400'000, now - 7200);
        keep(write("papers/" + std::to_string(d) + ".odt", 20'000, now - 7200));
        keep(write("project-now/node_modules/used/" + std::to_string(d) + ".js", 2'000, now - 60)); // worked on
        wish.now = now;
        const auto ran = runUpkeep(wish);
        REQUIRE(ran);
        for (const auto& outcome : *ran) {
            INFO("day " << d << ", " << outcome.rule.name << ": " << outcome.sentence());
            CHECK(outcome.look.verdict != UpkeepVerdict::Asks);
            CHECK((outcome.problem.empty() || outcome.problem.find("open") != std::string::npos));
        }
        const auto capacity = readCapacity(home);
        REQUIRE(capacity);
        CHECK(capacity->used < 48u << 20); // all that came is some 100 MiB
        for (const auto& [path, content] : protectedFiles)
            if (!exists(path) || readAll(path) != content)
                FAIL("day " << d << ": " << path << " was touched");
        // Now and then somebody takes back what a rule did some days ago.
        if (d % 10 != 9)
            continue;
        Logbook logbook(wish.data + "/logbook.db");
        const auto history = readHistory(logbook);
        REQUIRE(history);
        for (const auto& record : *history)
            if (record.canBeUndone() && record.run.rule == "build-output" && now - record.run.began < 7 * oneDay) {
                const auto back = undoRun(logbook, record.run.id, {}, {{wish.user, {}, nullptr}, {}, nullptr});
                REQUIRE(back);
                for (const auto& step : *back) {
                    CHECK(step.outcome);
                    CHECK(exists(step.step.path));
                }
                ++undoings;
                break;
            }
    }
    CHECK(undoings >= 2);
    Logbook logbook(wish.data + "/logbook.db");
    const auto history = readHistory(logbook);
    REQUIRE(history);
    std::set<std::string> byRule;
    for (const auto& record : *history)
        byRule.insert(record.run.rule);
    CHECK(byRule.contains("browser-caches"));
    CHECK(byRule.contains("build-output"));
}

TEST_CASE("killed at any moment of a run by rule, nothing is lost", "[upkeep][kill]")
{
    const char* many = std::getenv("KURVO_KILL_ROUNDS");
    const int rounds = many ? std::atoi(many) : 20;
    std::mt19937 random(20261129u);
    int cut = 0;
    for (int round = 0; round < rounds; ++round) {
        Home h;
        std::map<std::string, std::string> before; // by name, which is its own
        for (int i = 0; i < 12; ++i) {
            const auto name = "f" + std::to_string(i) + ".bin";
            const auto path = h.t.text("home/d" + std::to_string(i % 3) + "/" + name,
                                       std::string(20'000 + random() % 90'000, static_cast<char>('a' + i)));
            setModified(path, h.now - 60 * oneDay);
            before[name] = readAll(path);
        }
        h.file("young/keep.bin", 1000, 1);
        h.rule("old", "*.bin");
        h.wish.evenSo = true;
        h.wish.now = h.now;
        const pid_t child = ::fork();
        REQUIRE(child >= 0);
        if (child == 0) {
            (void)static_cast<bool>(runUpkeep(h.wish));
            ::_exit(0);
        }
        ::usleep(static_cast<unsigned>(random() % 60'000));
        ::kill(child, SIGKILL);
        int status = 0;
        ::waitpid(child, &status, 0);
        cut += WIFSIGNALED(status) ? 1 : 0;
        // The next run ends what was under way, and does the rest.
        const auto next = h.runOne();
        CHECK(next.problem.empty());
        for (const auto& [name, content] : before) {
            int places = 0;
            for (const auto& entry : std::filesystem::recursive_directory_iterator(h.t / "home"))
                if (entry.is_regular_file() && entry.path().filename().string().starts_with(name) &&
                    readAll(entry.path().string()) == content)
                    ++places; // in the trash perhaps as NAME.2
            CHECK(places == 1);
        }
        CHECK(exists(h.t / "home/young/keep.bin"));
        for (const auto& record : h.history())
            for (const auto& step : record.steps)
                CHECK_FALSE(step.isUnderWay());
    }
    CHECK(cut > rounds / 3);
}
