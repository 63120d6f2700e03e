// SPDX-License-Identifier: GPL-3.0-or-later
// The terminal view, by its keys, in a real terminal.
#include <catch2/catch.hpp>

#include <sys/stat.h>
#include <unistd.h>

#include <csignal>
#include <random>

#include "core/act/run_history.h"
#include "core/base/text.h"
#include "core/marks/marks.h"
#include "core/snapshot/catalogue.h"
#include "support/slow_machine.h"
#include "support/test_tree.h"
#include "terminal/pseudo_terminal.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr const char* up = "\033OA";
constexpr const char* down = "\033OB";
constexpr const char* right = "\033OC";
constexpr const char* left = "\033OD";
constexpr const char* deleteKey = "\033[3~";
constexpr const char* f5 = "\033[15~";
constexpr const char* f6 = "\033[17~";
const std::string f2 = "\033OQ";
const std::string f3 = "\033OR";
const std::string f9 = "\033[20~";

/// A place with something to see, and a home that nothing else is in.
struct World {
    TestFolder t;
    std::string place;
    World()
    {
        place = t / "place";
        t.folder("home");
        t.file("place/films/long.mkv", 900'000);
        t.file("place/films/short.mkv", 300'000);
        t.file("place/.store/blob.bin", 600'000);
        t.file("place/papers/a.pdf", 90'000);
        t.file("place/papers/b.txt", 20'000);
    }
    PseudoTerminal start(const std::vector<std::string>& words, int rows = 24, int columns = 80,
                         std::vector<std::string> environment = {}) const
    {
        std::vector<std::string> command{KURVOCTL, "browse"};
        command.insert(command.end(), words.begin(), words.end());
        return PseudoTerminal(command, {rows, columns, std::move(environment), t / "home"});
    }
    std::string data() const { return t / "home/data/kurvo"; }
};

#define SHOWN(terminal, text)                                                                                          \
    do {                                                                                                               \
        if (!(terminal).untilShown(text))                                                                              \
            FAIL("not shown: " << (text) << "\n" << (terminal).screen());                                              \
    } while (false)

} // namespace

TEST_CASE("the terminal view goes through a place by its keys", "[terminal]")
{
    const World w;
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    // Largest first, with size, share and a tag.
    CHECK(terminal.rowOf("films/") < terminal.rowOf(".store/"));
    SHOWN(terminal, ".store/ [hidden]");
    CHECK(terminal.line(terminal.rowOf("films/")).find("1.15 MiB") != std::string::npos);
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf("films/"), 5); })); // the first is selected
    terminal.type("\r");
    SHOWN(terminal, "long.mkv");
    SHOWN(terminal, "/place/films");
    terminal.type("\177"); // backspace: up, with the folder it came from selected
    SHOWN(terminal, "papers/");
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf("films/"), 5); }));
    terminal.type(right); // opened in place
    SHOWN(terminal, "short.mkv");
    SHOWN(terminal, "papers/");
    terminal.type(left);
    CHECK(terminal.untilGone("short.mkv"));
    terminal.type(std::string(down) + down); // papers
    terminal.type(" ");
    SHOWN(terminal, "Advice:");
    SHOWN(terminal, "Holds 2 files and 0 folders");
    terminal.type("\033");
    CHECK(terminal.untilGone("Advice:"));
    terminal.type("/.s\r"); // a name
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf(".store/"), 5); }));
    terminal.type("h"); // the largest hidden file, below what is selected
    SHOWN(terminal, "blob.bin");
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf("blob.bin"), 5); }));
    terminal.type("["); // back
    SHOWN(terminal, "papers/");
    terminal.type(f2 + f2); // files
    SHOWN(terminal, "5 files, largest first");
    terminal.type(f3 + f3);
    SHOWN(terminal, "by name");
    terminal.type("g");
    SHOWN(terminal, "Path:");
    terminal.type("\025" + w.place + "/films/short.mkv\r");
    SHOWN(terminal, "long.mkv");
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf("short.mkv"), 5); }));
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
    CHECK(terminal.whatIsLeft().empty());
}

