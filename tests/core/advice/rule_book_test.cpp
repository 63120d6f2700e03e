// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <filesystem>
#include <set>

#include "core/advice/tree_advice.h"
#include "core/platform/package_database.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const AdviceRule& ruleFor(const RuleBook& book, const std::string& path)
{
    INFO(path);
    const auto* rule = book.find(path);
    REQUIRE(rule);
    return *rule;
}

std::string rule(const std::string& id, const std::string& path, const std::string& level)
{
    return "[[rule]]\nid = \"" + id + "\"\npath = \"" + path + "\"\nlevel = \"" + level +
           "\"\nwhat = \"What it is.\"\ndo = \"What to do.\"\n";
}

} // namespace

TEST_CASE("each rule that comes along speaks of its test path and not of another", "[advice]")
{
    const auto& book = RuleBook::builtIn();
    CHECK(book.rules().size() >= 120);
    std::set<std::string> ids;
    for (std::size_t i = 0; i < book.rules().size(); ++i) {
        const auto& rule = book.rules()[i];
        INFO(rule.id);
        CHECK(ids.insert(rule.id).second);
        CHECK(rule.test.starts_with('/'));
        CHECK(rule.notTest.starts_with('/'));
        CHECK(book.fits(i, rule.test));
        CHECK_FALSE(book.fits(i, rule.notTest));
        CHECK(book.find(rule.test) == &rule); // no other one speaks first
        CHECK(rule.what.ends_with('.'));
        CHECK(rule.action.ends_with('.'));
    }
}

TEST_CASE("nothing of the system, of a package or of a live database is called usually safe", "[advice]")
{
    const auto& book = RuleBook::builtIn();
    std::vector<std::string> paths{"/usr/share/tool/node_modules/a.js",
                                   "/etc/cups/a~",
                                   "/boot/grub/grub.cfg~",
                                   "/lib/firmware/a.part",
                                   "/sbin/a.1",
                                   "/usr/lib/__pycache__/a.pyc",
                                   "/lib64/ld.so",
                                   "/usr/bin/x~"};
    for (const auto& path : paths) {
        INFO(path);
        const auto* rule = book.find(path);
        CHECK((!rule || rule->level != AdviceLevel::UsuallySafe));
    }
    for (const auto* path : {"/home/a/.cache/maps/index.sqlite", "/home/a/.cache/maps/index.sqlite-wal",
                             "/home/a/.cache/x/a.db-journal", "/var/lib/mysql/ibdata1", "/home/a/.cache/x/store.db",
                             "/var/lib/postgresql/15/main/base/1/1", "/home/a/project/node_modules/x/a.sqlite3"}) {
        INFO(path);
        CHECK(ruleFor(book, path).level != AdviceLevel::UsuallySafe);
    }
    // The whole of what packages own on this machine; where all is checked, some of it.
#if defined(__SANITIZE_ADDRESS__)
    constexpr std::size_t step = 8;
#else
    constexpr std::size_t step = 1;
#endif
    const auto packages = PackageDatabase::read();
    if (!packages)
        return;
    std::size_t looked = 0;
    for (const auto& package : packages->packages())
        for (const auto path : packages->pathsOf(package)) {
            if (++looked % step != 0)
                continue;
            const auto* rule = book.find(path);
            if (rule && rule->level == AdviceLevel::UsuallySafe)
                FAIL_CHECK(path << " is called usually safe by " << rule->id);
        }
    CHECK(looked > 1000);
}

TEST_CASE("patterns: homes, anywhere, one name, everything below", "[advice]")
{
    RuleBook book;
    REQUIRE(book.add(rule("home", "~/.tool/cache/**", "usually safe") + rule("any", "**/build-*", "your call") +
                         rule("deep", "/srv/**/old/*.bin", "leave alone") + rule("one", "/srv/*", "use its own tool"),
                     "own.toml")
                .empty());
    CHECK(book.find("/home/warden/.tool/cache/a/b")->id == "home");
    CHECK(book.find("/home/warden/.tool/cache")->id == "home");
    CHECK(book.find("/root/.tool/cache/a")->id == "home");
    CHECK(book.find("/home/warden/.tool/cachet") == nullptr);
    CHECK(book.find("/home/warden/x/.tool/cache/a") == nullptr);
    CHECK(book.find("/build-1")->id == "any");
    CHECK(book.find("/a/b/build-22")->id == "any");
    CHECK(book.find("/a/build-1/c") == nullptr);
    CHECK(book.find("/srv/old/a.bin")->id == "deep");
    CHECK(book.find("/srv/x/y/old/a.bin")->id == "deep");
    CHECK(book.find("/srv/x/y/old/z/a.bin") == nullptr);
    CHECK(book.find("/srv/x")->id == "one");
    CHECK(book.find("/srv/x/y") == nullptr);
    CHECK(book.find("/srv") == nullptr);
}

