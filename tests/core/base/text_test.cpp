// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <random>
#include <string>

#include "core/base/text.h"

using namespace kurvo;
using namespace std::string_literals;

TEST_CASE("valid UTF-8 is told from what only looks like it", "[text]")
{
    CHECK(utf8SequenceLength("a") == 1);
    CHECK(utf8SequenceLength("\xC3\xA9") == 2);
    CHECK(utf8SequenceLength("\xE2\x82\xAC") == 3);
    CHECK(utf8SequenceLength("\xF0\x9F\x90\xA6") == 4);
    CHECK(utf8SequenceLength("") == 0);
    CHECK(utf8SequenceLength("\x80") == 0);
    CHECK(utf8SequenceLength("\xC3") == 0);
    CHECK(utf8SequenceLength("\xC0\xAF") == 0);         // overlong
    CHECK(utf8SequenceLength("\xE0\x80\x80") == 0);     // overlong
    CHECK(utf8SequenceLength("\xED\xA0\x80") == 0);     // a surrogate
    CHECK(utf8SequenceLength("\xF4\x90\x80\x80") == 0); // past U+10FFFF
    CHECK(utf8SequenceLength("\xF5\x80\x80\x80") == 0);
    CHECK(utf8SequenceLength("\xE2\x82x") == 0);
}

TEST_CASE("names are shown without anything that could disguise them", "[text]")
{
    CHECK(displayText("plain name.txt") == "plain name.txt");
    CHECK(displayText("Brutvögel – Zählung.ods") == "Brutvögel – Zählung.ods");
    CHECK(displayText("\xff\xfe-not-utf8") == "\xEF\xBF\xBD\xEF\xBF\xBD-not-utf8");
    CHECK(displayText("half-\xe2\x82") == "half-\xEF\xBF\xBD\xEF\xBF\xBD");
    CHECK(displayText("line\nbreak") == "line\xE2\x8F\x8E"s + "break");
    CHECK(displayText("tab\there") == "tab\xEF\xBF\xBDhere");
    CHECK(displayText("\x7F") == "\xEF\xBF\xBD");
    CHECK(displayText("\xC2\x85") == "\xEF\xBF\xBD");                                   // a C1 control
    CHECK(displayText("harmless\xE2\x80\xAEgpj.exe") == "harmless\xEF\xBF\xBDgpj.exe"); // right-to-left override
    CHECK(displayText("\xE2\x81\xA7x") == "\xEF\xBF\xBDx");
    // What is not seen: two names would look alike.
    for (const auto* unseen : {"\xE2\x80\x8B", "\xE2\x80\x8E", "\xE2\x80\xA8", "\xE2\x80\xA9", "\xE2\x81\xA0",
                               "\xC2\xAD", "\xD8\x9C", "\xEF\xBB\xBF"})
        CHECK(displayText("re"s + unseen + "port") == "re\xEF\xBF\xBDport");
    // Letters that are kept from joining, and a picture made of two, are writing.
    for (const auto* written : {"\xD9\x85\xDB\x8C\xE2\x80\x8C\xD8\xAE", "\xF0\x9F\x91\xA9\xE2\x80\x8D\xF0\x9F\x94\xA7"})
        CHECK(displayText(written) == written);
    CHECK(displayText("").empty());
}

TEST_CASE("JSON strings are lossless for any bytes", "[text]")
{
    CHECK(jsonText("a \"quoted\" \\ name") == R"("a \"quoted\" \\ name")");
    CHECK(jsonText("line\nbreak") == R"("line\u000abreak")");
    CHECK(jsonText("\xff\xfe-x") == R"("\udcff\udcfe-x")");
    CHECK(jsonText("half-\xe2\x82") == R"("half-\udce2\udc82")");
    CHECK(jsonText("\xC0\xAF") == R"("\udcc0\udcaf")");
    CHECK(jsonText("日本語") == "\"日本語\"");
    CHECK(jsonText("") == "\"\"");
}

TEST_CASE("percent encoding goes there and back", "[text]")
{
    CHECK(percentEncoded("/home/warden/Nest camera") == "/home/warden/Nest%20camera");
    CHECK(percentEncoded("100%") == "100%25");
    CHECK(percentEncoded("\xff\n") == "%FF%0A");
    CHECK(percentDecoded("Nest%20camera%2f") == "Nest camera/");
    CHECK(percentDecoded("100%") == "100%");
    CHECK(percentDecoded("%zz%4") == "%zz%4");
    std::mt19937 random(7);
    for (int round = 0; round < 200; ++round) {
        std::string bytes;
        for (auto length = random() % 40; length > 0; --length)
            bytes += static_cast<char>(1 + random() % 255);
        INFO(percentEncoded(bytes));
        CHECK(percentDecoded(percentEncoded(bytes)) == bytes);
    }
}

TEST_CASE("paths are taken apart and put together", "[text]")
{
    CHECK(fileName("/home/warden") == "warden");
    CHECK(fileName("/") == "/");
    CHECK(fileName("plain") == "plain");
    CHECK(parentPath("/home/warden") == "/home");
    CHECK(parentPath("/home") == "/");
    CHECK(parentPath("/") == "/");
    CHECK(joinPath("/", "home") == "/home");
    CHECK(joinPath("/home", "warden") == "/home/warden");
    CHECK(joinPath("/home/", "warden") == "/home/warden");
    CHECK(isAtOrBelow("/home/warden", "/home"));
    CHECK(isAtOrBelow("/home", "/home"));
    CHECK(isAtOrBelow("/home", "/"));
    CHECK_FALSE(isAtOrBelow("/homeward", "/home"));
    CHECK_FALSE(isAtOrBelow("/", "/home"));
}