TEST_CASE("copies are found in the terminal view, and planned down to one", "[terminal]")
{
    const World w;
    w.t.text("place/films/copy.mkv", readAll(w.t / "place/films/long.mkv"));
    w.t.text("place/papers/copies/again.mkv", readAll(w.t / "place/films/long.mkv"));
    setModified(w.t / "place/papers/copies/again.mkv", 1000);
    auto terminal = w.start({w.place});
    SHOWN(terminal, "films/");
    terminal.type("c");
    SHOWN(terminal, "No two files of 1.00 MiB or more have the same content.");
    terminal.type("a\025" + std::string("10K\r"));
    SHOWN(terminal, "1 group of the same content, 1.72 MiB could be freed");
    SHOWN(terminal, "3 files of 879 KiB");
    // Of the group that is chosen all but the oldest, compared before; the files of a group never all.
    terminal.type("p");
    SHOWN(terminal, "2 items are planned");
    CHECK(terminal.line(terminal.rowOf("films/copy.mkv")).find("[planned]") != std::string::npos);
    CHECK(terminal.line(terminal.rowOf("again.mkv")).find("[planned]") == std::string::npos);
    terminal.type(std::string(down) + "vvv" + deleteKey);
    SHOWN(terminal, "That would be all of a group");
    // It goes only while the one that stays is there.
    writeAll(w.t / "place/papers/copies/again.mkv", "another");
    terminal.type("\t\t");
    SHOWN(terminal, "2 items");
    terminal.type("k");
    SHOWN(terminal, "2 items are held back");
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
    CHECK(terminal.whatIsLeft().empty());
    CHECK(exists(w.t / "place/films/copy.mkv"));
}

TEST_CASE("a search for copies is stopped in the terminal view, and begun again", "[terminal]")
{
    const World w;
    for (const auto* name : {"place/films/long.mkv", "place/films/short.mkv"})
        REQUIRE(::truncate((w.t / name).c_str(), 1ll << 36) == 0); // nobody reads that to its end
    auto terminal = w.start({w.place});
    SHOWN(terminal, "films/");
    terminal.type("c");
    SHOWN(terminal, "of 128 GiB read");
    terminal.type(".");
    SHOWN(terminal, "It was stopped before it found any");
    terminal.type("c");
    SHOWN(terminal, "of 128 GiB read");
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
    CHECK(terminal.whatIsLeft().empty());
}

TEST_CASE("a place on another machine grows in the terminal view", "[terminal]")
{
    const World w;
    SlowMachine machine(w.place);
    auto terminal = w.start({"desk:" + w.place}, 24, 80, {"KURVO_SSH=" + machine.ssh()});
    SHOWN(terminal, "films/");
    SHOWN(terminal, "Scanning");
    terminal.type(down);
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf(".store/"), 5); }));
    machine.letGo();
    REQUIRE(terminal.untilGone("Scanning"));
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf(".store/"), 5); }));
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
    CHECK(terminal.whatIsLeft().empty());
    CHECK(readCatalogue(w.data() + "/snapshots").entries.size() == 1);
}

TEST_CASE("every page of the terminal view fits 80x24 and 60x15", "[terminal]")
{
    const auto [rows, columns] = GENERATE(std::pair{24, 80}, std::pair{15, 60});
    const World w;
    auto terminal = w.start({w.place}, rows, columns);
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    // The keys that work stand in the last line, the stages in the first, on each.
    const auto holds = [&](const std::string& text) {
        INFO(text);
        SHOWN(terminal, text);
        CHECK(terminal.line(0).find("Scan  Explore  Find  Compare  Clear") != std::string::npos);
        CHECK(terminal.until([&] { return terminal.line(rows - 1).size() > 10; }));
    };
    terminal.type(f6);
    holds("family, type");
    SHOWN(terminal, "Video");
    terminal.type(f6);
    holds("role");
    SHOWN(terminal, "Roles");
    terminal.type(f6);
    holds("What stands out");
    terminal.type("\t");
    holds("Largest files: 5");
    terminal.type(f6);
    holds("Large and hidden");
    terminal.type("c");
    holds("have the same content");
    terminal.type("\033");
    holds("Large and hidden");
    terminal.type("\t");
    holds("There is no earlier snapshot");
    terminal.type("\t");
    holds("Nothing is planned");
    terminal.type("\t");
    holds("What shall be scanned?");
    holds("Home folder");
    terminal.type("?");
    holds("In lists");
    terminal.type("\033" + f9);
    holds("Ledger of");
    terminal.type("\033\022"); // Ctrl+R
    holds("Everything was read.");
    terminal.type("\033\033OP");
    holds("What fills this drive");
    terminal.resize(10, 40);
    SHOWN(terminal, "Too small");
    // However fast they follow each other, the last size is the one that is drawn for.
    for (int i = 0; i < 60; ++i)
        terminal.resize(i % 2 == 0 ? rows : 10, columns);
    terminal.resize(rows, columns);
    holds("What fills this drive");
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
    CHECK(terminal.whatIsLeft().empty());
}

