// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fnmatch.h>

#include <functional>
#include <random>
#include <set>

#include "core/base/text.h"
#include "core/find/filter.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::int64_t asked = 1800000000;

FilterContext context()
{
    FilterContext c;
    c.now = asked;
    c.owners = {{1000, "warden"}, {1001, "ringing"}, {1002, "guest"}};
    return c;
}

std::set<std::string> found(const FileTree& tree, const std::string& text)
{
    const auto filter = Filter::parse(text);
    INFO(text);
    if (const auto* error = std::get_if<FilterError>(&filter))
        FAIL(error->sentence);
    std::set<std::string> names;
    for (const auto node : matchingFiles(tree, std::get<Filter>(filter).bind(tree, context())))
        names.insert(std::string(tree.name(node)));
    return names;
}

FilterError errorOf(const std::string& text)
{
    const auto filter = Filter::parse(text);
    INFO(text);
    REQUIRE(std::holds_alternative<FilterError>(filter));
    return std::get<FilterError>(filter);
}

std::shared_ptr<const FileTree> station()
{
    auto owned = file("notes.txt", 3000);
    owned.owner = 1000;
    auto old = file("Dawn chorus.WAV", 700 << 20);
    old.modified = asked - 800 * day;
    auto fresh = file("dusk.flac", 40 << 20);
    fresh.modified = asked - 2 * day;
    return plant(folder("/p", {folder("home", {owned, folder(".cache", {file("tile.png", 900)})}),
                               folder("season", {old, fresh}), file("empty", 0), file("a(b) c.log", 5000)}));
}

} // namespace

TEST_CASE("each kind of term finds what it says", "[filter]")
{
    const auto tree = station();
    using Names = std::set<std::string>;
    CHECK(found(*tree, "").size() == 6);
    CHECK(found(*tree, "  ").size() == 6);
    CHECK(found(*tree, "DUSK") == Names{"dusk.flac"});
    CHECK(found(*tree, "\"dawn ch\"") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "dawn\\ ch") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "*.wav") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "\"a(b)\"") == Names{"a(b) c.log"});
    CHECK(found(*tree, "*/season/*") == Names{"Dawn chorus.WAV", "dusk.flac"});
    CHECK(found(*tree, "path:season/d") == Names{"Dawn chorus.WAV", "dusk.flac"});
    CHECK(found(*tree, "size>500M") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "size>=700M size<=700MiB") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "apparent<1K") == Names{"tile.png", "empty"});
    CHECK(found(*tree, "apparent=3000") == Names{"notes.txt"});
    CHECK(found(*tree, "age>2y") == Names{"Dawn chorus.WAV", "notes.txt", "tile.png", "empty", "a(b) c.log"});
    CHECK(found(*tree, "age<3d") == Names{"dusk.flac"});
    CHECK(found(*tree, "changed>=2026-12") == Names{"dusk.flac"});
    CHECK(found(*tree, "changed:2023 size>1M").empty());
    CHECK(found(*tree, "family:audio") == Names{"Dawn chorus.WAV", "dusk.flac"});
    CHECK(found(*tree, "type:flac,png") == Names{"dusk.flac", "tile.png"});
    CHECK(found(*tree, "owner:warden") == Names{"notes.txt"});
    CHECK(found(*tree, "owner:1000") == Names{"notes.txt"});
    CHECK(found(*tree, "owner:nobody-there").empty());
    CHECK(found(*tree, "under:/p/season") == Names{"Dawn chorus.WAV", "dusk.flac"});
    CHECK(found(*tree, "under:season/") == Names{"Dawn chorus.WAV", "dusk.flac"});
    CHECK(found(*tree, "under:/").size() == 6);
    CHECK(found(*tree, "under:/elsewhere").empty());
    CHECK(found(*tree, "is:hidden") == Names{"tile.png"});
    CHECK(found(*tree, "is:empty,hidden") == Names{"tile.png", "empty"});
    CHECK(found(*tree, "is:planned").empty());
}

TEST_CASE("and, or, not and brackets bind as one reads them", "[filter]")
{
    const auto tree = station();
    using Names = std::set<std::string>;
    CHECK(found(*tree, "family:audio size>100M or is:hidden") == Names{"Dawn chorus.WAV", "tile.png"});
    CHECK(found(*tree, "family:audio (size>100M or is:hidden)") == Names{"Dawn chorus.WAV"});
    CHECK(found(*tree, "not family:audio not is:hidden and apparent>0") == Names{"notes.txt", "a(b) c.log"});
    CHECK(found(*tree, "not (family:audio or is:hidden)").size() == 3);
    CHECK(found(*tree, "NOT not dusk") == Names{"dusk.flac"});
    CHECK(found(*tree, "order or dusk") == Names{"dusk.flac"}); // "order" is a word, not an "or"
}

