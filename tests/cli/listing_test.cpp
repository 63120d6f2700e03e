// SPDX-License-Identifier: GPL-3.0-or-later
// folders, largest, types and roles; what is said by all commands, and what is usual on this machine.
#include <catch2/catch.hpp>

#include <cstdlib>

#include "cli/run_kurvoctl.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

struct Shelf {
    TestFolder t;
    std::string place;
    Shelf()
    {
        place = t / "place";
        t.file("place/films/long.mkv", 3'000'000);
        t.file("place/films/old/short.mkv", 1'000'000);
        t.file("place/papers/a.pdf", 500'000);
        t.file("place/papers/b.txt", 100'000);
        t.file("place/.store/deep/only/blob.bin", 700'000);
        ::setenv("XDG_CONFIG_HOME", (t / "config").c_str(), 1);
        ::setenv("XDG_DATA_HOME", (t / "data").c_str(), 1);
    }
    ~Shelf()
    {
        ::unsetenv("XDG_CONFIG_HOME");
        ::unsetenv("XDG_DATA_HOME");
    }
};

} // namespace

TEST_CASE("folders are sorted, counted and left out as wanted", "[cli][listing]")
{
    const Shelf s;
    const auto paths = [&](const std::string& options) {
        std::vector<std::string> all;
        for (const auto& line : kurvoctl("folders '" + s.place + "' --json " + options).lines())
            all.push_back(std::string(line["path"]).substr(s.place.size()));
        return all;
    };
    using Paths = std::vector<std::string>;
    CHECK(paths("") == Paths{"", "/.store", "/films", "/papers"}); // by path, as scripts know it
    CHECK(paths("--sort disk") == Paths{"", "/films", "/.store", "/papers"});
    CHECK(paths("--sort files --count 2") == Paths{"", "/films"});
    CHECK(paths("--at-least 1M") == Paths{"", "/films"});
    CHECK(kurvoctl("folders '" + s.place + "' --at-least much").status == 2);
    const auto text = kurvoctl("folders '" + s.place + "' --count 1").out;
    CHECK(text.find("films") != text.npos);
    CHECK(text.find("papers") == text.npos);
    CHECK(text.find("and 2 folders more") != text.npos);
    CHECK(text.find("100 %") != text.npos);
    const auto two = kurvoctl("folders '" + s.place + "/films' '" + s.place + "/papers' --depth 0").out;
    CHECK(two.find("/films\n") != two.npos);
    CHECK(two.find("/papers\n") != two.npos);
}

TEST_CASE("the largest folders are those in which the weight divides", "[cli][listing]")
{
    const Shelf s;
    std::vector<std::string> paths;
    for (const auto& line : kurvoctl("largest '" + s.place + "' --folders --json").lines())
        paths.push_back(std::string(line["path"]).substr(s.place.size()));
    // .store and what is in it hold one folder each: only the last says anything.
    CHECK(paths == std::vector<std::string>{"/films", "/films/old", "/.store/deep/only", "/papers"});
    CHECK(kurvoctl("largest '" + s.place + "' --folders --where under:films --json").lines().size() == 2);
    // Several places are one list.
    const auto both = kurvoctl("largest '" + s.place + "/papers' '" + s.place + "/films' --count 2 --json").lines();
    REQUIRE(both.size() == 2);
    CHECK(std::string(both[0]["path"]).ends_with("long.mkv"));
    CHECK(std::string(both[1]["path"]).ends_with("short.mkv"));
}

TEST_CASE("files add up by family, type, role, owner and age", "[cli][listing]")
{
    const Shelf s;
    const auto sum = [](const std::vector<nlohmann::json>& lines, const char* what) {
        std::uint64_t all = 0;
        for (const auto& line : lines)
            all += line[what].get<std::uint64_t>();
        return all;
    };
    const auto scanned = kurvoctl("scan '" + s.place + "' --json").lines()[0];
    const auto types = kurvoctl("types '" + s.place + "' --json").lines();
    CHECK(sum(types, "files") == 5);
    CHECK(types[0]["family"] == "Video");
    CHECK(types[0]["type"] == "mkv");
    CHECK(types[0]["files"] == 2);
    for (const auto* by : {"owner", "age", "role", "role,owner", "age,role"}) {
        const auto lines = kurvoctl("types '" + s.place + "' --json --by " + by).lines();
        INFO(by);
        CHECK(sum(lines, "files") == 5);
        CHECK(sum(lines, "disk_bytes") == scanned["disk_bytes"].get<std::uint64_t>());
    }
    CHECK(kurvoctl("types '" + s.place + "' --by owner,owner").status == 2);
    CHECK(kurvoctl("types '" + s.place + "' --by colour").status == 2);
    CHECK(kurvoctl("types '" + s.place + "' --count 1").out.find("Documents") == std::string::npos);
}

TEST_CASE("sizes, colour and silence are as wanted", "[cli][listing]")
{
    const Shelf s;
    const auto file = "'" + s.place + "/films'";
    CHECK(kurvoctl("largest " + file + " --count 1").out.find("2.86 MiB") != std::string::npos);
    CHECK(kurvoctl("largest " + file + " --count 1 --si").out.find("3.00 MB") != std::string::npos);
    CHECK(kurvoctl("--bytes largest " + file + " --count 1").out.find("3002368") != std::string::npos);
    CHECK(kurvoctl("largest " + file + " --bytes --si").status == 2);
    CHECK(kurvoctl("folders '" + s.place + "'").out.find('\033') == std::string::npos);
    CHECK(kurvoctl("folders '" + s.place + "' --colour always").out.find('\033') != std::string::npos);
    const auto version = kurvoctl("-V");
    CHECK(version.out == kurvoctl("--version").out);
    const auto help = kurvoctl("largest --help").out;
    CHECK(help.find("--where FILTER") != help.npos);
    CHECK(help.find("TEXT") == help.npos);
    CHECK(help.find("Examples:\n") != help.npos);
    CHECK(kurvoctl("help terms").out.find("ledger") != std::string::npos);
}

TEST_CASE("every command has two examples, and each of them can be understood", "[cli][listing][manual]")
{
    const auto help = kurvoctl("--help").out;
    std::istringstream lines(help.substr(help.find("Subcommands:")));
    std::string line;
    std::getline(lines, line);
    while (std::getline(lines, line) && line.starts_with("  ")) {
        const auto command = line.substr(2, line.find(' ', 2) - 2);
        INFO(command);
        const auto text = kurvoctl(command + " --help").out;
        const auto examples = text.find("Examples:\n");
        REQUIRE(examples != text.npos);
        std::istringstream each(text.substr(examples + 10));
        int count = 0;
        for (std::string example; std::getline(each, example);)
            count += example.find("kurvoctl ") != example.npos ? 1 : 0;
        CHECK(count == 2);
    }
}

TEST_CASE("every command that scans takes what is left out, and so does kurvoctl.toml", "[cli][listing]")
{
    const Shelf s;
    const auto place = "'" + s.place + "'";
    CHECK(kurvoctl("largest " + place + " --exclude '*.mkv' --json").lines().size() == 3);
    CHECK(kurvoctl("folders " + place + " --exclude films --json").lines().size() == 3);
    CHECK(kurvoctl("export " + place + " --exclude films --exclude '*.pdf'").out.find("a.pdf") == std::string::npos);
    s.t.text("config/kurvo/kurvoctl.toml",
             "exclude = [\"*.mkv\"]\nunits = \"bytes\"\nsnapshots = \"" + (s.t / "kept") + "\"\n");
    CHECK(kurvoctl("largest " + place + " --json").lines().size() == 3);
    CHECK(kurvoctl("largest " + place + " --count 1").out.find("700416") != std::string::npos);
    CHECK(kurvoctl("largest " + place + " --count 1 --si --exclude x").out.find("kB") != std::string::npos);
    CHECK(kurvoctl("largest " + place + " --no-config --json").lines().size() == 5);
    const auto taken = kurvoctl("snapshot take " + place);
    CHECK(taken.out.starts_with(s.t / "kept/"));
    CHECK(kurvoctl("snapshot list --json").lines().size() == 1);
    CHECK(kurvoctl("snapshot list --json --in '" + (s.t / "kept") + "'").lines().size() == 1);
    CHECK(kurvoctl("snapshot --in '" + (s.t / "kept") + "' list --json").lines().size() == 1);
    // A mistake is said with its line, and nothing is done by half of what was meant.
    for (const auto& [text, line] : {std::pair<const char*, const char*>{"exclude = [\"a\"]\nexclud = []\n", ":2:"},
                                     {"exclude = \"a\"\n", ":1:"},
                                     {"\nthreads = 0\n", ":2:"},
                                     {"units = [\n", ":"},
                                     {"snapshots = \"here\"\n", ":1:"}}) {
        s.t.text("config/kurvo/kurvoctl.toml", text);
        const auto wrong = kurvoctl("scan " + place);
        INFO(text);
        CHECK(wrong.status == 2);
        CHECK(wrong.out.empty());
        CHECK(wrong.err.find(std::string("kurvoctl.toml") + line) != wrong.err.npos);
    }
}

TEST_CASE("snapshots come through a pipe", "[cli][listing][snapshot]")
{
    const Shelf s;
    const auto in = " --in '" + (s.t / "kept") + "'";
    const auto piped = [&](const std::string& from) {
        const auto command = from + " | " KURVOCTL " snapshot import -" + in + " >'" + (s.t / "out") + "' 2>&1";
        const int status = std::system(command.c_str());
        return Outcome{WEXITSTATUS(status), readAll(s.t / "out"), {}};
    };
    CHECK(piped(std::string(KURVOCTL) + " export '" + s.place + "'").status == 0);
    REQUIRE(kurvoctl("scan '" + s.place + "' --save '" + (s.t / "one.kurvo") + "'").status == 0);
    CHECK(piped("cat '" + (s.t / "one.kurvo") + "'").status <= 3);
    const auto cut = piped("head -c 300 '" + (s.t / "one.kurvo") + "'");
    CHECK(cut.status == 3);
    CHECK(cut.out.find("tandard input") != std::string::npos);
    CHECK(piped("true").status == 3);
    CHECK(kurvoctl("snapshot list --json" + in).lines().size() >= 1);
    for (const auto& name : namesIn(s.t / "kept"))
        CHECK(name.ends_with(".kurvo")); // nothing half is left
}

TEST_CASE("several places together are one, with the sums of each", "[cli][together]")
{
    const TestFolder t;
    t.file("a/films/one.mkv", 300'000);
    t.file("b/two.mkv", 500'000);
    t.file("b/papers/x.odt", 9'000);
    const auto both = "'" + (t / "a") + "' '" + (t / "b") + "'";
    const auto rows = kurvoctl("folders --together " + both + " --depth 1 --json").lines();
    REQUIRE(rows.size() == 3);
    CHECK(rows[0]["files"] == 3); // "//..." comes first
    CHECK(rows[1]["path"] == t / "a");
    CHECK(rows[2]["path"] == t / "b");
    CHECK(rows[0]["disk_bytes"] ==
          rows[1]["disk_bytes"].get<std::uint64_t>() + rows[2]["disk_bytes"].get<std::uint64_t>());
    CHECK(kurvoctl("folders " + both + " --depth 0 --json").lines().size() == 2); // each by itself
    const auto types = kurvoctl("types --together " + both + " --by family --json").lines();
    REQUIRE_FALSE(types.empty());
    CHECK(types[0]["files"] == 2);
    CHECK(kurvoctl("leads " + both + " --json").status == 0);
    CHECK(kurvoctl("folders --together '" + (t / "a") + "' '" + (t / "nowhere") + "'").status == 3);
}