TEST_CASE("the filter of the terminal view has the whole language, and says what is wrong", "[terminal]")
{
    const World w;
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    terminal.type("f");
    SHOWN(terminal, "Filter:");
    terminal.type("sise>5\r");
    CHECK(terminal.until([&] { return terminal.line(terminal.rowOf(">")).size() > 10; }));
    CHECK_FALSE(terminal.shows("Filter: sise"));
    terminal.type("f\025family:video size>500K\r");
    SHOWN(terminal, "Filter: family:video size>500K: 1");
    SHOWN(terminal, "long.mkv");
    CHECK(terminal.untilGone("short.mkv"));
    terminal.type("\r"); // in Explore
    SHOWN(terminal, "short.mkv");
    CHECK(terminal.until([&] { return terminal.isInverted(terminal.rowOf("long.mkv"), 5); }));
}

TEST_CASE("a plan is carried out in the terminal only after its word was typed, and undone", "[terminal][act]")
{
    const World w;
    const auto file = w.place + "/films/short.mkv";
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    terminal.type(std::string("\r") + down);
    SHOWN(terminal, "short.mkv");
    terminal.type(deleteKey);
    SHOWN(terminal, "[planned]");
    terminal.type("u");
    CHECK(terminal.untilGone("[planned]"));
    terminal.type("r");
    SHOWN(terminal, "[planned]");
    terminal.type("x");
    SHOWN(terminal, "Type \"carry out\"");
    terminal.type("carry on\r");
    SHOWN(terminal, "Nothing was done.");
    CHECK(exists(file));
    terminal.type("k"); // the check
    SHOWN(terminal, "ready");
    terminal.type("xcarry out\r");
    SHOWN(terminal, "1 of 1 done");
    CHECK_FALSE(exists(file));
    Logbook logbook(w.data() + "/logbook.db");
    REQUIRE(readHistory(logbook)->size() == 1);
    terminal.type("z");
    SHOWN(terminal, "Type \"undo\"");
    terminal.type("undo\r");
    SHOWN(terminal, "1 of 1 undone");
    CHECK(exists(file));
    terminal.type("\t\t\r"); // back in Explore it is there again
    SHOWN(terminal, "Explore");
    terminal.type("q");
    CHECK(terminal.untilEnded() == 0);
}

TEST_CASE("what is deleted for good is confirmed by its number", "[terminal][act]")
{
    const World w;
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    terminal.type("\r");
    SHOWN(terminal, "long.mkv");
    terminal.type("VVD"); // both
    CHECK(terminal.until([&] { return terminal.shows("2 items are planned"); }));
    terminal.type("x");
    SHOWN(terminal, "FOR GOOD");
    terminal.type("carry out\r");
    SHOWN(terminal, "That is not \"delete 2\"");
    CHECK(exists(w.place + "/films/long.mkv"));
    terminal.type("xdelete 2\r");
    SHOWN(terminal, "2 of 2 done");
    CHECK_FALSE(exists(w.place + "/films/long.mkv"));
    terminal.type("\t");
    SHOWN(terminal, "What shall be scanned?");
}