TEST_CASE("what is wrong is said where it is", "[filter]")
{
    const auto check = [](const std::string& text, std::size_t at, std::size_t length, const std::string& says) {
        const auto error = errorOf(text);
        INFO(text << ": " << error.sentence);
        CHECK(error.at == at);
        CHECK(error.length == length);
        CHECK(error.sentence.find(says) != std::string::npos);
    };
    check("size>big", 5, 3, "\"big\" is no size");
    check("*.wav size>", 6, 5, "a value is missing");
    check("sise>5M", 0, 4, "\"sise\" is no field");
    check("age>2x", 4, 2, "is no age");
    check("changed<2025-13", 8, 7, "is no date");
    check("family:audio,birds", 13, 5, "is no family");
    check("type:qqq", 5, 3, "is no type");
    check("is:old", 3, 3, "is not known");
    check("owner<warden", 5, 1, "is not compared");
    check("(a b", 0, 1, "not closed");
    check("a b)", 3, 1, "no bracket");
    check("()", 0, 2, "nothing in these brackets");
    check("a or", 2, 2, "something is missing");
    check("or a", 0, 2, "Before \"or\"");
    check("not", 0, 3, "something is missing");
    check("a and", 2, 3, "something is missing");
    check("\"open", 0, 5, "not closed");
    check("type:wav,,mp3", 9, 1, "a value is missing");
    std::string deep(3000, '(');
    deep += 'a';
    CHECK(errorOf(deep).sentence.find("nested too deeply") != std::string::npos);
}

TEST_CASE("random filters agree with a straight evaluation", "[filter][property]")
{
    using Predicate = std::function<bool(const FileTree&, NodeId)>;
    struct Both {
        std::string text;
        Predicate is;
    };
    std::mt19937 random(3);
    const auto leaf = [&]() -> Both {
        const auto n = random();
        switch (random() % 11) {
        case 0:
            return {"n" + std::to_string(n % 10), [n](const FileTree& t, NodeId f) {
                        return t.name(f).find("n" + std::to_string(n % 10)) != std::string_view::npos;
                    }};
        case 1:
            return {"*.jpg", [](const FileTree& t, NodeId f) { return t.name(f).ends_with(".jpg"); }};
        case 2: {
            const std::uint64_t size = (n % 900) << 10;
            return {"size>" + std::to_string(n % 900) + "K",
                    [size](const FileTree& t, NodeId f) { return t.disk(f) > size; }};
        }
        case 3: {
            const std::uint64_t size = n % 1000000;
            return {"apparent<=" + std::to_string(size),
                    [size](const FileTree& t, NodeId f) { return t.apparent(f) <= size; }};
        }
        case 4: {
            const auto age = static_cast<std::int64_t>(n % 60);
            return {"age>=" + std::to_string(age) + "y",
                    [age](const FileTree& t, NodeId f) { return asked - t.store().modified(f) >= age * 365 * day; }};
        }
        case 5:
            return {"is:hidden", [](const FileTree& t, NodeId f) { return t.isHidden(f); }};
        case 6:
            return {"family:audio,logs", [](const FileTree& t, NodeId f) {
                        const auto family = typeInfo(t.store().type(f)).family;
                        return family == Family::Audio || family == Family::Logs;
                    }};
        case 7:
            return {"owner:warden,1003", [](const FileTree& t, NodeId f) {
                        return t.store().owner(f) == 1000 || t.store().owner(f) == 1003;
                    }};
        case 8:
            return {"is:linked", [](const FileTree& t, NodeId f) { return t.store().has(f, FlagLinked); }};
        case 9:
            return {"path:*n1*", [](const FileTree& t, NodeId f) { return t.path(f).find("n1") != std::string::npos; }};
        default: {
            const auto name = "n" + std::to_string(n % 10);
            return {"under:" + name, [name](const FileTree& t, NodeId f) {
                        return isAtOrBelow(t.path(f), t.path(rootNode) + "/" + name);
                    }};
        }
        }
    };
    const std::function<Both(int)> any = [&](int depth) -> Both {
        if (depth == 0 || random() % 3 == 0)
            return leaf();
        const auto a = any(depth - 1);
        if (random() % 4 == 0)
            return {"not (" + a.text + ")", [a](const FileTree& t, NodeId f) { return !a.is(t, f); }};
        const auto b = any(depth - 1);
        if (random() % 2 == 0)
            return {"(" + a.text + ") " + (random() % 2 == 0 ? "and " : "") + "(" + b.text + ")",
                    [a, b](const FileTree& t, NodeId f) { return a.is(t, f) && b.is(t, f); }};
        return {"(" + a.text + " or " + b.text + ")",
                [a, b](const FileTree& t, NodeId f) { return a.is(t, f) || b.is(t, f); }};
    };
    for (int round = 0; round < 500; ++round) {
        const auto tree = randomTree(static_cast<std::uint64_t>(1 + round % 25));
        const auto both = any(3);
        INFO(both.text);
        const auto filter = Filter::parse(both.text);
        REQUIRE(std::holds_alternative<Filter>(filter));
        std::set<NodeId> right;
        tree->forEachBelow(rootNode, [&](NodeId node) {
            if (!tree->isFolder(node) && both.is(*tree, node))
                right.insert(node);
        });
        const auto got = matchingFiles(*tree, std::get<Filter>(filter).bind(*tree, context()));
        CHECK(std::set<NodeId>(got.begin(), got.end()) == right);
        CHECK(got.size() == right.size());
    }
}