TEST_CASE("a file of one's own comes first, and replaces rules by their id", "[advice]")
{
    auto book = RuleBook::builtIn();
    const auto before = book.rules().size();
    REQUIRE(book.add(rule("tiles", "/home/warden/.cache/tide-maps/**", "leave alone") +
                         rule("thumbnails", "~/.cache/thumbnails/**", "your call"),
                     "own.toml")
                .empty());
    CHECK(book.rules().size() == before + 1);
    CHECK(ruleFor(book, "/home/warden/.cache/tide-maps/z15/a.png").id == "tiles");
    CHECK(ruleFor(book, "/home/warden/.cache/thumbnails/large/a.png").level == AdviceLevel::YourCall);
    // Even one's own rule does not make the system safe.
    REQUIRE(book.add(rule("bold", "/usr/**", "usually safe"), "bold.toml").empty());
    const auto* found = book.find("/usr/bin/tool");
    CHECK((!found || found->level != AdviceLevel::UsuallySafe));
}

TEST_CASE("a damaged file of rules names the line, and its other rules work", "[advice]")
{
    RuleBook book;
    const auto text = rule("first", "/a/**", "your call") +            // lines 1 to 6
                      "[[rule]]\nid = \"second\npath = \"/b\"\n" +     // 7 to 9: a quote is missing in 8
                      rule("third", "/c/**", "perhaps") +              // 10 to 15
                      rule("fourth", "d/**", "your call") +            // 16 to 21
                      "[[rule]]\nid = \"fifth\"\ncolour = \"red\"\n" + // 22 to 24
                      rule("sixth", "/f/**", "leave alone") +          // 25 to 30
                      rule("sixth", "/g/**", "leave alone");           // 31 to 36
    const auto problems = book.add(text, "mine.toml");
    std::vector<std::size_t> lines;
    for (const auto& problem : problems) {
        CHECK(problem.file == "mine.toml");
        CHECK(problem.sentence.ends_with('.'));
        lines.push_back(problem.line);
    }
    CHECK(lines == std::vector<std::size_t>{8, 13, 18, 24, 31});
    CHECK(book.rules().size() == 2);
    CHECK(book.find("/a/x")->id == "first");
    CHECK(book.find("/f/x")->id == "sixth");
    CHECK(book.find("/c/x") == nullptr);
    // A rule that does not do what it says of itself.
    const auto wrong = book.add(rule("own", "/q/**", "your call") + "test = \"/r/a\"\nnot = \"/q/b\"\n", "w.toml");
    REQUIRE(wrong.size() == 2);
    CHECK(wrong[0].sentence.find("/r/a") != std::string::npos);
}

TEST_CASE("any text as rules is either understood or told", "[advice][fuzz]")
{
    const auto whole = rule("first", "/a/**", "your call") + rule("second", "~/b/*.c", "usually safe");
    std::uint32_t seed = 7;
    const auto random = [&seed](std::size_t below) {
        seed = seed * 1664525u + 1013904223u;
        return (seed >> 8) % below;
    };
    for (int i = 0; i < 3000; ++i) {
        auto text = whole;
        for (std::size_t k = 0; k < 1 + random(4); ++k) {
            const auto at = random(text.size());
            if (random(3) == 0)
                text.erase(at, random(20));
            else if (random(2) == 0)
                text.insert(at, 1, static_cast<char>(random(256)));
            else
                text[at] = "\"[]=\n#\\'{}"[random(10)];
        }
        RuleBook book;
        const auto problems = book.add(text, "x.toml");
        CHECK(book.rules().size() <= 2);
        book.find("/a/b/c");
    }
}

TEST_CASE("a whole tree is told the same as each of its paths", "[advice]")
{
    const auto tree = plant(folder(
        "/", {folder("home",
                     {folder("warden", {folder(".cache", {folder("tide-maps", {file("y.png", 1), file("i.sqlite", 1)}),
                                                          file("x", 1)}),
                                        folder("Downloads", {file("a.part", 1), file("tool.deb", 1)}),
                                        folder("page", {folder("node_modules", {file("a.js", 1)})})})}),
              folder("usr", {folder("share", {folder("node_modules", {file("a.js", 1)})}), file("b~", 1)}),
              folder("var", {folder("log", {file("a.log", 1), file("a.log.2.gz", 1)})}), file("swapfile", 1)}));
    const auto& book = RuleBook::builtIn();
    const auto levels = adviseTree(book, *tree).levels;
    REQUIRE(levels.size() == tree->extent().nodes);
    std::size_t safe = 0;
    tree->forEachBelow(rootNode, [&](NodeId node) {
        const auto path = tree->path(node);
        INFO(path);
        const auto* rule = book.find(path);
        CHECK(levels[node] == (rule ? rule->level : AdviceLevel::YourCall));
        safe += levels[node] == AdviceLevel::UsuallySafe ? 1 : 0;
    });
    CHECK(safe >= 6);
}

TEST_CASE("a user's files are read in the order of their names", "[advice]")
{
    const TestFolder t;
    t.text("kurvo/advice/10-a.toml", rule("x", "/x/**", "your call") + rule("y", "/y/**", "your call"));
    t.text("kurvo/advice/20-b.toml", rule("x", "/x/**", "leave alone") + "[[rule]]\nid = 5\n");
    t.text("kurvo/advice/notes.txt", "no rules");
    const auto user = readUserRules(t.path());
    CHECK(user.book.find("/x/a")->level == AdviceLevel::LeaveAlone);
    CHECK(user.book.find("/y/a")->level == AdviceLevel::YourCall);
    REQUIRE(user.problems.size() == 1);
    CHECK(user.problems[0].file == t / "kurvo/advice/20-b.toml");
    CHECK(readUserRules(t / "none").problems.empty());
}