TEST_CASE("a plan of the terminal view waits for the next start, and what changed meanwhile is held back",
          "[terminal][act]")
{
    const World w;
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        terminal.type(std::string("/pap\r") + "T");
        SHOWN(terminal, "[planned]");
        terminal.type("q");
        CHECK(terminal.untilEnded() == 0);
    }
    auto terminal = w.start({w.place});
    SHOWN(terminal, "[planned]");
    w.t.file("place/papers/new.txt", 5000);
    terminal.type("xcarry out\r");
    SHOWN(terminal, "Nothing was done.");
    CHECK(exists(w.place + "/papers/new.txt"));
    SHOWN(terminal, "held");
}

TEST_CASE("marks, notes and a comparison in the terminal view", "[terminal]")
{
    const World w;
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        terminal.type("2");
        SHOWN(terminal, "[" + builtInMarkKinds()[1].name + "]");
        terminal.type("n");
        SHOWN(terminal, "Note:");
        terminal.type("whose are these?\r");
        terminal.type(" ");
        SHOWN(terminal, "whose are these?");
        terminal.type("q");
        CHECK(terminal.untilEnded() == 0);
    }
    const auto catalogue = readCatalogue(w.data() + "/snapshots");
    REQUIRE(catalogue.entries.size() == 1); // the scan was kept
    auto kept = readSnapshot(catalogue.entries[0].path);
    REQUIRE(kept);
    kept->info.taken -= 30 * day;
    REQUIRE(addSnapshot(w.data() + "/snapshots", kept->info, *kept->tree));
    REQUIRE(removeSnapshot(catalogue.entries[0].path));
    w.t.file("place/films/newest.mkv", 3'000'000);
    auto terminal = w.start({w.place});
    SHOWN(terminal, "[" + builtInMarkKinds()[1].name + "]");
    SHOWN(terminal, "+2.86 MiB"); // growth since the snapshot before
    terminal.type("\t\t");
    SHOWN(terminal, "Compare with which");
    terminal.type("\r");
    SHOWN(terminal, "appeared");
    SHOWN(terminal, "newest.mkv");
    terminal.type("fchange:shrank\r");
    SHOWN(terminal, "No change matches");
}