TEST_CASE("any bytes are a filter or an error that lies in them", "[filter][fuzz]")
{
    static constexpr std::string_view pieces[] = {
        "(",    ")",       "not ", "or ",    "and ", "size>", "5M",       "age<",  "2y",   "\"",
        "\\",   ":",       "is:",  "hidden", ",",    "*.wav", "changed:", "2025-", "03",   " ",
        "\xff", "family:", "au",   "type:",  "<",    "=",     "[",        "]",     "path:"};
    std::mt19937 random(17);
    const auto tree = randomTree(3);
    for (int round = 0; round < 20000; ++round) {
        std::string text;
        for (auto n = random() % 12; n > 0; --n)
            text += random() % 20 == 0 ? std::string(1, static_cast<char>(random()))
                                       : std::string(pieces[random() % std::size(pieces)]);
        const auto filter = Filter::parse(text);
        if (const auto* error = std::get_if<FilterError>(&filter)) {
            INFO(text << ": " << error->sentence);
            CHECK(error->at <= text.size());
            CHECK(error->at + error->length <= text.size());
            CHECK_FALSE(error->sentence.empty());
        } else if (round % 50 == 0) {
            matchingFiles(*tree, std::get<Filter>(filter).bind(*tree, context()));
        }
        filterOffers(text, context());
    }
}

TEST_CASE("what can be typed next is offered", "[filter]")
{
    CHECK(filterOffers("fa", context()) == std::vector<std::string>{"family:"});
    CHECK(filterOffers("size>5M ow", context()) == std::vector<std::string>{"owner:"});
    CHECK(filterOffers("(owner:r", context()) == std::vector<std::string>{"owner:ringing"});
    CHECK(filterOffers("family:d", context()) ==
          std::vector<std::string>{"family:documents", "family:disk", "family:databases"});
    CHECK(filterOffers("is:pr", context()) == std::vector<std::string>{"is:preallocated"});
    CHECK(filterOffers("is:s", context()) == std::vector<std::string>{"is:sparse", "is:symlink"});
    CHECK(filterOffers("", context()).empty());
    CHECK(filterOffers("zzz", context()).empty());
}

TEST_CASE("marks and advice are found by their words", "[filter][marks][advice]")
{
    const auto tree =
        plant(folder("/home/a", {folder(".cache", {folder("x", {file("page", 4096), file("b.db", 4096)})}),
                                 file("film.mov", 8192), file("disk.qcow2", 8192)}));
    auto book = std::make_shared<MarkBook>();
    book->kinds.push_back({"later", "look later", 0, "L"});
    book->marks["/home/a/.cache"] = {"/home/a/.cache", "clear-out", "", 0};
    book->marks["/home/a/film.mov"] = {"/home/a/film.mov", "later", "", 0};
    FilterContext context;
    context.marks = std::make_shared<const TreeMarks>(tree, book);
    context.advice = std::make_shared<const TreeAdvice>(adviseTree(RuleBook::builtIn(), *tree));
    const auto found = [&](const std::string& line) {
        std::set<std::string> names;
        for (const NodeId node : matchingFiles(*tree, std::get<Filter>(Filter::parse(line)).bind(*tree, context)))
            names.insert(std::string(tree->name(node)));
        return names;
    };
    using Names = std::set<std::string>;
    CHECK(found("mark:clear-out") == Names{"page", "b.db"});
    CHECK(found("mark:later,keep") == Names{"film.mov"});
    CHECK(found("mark:any") == Names{"page", "b.db", "film.mov"});
    CHECK(found("mark:none") == Names{"disk.qcow2"});
    CHECK(found("mark:unheard") == Names{});
    CHECK(found("advice:safe") == Names{"page"});
    CHECK(found("advice:safe,leave mark:none") == Names{});
    CHECK(std::get<FilterError>(Filter::parse("advice:maybe")).at == 7);
    CHECK(filterOffers("mark:l", context) == std::vector<std::string>{"mark:later"});
    context.marks = nullptr;
    CHECK(found("mark:none").size() == 4);
    CHECK(std::get<Filter>(Filter::parse("a or not mark:keep")).asksFor(Filter::Test::Marks));
}
