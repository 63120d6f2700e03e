// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <optional>
#include <random>

#include "core/preview/preview.h"

using namespace kurvo;
using namespace std::string_literals;

namespace {

std::string big(std::uint64_t value, int bytes)
{
    std::string out;
    for (int i = bytes; i-- > 0;)
        out += static_cast<char>(value >> 8 * i & 255);
    return out;
}

std::string box(const std::string& type, const std::string& content)
{
    return big(content.size() + 8, 4) + type + content;
}

std::string element(std::uint32_t id, const std::string& content)
{
    const auto bytes = id > 0xffffff ? 4 : id > 0xffff ? 3 : id > 0xff ? 2 : 1;
    return big(id, bytes) + big(content.size() | 0x4000, 2) + content;
}

std::string film()
{
    const auto mvhd = box("mvhd", std::string(12, '\0') + big(1000, 4) + big(61500, 4) + std::string(80, '\0'));
    const auto tkhd = box("tkhd", std::string(76, '\0') + big(1280u << 16, 4) + big(720u << 16, 4));
    const auto stsd = box("stsd", std::string(8, '\0') + box("avc1", std::string(20, '\0')));
    return box("ftyp", "isom0000") + box("mdat", std::string(500, 'm')) +
           box("moov", mvhd + box("trak", tkhd + box("mdia", box("minf", box("stbl", stsd)))));
}

std::string matroska()
{
    const auto info =
        element(0x1549A966, element(0x2AD7B1, big(1000000, 4)) + element(0x4489, "\x40\xc3\x88\0\0\0\0\0"s));
    const auto track =
        element(0x1654AE6B, element(0xAE, element(0x86, "V_VP9") +
                                              element(0xE0, element(0xB0, big(640, 2)) + element(0xBA, big(360, 2)))));
    return element(0x1A45DFA3, "head of the file") + element(0x18538067, info + track);
}

std::optional<MediaFacts> mediaFactsOf(const std::string& bytes)
{
    return mediaFacts([&bytes](std::uint64_t at,
                               std::size_t size) { return at < bytes.size() ? bytes.substr(at, size) : std::string(); },
                      bytes.size());
}

} // namespace

TEST_CASE("what a file is, by its first bytes", "[preview]")
{
    CHECK(previewKindOf("") == PreviewKind::Empty);
    CHECK(previewKindOf("\x89PNG\r\n\x1a\n....") == PreviewKind::Picture);
    CHECK(previewKindOf("%PDF-1.7\n") == PreviewKind::Pdf);
    CHECK(previewKindOf("fLaC....") == PreviewKind::Sound);
    CHECK(previewKindOf(film()) == PreviewKind::Video);
    CHECK(previewKindOf("PK\3\4....") == PreviewKind::Archive);
    CHECK(previewKindOf("BMW is a car, and this is a text.") == PreviewKind::Text);
    CHECK(previewKindOf("BM\x10\0\0\0\0\0"s) == PreviewKind::Picture);
    CHECK(previewKindOf("\x7f"
                        "ELF\2\1\1\0\0"s) == PreviewKind::Bytes);
    CHECK(previewKindOf("a line\nand another\n") == PreviewKind::Text);
}

TEST_CASE("text in any encoding", "[preview]")
{
    CHECK(asText("Gr\xc3\xbc\xc3\x9f", false)->text == "Grüß");
    CHECK(asText("Gr\xfc\xdf, wie man sagt", false)->text == "Grüß, wie man sagt");
    CHECK(asText("Gr\xfc\xdf, wie man sagt", false)->encoding.starts_with("Western"));
    CHECK(asText("\x80 5, das ist teuer", false)->text.starts_with("€"));
    CHECK(asText("\xff\xfe"
                 "G\0r\0\xfc\0"s,
                 false)
              ->text == "Grü");
    CHECK(asText("\xfe\xff\xd8\x3d\xdc\x26"s, false)->text == "🐦"s);
    CHECK(asText("\xef\xbb\xbfwith a mark", false)->text == "with a mark");
    CHECK(asText("cut in two \xc3", true)->text == "cut in two ");
    CHECK_FALSE(asText("zero\0byte"s, false));
    CHECK(asText("one\r\ntwo\x1b[0m", false)->text.find('\r') == std::string::npos);
    CHECK_FALSE(asText("\x01\x02\x03\x04\x05 much control", false));
}

TEST_CASE("bytes in lines of sixteen", "[preview]")
{
    const auto lines = hexLines("0123456789abcdefXY\n");
    CHECK(lines.starts_with("00000000  30 31 32 33 34 35 36 37  38 39"));
    CHECK(lines.find("0123456789abcdef\n00000010  58 59 0a ") != std::string::npos);
    CHECK(lines.ends_with("XY.\n"));
}

TEST_CASE("films tell their size and length", "[preview]")
{
    const auto mp4 = mediaFactsOf(film());
    REQUIRE(mp4);
    CHECK(mp4->container == "MP4");
    CHECK(mp4->seconds == Approx(61.5));
    CHECK(mp4->width == 1280);
    CHECK(mp4->height == 720);
    CHECK(mp4->codecs == std::vector<std::string>{"avc1"});
    const auto mkv = mediaFactsOf(matroska());
    REQUIRE(mkv);
    CHECK(mkv->container == "Matroska");
    CHECK(mkv->seconds == Approx(10.0));
    CHECK(mkv->width == 640);
    CHECK(mkv->codecs == std::vector<std::string>{"V_VP9"});
    CHECK_FALSE(mediaFactsOf("RIFF....WAVEfmt and so on, which is no film at all"));
    CHECK_FALSE(mediaFactsOf("short"));
}

TEST_CASE("any header is read or not, and never more", "[preview][fuzz]")
{
    std::mt19937 random(3);
    for (int i = 0; i < 20000; ++i) {
        auto bytes = random() % 2 == 0 ? film() : matroska();
        for (unsigned k = 0; k < 1 + random() % 6; ++k)
            bytes[random() % bytes.size()] = static_cast<char>(random());
        if (random() % 4 == 0)
            bytes.resize(random() % bytes.size());
        const auto facts = mediaFactsOf(bytes);
        if (facts) {
            CHECK(facts->seconds >= 0);
            CHECK(facts->codecs.size() <= 8);
        }
        const auto kind = previewKindOf(std::string_view(bytes).substr(0, 300));
        CHECK(static_cast<int>(kind) <= static_cast<int>(PreviewKind::Bytes));
    }
}