TEST_CASE("names can do nothing to the terminal", "[terminal]")
{
    const World w;
    const std::vector<std::string> names{"evil\033[2J\033]0;title\007end",
                                         "bad\xff\xfe bytes",
                                         "new\nline",
                                         "tab\there",
                                         "\xe6\x97\xa5\xe6\x9c\xac\xe8\xaa\x9e",
                                         "e\xcc\x81\xcc\x81\xcc\x81\xcc\x81marks",
                                         "\xd7\xa9\xd7\x9c\xd7\x95\xd7\x9d",
                                         "\xf0\x9f\x91\xa8\xe2\x80\x8d\xf0\x9f\x91\xa9",
                                         "\xe2\x80\xaeover",
                                         "\xc2\x9b"
                                         "2Jc1"};
    for (const auto& name : names)
        w.t.file("place/odd/" + name, 10'000);
    auto terminal = w.start({w.place + "/odd"});
    SHOWN(terminal, "read in");
    terminal.settle();
    terminal.type(std::string(down) + down + down + down + down + up);
    terminal.settle();
    // Whatever stands in a name, the columns before it are where they are in the other lines.
    int rows = 0;
    for (int row = 4; row < 22; ++row)
        if (const auto line = terminal.line(row); line.find("12.0 KiB") != std::string::npos) {
            ++rows;
            CHECK(line.find("12.0 KiB") == 3);
            CHECK(line.find(" %") != std::string::npos);
        }
    CHECK(rows == static_cast<int>(names.size()));
    CHECK(terminal.line(0).find("Explore") != std::string::npos); // nothing was cleared
    CHECK(terminal.raw().find("title\007") == std::string::npos);
    CHECK(terminal.raw().find("\xe2\x80\xae") == std::string::npos);
    CHECK(terminal.raw().find("\xc2\x9b") == std::string::npos);
}

TEST_CASE("the terminal view does with what a terminal has", "[terminal]")
{
    const World w;
    SECTION("no colour where none is wanted")
    {
        auto terminal = w.start({w.place}, 24, 80, {"NO_COLOR=1"});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        CHECK_FALSE(terminal.anyColour());
    }
    SECTION("colour where there is")
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        CHECK(terminal.anyColour());
    }
    SECTION("a terminal of old, and a locale without UTF-8")
    {
        auto terminal = w.start({w.place}, 24, 80, {"TERM=vt100", "LC_ALL=C", "LANG=C"});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        CHECK_FALSE(terminal.anyColour());
        CHECK(std::all_of(terminal.raw().begin(), terminal.raw().end(), [](char c) { return (c & 0x80) == 0; }));
        terminal.type("q");
        CHECK(terminal.untilEnded() == 0);
    }
    SECTION("a terminal that is not known, or is none")
    {
        auto terminal = w.start({w.place}, 24, 80, {"TERM=no-such-terminal"});
        CHECK(terminal.untilEnded() == 3);
        SHOWN(terminal, "not known here");
        auto dumb = w.start({w.place}, 24, 80, {"TERM=dumb"});
        CHECK(dumb.untilEnded() == 3);
        CHECK(std::system((std::string(KURVOCTL) + " browse / </dev/null >/dev/null 2>&1").c_str()) == 3 << 8);
    }
    SECTION("a folder that is not there")
    {
        auto terminal = w.start({w.t / "nowhere"});
        CHECK(terminal.untilEnded() == 3);
        SHOWN(terminal, "Could not open");
        CHECK(terminal.whatIsLeft().empty());
    }
    SECTION("the mouse")
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in"); // until then rows change places
        SHOWN(terminal, "papers/");
        const int row = terminal.rowOf("papers/");
        CHECK(terminal.takesMouse());
        const auto click = [&](int y) {
            const auto at = ";" + std::to_string(20) + ";" + std::to_string(y + 1);
            terminal.type("\033[<0" + at + "M\033[<0" + at + "m");
        };
        click(row);
        CHECK(terminal.until([&] { return terminal.isInverted(row, 5); }));
        click(row);
        click(row);
        SHOWN(terminal, "a.pdf");
        auto without = w.start({"--no-mouse", w.place});
        SHOWN(without, "papers/");
        CHECK_FALSE(without.takesMouse());
    }
}

TEST_CASE("whatever ends the terminal view, the terminal is as it was", "[terminal]")
{
    const World w;
    SECTION("ended from outside")
    {
        const int signal = GENERATE(SIGTERM, SIGHUP);
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        CHECK(terminal.altScreen);
        terminal.kill(signal);
        CHECK(terminal.untilEnded() == 128 + signal);
        CHECK(terminal.whatIsLeft().empty());
    }
    SECTION("killed: its parent puts the terminal back")
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        const auto children = readAll("/proc/" + std::to_string(terminal.pid()) + "/task/" +
                                      std::to_string(terminal.pid()) + "/children");
        REQUIRE(std::atoi(children.c_str()) > 1);
        ::kill(std::atoi(children.c_str()), SIGKILL);
        CHECK(terminal.untilEnded() == 128 + SIGKILL);
        CHECK(terminal.whatIsLeft().empty());
        SHOWN(terminal, "ended from outside");
    }
    SECTION("its parent killed")
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        terminal.kill(SIGKILL);
        CHECK(terminal.untilEnded() == 128 + SIGKILL);
        CHECK(terminal.until([&] { return terminal.whatIsLeft().empty(); }));
    }
    SECTION("held, and let go on")
    {
        PseudoTerminal terminal({"bash", "--norc", "--noediting", "-i"}, {24, 80, {"PS1=ready "}, w.t / "home"});
        SHOWN(terminal, "ready");
        terminal.type(std::string(KURVOCTL) + " browse '" + w.place + "'\n");
        SHOWN(terminal, "films/");
        terminal.settle();
        terminal.type("\032");
        SHOWN(terminal, "Stopped");
        CHECK_FALSE(terminal.altScreen);
        CHECK(terminal.cursorVisible);
        terminal.type("fg\n");
        SHOWN(terminal, "films/");
        CHECK(terminal.altScreen);
        terminal.type("q");
        SHOWN(terminal, "ready");
        terminal.type("echo $((6 * 7))\n");
        SHOWN(terminal, "42"); // echoed, a line at a time
        terminal.type("exit\n");
        CHECK(terminal.untilEnded() == 0);
        CHECK(terminal.whatIsLeft().empty());
    }
    SECTION("the connection is lost")
    {
        auto terminal = w.start({w.place});
        SHOWN(terminal, "read in");
        SHOWN(terminal, "films/");
        terminal.hangUp();
        CHECK(terminal.untilEnded() == 128 + SIGHUP);
    }
}

