// SPDX-License-Identifier: GPL-3.0-or-later
// Text as cells of a terminal.
#include <catch2/catch.hpp>

#include <algorithm>
#include <clocale>
#include <cwchar>
#include <random>

#include "terminal/cells.h"

using namespace kurvo::terminal;

namespace {

struct Utf8Locale {
    Utf8Locale() { REQUIRE(std::setlocale(LC_CTYPE, "C.UTF-8")); }
    ~Utf8Locale() { std::setlocale(LC_CTYPE, "C"); }
};

} // namespace

TEST_CASE("what a name consists of becomes cells that every terminal counts alike", "[cells]")
{
    const Utf8Locale utf8;
    CHECK(localeHasUtf8());
    CHECK(cellText("plain name.txt") == L"plain name.txt");
    CHECK(cellText("\xe6\x97\xa5\xe6\x9c\xac") == L"\x65e5\x672c");
    CHECK(cellsOf(cellText("\xe6\x97\xa5\xe6\x9c\xac")) == 4);
    // Bytes that are no text, controls of both kinds, marks of direction, joiners, flags: one replacement each.
    for (const auto* odd : {"\xff", "\x1b", "\x07", "\x7f", "\xc2\x9b", "\xe2\x80\xae", "\xe2\x81\xa6", "\xe2\x80\x8d",
                            "\xe2\x80\x8b", "\xef\xbb\xbf", "\xf0\x9f\x87\xa6", "\xf0\x9f\x8f\xbd", "\xef\xb8\x8f"}) {
        INFO(odd);
        CHECK(cellText(std::string("a") + odd + "b") == L"a\xfffd"
                                                        L"b");
    }
    CHECK(cellText("two\nlines") == L"two\x23ce"
                                    L"lines");
    // Marks stay with their letter, and no more than two.
    CHECK(cellText("e\xcc\x81") == L"e\x301");
    CHECK(cellsOf(cellText("e\xcc\x81")) == 1);
    CHECK(cellText("e\xcc\x81\xcc\x81\xcc\x81\xcc\x81x") == L"e\x301\x301x");
    CHECK(cellText("\xcc\x81x") == L"\xfffdx"); // none has a letter to stay with
    CHECK(cellText("").empty());
}

TEST_CASE("without UTF-8 there is only ASCII", "[cells]")
{
    std::setlocale(LC_CTYPE, "C");
    CHECK_FALSE(localeHasUtf8());
    CHECK(cellText("na\xc3\xafve") == L"na?ve");
    CHECK(cutTo(L"a long name", 6) == L"a lon~");
}

TEST_CASE("text is cut at its end or in its middle, never beyond its room", "[cells]")
{
    const Utf8Locale utf8;
    CHECK(cutTo(L"short", 10) == L"short");
    CHECK(cutTo(L"a longer sentence", 9) == L"a longer\x2026");
    CHECK(cutTo(L"/home/warden/film.mkv", 11, Cut::Middle) == L"/home\x2026m.mkv");
    CHECK(cutTo(L"anything", 0).empty());
    CHECK(cutTo(L"anything", 1) == L"\x2026");
    // A wide character that does not fit in half is left out.
    const auto wide = cellText("\xe6\x97\xa5\xe6\x9c\xac\xe8\xaa\x9e");
    CHECK(cellsOf(cutTo(wide, 4)) <= 4);
    CHECK(cellsOf(cutTo(wide, 5, Cut::Middle)) <= 5);
}

TEST_CASE("sentences are folded between words, and words that are too long within", "[cells]")
{
    CHECK(foldedTo(L"one two three", 7) == std::vector<std::wstring>{L"one two", L"three"});
    CHECK(foldedTo(L"one  two", 4) == std::vector<std::wstring>{L"one", L"two"});
    CHECK(foldedTo(L"abcdefgh", 3) == std::vector<std::wstring>{L"abc", L"def", L"gh"});
    CHECK(foldedTo(L"", 10) == std::vector<std::wstring>{L""});
    CHECK(foldedTo(L"x", 0) == std::vector<std::wstring>{L""});
}

TEST_CASE("letters that are written from the right are known", "[cells]")
{
    CHECK(hasRightToLeft(L"a\x05d0"));
    CHECK(hasRightToLeft(L"\x0627"));
    CHECK_FALSE(hasRightToLeft(L"a\x65e5\x301"));
    CHECK_FALSE(hasRightToLeft(L""));
}

TEST_CASE("no bytes whatever make cells that command a terminal or overflow", "[cells]")
{
    const Utf8Locale utf8;
    std::mt19937 random(11);
    for (int round = 0; round < 3000; ++round) {
        std::string bytes(random() % 40, '\0');
        for (auto& c : bytes)
            c = static_cast<char>(random() % 3 == 0 ? 0x20 + random() % 0x60 : random());
        const auto text = cellText(bytes);
        CHECK(std::none_of(text.begin(), text.end(), [](wchar_t c) { return c < 0x20 || (c >= 0x7f && c < 0xa0); }));
        CHECK(std::all_of(text.begin(), text.end(), [](wchar_t c) { return ::wcwidth(c) >= 0; }));
        const int room = static_cast<int>(random() % 30);
        for (const auto cut : {Cut::End, Cut::Middle})
            CHECK(cellsOf(cutTo(text, room, cut)) <= room);
        for (const auto& line : foldedTo(text, std::max(2, room)))
            CHECK(cellsOf(line) <= std::max(2, room));
    }
}