TEST_CASE("20,000 keys leave the terminal as it was", "[terminal][random]")
{
    const World w;
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "films/");
    std::mt19937 random(7);
    const std::vector<std::string> keys{up,
                                        down,
                                        left,
                                        right,
                                        "\r",
                                        "\177",
                                        "\t",
                                        "\033[Z",
                                        " ",
                                        "\033",
                                        deleteKey,
                                        f5,
                                        f6,
                                        f2,
                                        f3,
                                        f9,
                                        "w",
                                        "l",
                                        "h",
                                        "s",
                                        "g",
                                        "f",
                                        "/",
                                        "[",
                                        "]",
                                        "v",
                                        "1",
                                        "0",
                                        "n",
                                        "m",
                                        "u",
                                        "r",
                                        "k",
                                        "x",
                                        "z",
                                        "p",
                                        "a",
                                        "o",
                                        "e",
                                        "?",
                                        ".",
                                        ",",
                                        "d",
                                        "t",
                                        "\014",
                                        "\022",
                                        "\033[5~",
                                        "\033[6~",
                                        "\033[H",
                                        "\033[F",
                                        "\xc3\xa4",
                                        "\033[<0;9;9M",
                                        "\033[<64;9;9M",
                                        "~",
                                        "\001",
                                        "\033[99;99X"};
    for (int i = 0; i < 20'000; ++i) {
        terminal.type(keys[random() % keys.size()]);
        if (i % 500 == 0) {
            terminal.settle();
            terminal.resize(10 + static_cast<int>(random() % 40), 30 + static_cast<int>(random() % 120));
        }
    }
    terminal.resize(24, 80);
    terminal.settle();
    CHECK(exists(w.place + "/films/long.mkv")); // nobody typed the word
    terminal.kill(SIGTERM);
    CHECK(terminal.untilEnded() == 128 + SIGTERM);
    CHECK(terminal.whatIsLeft().empty());
}

TEST_CASE("a lost connection ends a run after the item in work, and the logbook says so", "[terminal][act]")
{
    if (!canMount())
        return;
    const World w;
    TmpfsMount other(w.t / "other", "size=400m");
    for (int i = 0; i < 40; ++i)
        w.t.file("place/many/f" + std::to_string(i), 4'000'000);
    auto terminal = w.start({w.place});
    SHOWN(terminal, "read in");
    SHOWN(terminal, "many/");
    terminal.type("\r");
    SHOWN(terminal, "f19");
    for (int i = 0; i < 45; ++i)
        terminal.type("V");
    terminal.type("m");
    SHOWN(terminal, "Move to which folder");
    terminal.type(other.path() + "\r");
    SHOWN(terminal, "planned");
    terminal.type("xcarry out\r");
    CHECK(terminal.until([&] { return !namesIn(other.path()).empty(); }));
    terminal.hangUp();
    CHECK(terminal.untilEnded() == 128 + SIGHUP);
    Logbook logbook(w.data() + "/logbook.db");
    const auto history = readHistory(logbook);
    REQUIRE(history);
    REQUIRE(history->size() == 1);
    CHECK(history->front().run.ended != 0);
    std::size_t at = 0, there = 0;
    for (const auto& step : history->front().steps) {
        const auto name = std::string(fileName(step.path));
        at += exists(w.place + "/many/" + name) ? 1 : 0;
        there += exists(other.path() + "/" + name) ? 1 : 0;
        CHECK_FALSE(step.isUnderWay());
        CHECK((exists(w.place + "/many/" + name) || exists(other.path() + "/" + name)));
    }
    CHECK(at + there == history->front().steps.size());
}
