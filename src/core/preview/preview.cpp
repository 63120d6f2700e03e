// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/preview/preview.h"

#include <algorithm>
#include <array>

#include "core/base/text.h"

namespace kurvo {
namespace {

using namespace std::string_view_literals;

struct Signature {
    std::size_t at;
    std::string_view bytes;
    PreviewKind kind;
};

constexpr Signature signatures[] = {
    {0, "\x89PNG\r\n\x1a\n"sv, PreviewKind::Picture},
    {0, "\xff\xd8\xff"sv, PreviewKind::Picture},
    {0, "GIF8"sv, PreviewKind::Picture},
    {0, "BM"sv, PreviewKind::Picture},
    {0, "II*\0"sv, PreviewKind::Picture},
    {0, "MM\0*"sv, PreviewKind::Picture},
    {8, "WEBP"sv, PreviewKind::Picture},
    {0, "\0\0\1\0"sv, PreviewKind::Picture},
    {0, "%PDF-"sv, PreviewKind::Pdf},
    {0, "fLaC"sv, PreviewKind::Sound},
    {0, "ID3"sv, PreviewKind::Sound},
    {0, "\xff\xfb"sv, PreviewKind::Sound},
    {0, "\xff\xf3"sv, PreviewKind::Sound},
    {0, "OggS"sv, PreviewKind::Sound},
    {8, "WAVE"sv, PreviewKind::Sound},
    {8, "AIFF"sv, PreviewKind::Sound},
    {0, "wvpk"sv, PreviewKind::Sound},
    {0, "MAC "sv, PreviewKind::Sound},
    {4, "ftypM4A"sv, PreviewKind::Sound},
    {4, "ftyp"sv, PreviewKind::Video},
    {4, "moov"sv, PreviewKind::Video},
    {0, "\x1a\x45\xdf\xa3"sv, PreviewKind::Video},
    {8, "AVI "sv, PreviewKind::Video},
    {0, "PK\3\4"sv, PreviewKind::Archive},
    {0, "PK\5\6"sv, PreviewKind::Archive},
    {0, "\x1f\x8b"sv, PreviewKind::Archive},
    {0, "BZh"sv, PreviewKind::Archive},
    {0, "\xfd\x37zXZ"sv, PreviewKind::Archive},
    {0, "\x28\xb5\x2f\xfd"sv, PreviewKind::Archive},
    {0, "7z\xbc\xaf\x27\x1c"sv, PreviewKind::Archive},
    {0, "Rar!\x1a"sv, PreviewKind::Archive},
    {0, "!<arch>\n"sv, PreviewKind::Archive},
    {0, "MSCF"sv, PreviewKind::Archive},
    {0, "\xed\xab\xee\xdb"sv, PreviewKind::Archive},
    {257, "ustar"sv, PreviewKind::Archive},
};

void appendUtf8(std::string& out, std::uint32_t c)
{
    if (c < 32 && c != '\n' && c != '\t')
        c = c == '\r' ? '\n' : 0xFFFD;
    if (c > 0x10FFFF || (c >= 0xD800 && c < 0xE000))
        c = 0xFFFD;
    if (c < 0x80) {
        out += static_cast<char>(c);
    } else if (c < 0x800) {
        out += static_cast<char>(0xC0 | c >> 6);
        out += static_cast<char>(0x80 | (c & 0x3F));
    } else if (c < 0x10000) {
        out += static_cast<char>(0xE0 | c >> 12);
        out += static_cast<char>(0x80 | (c >> 6 & 0x3F));
        out += static_cast<char>(0x80 | (c & 0x3F));
    } else {
        out += static_cast<char>(0xF0 | c >> 18);
        out += static_cast<char>(0x80 | (c >> 12 & 0x3F));
        out += static_cast<char>(0x80 | (c >> 6 & 0x3F));
        out += static_cast<char>(0x80 | (c & 0x3F));
    }
}

PreviewText fromUtf16(std::string_view bytes, bool bigEndian)
{
    PreviewText made{{}, "UTF-16"};
    const auto unit = [&](std::size_t i) {
        const auto a = static_cast<unsigned char>(bytes[i]), b = static_cast<unsigned char>(bytes[i + 1]);
        return static_cast<std::uint32_t>(bigEndian ? a << 8 | b : b << 8 | a);
    };
    for (std::size_t i = 2; i + 1 < bytes.size(); i += 2) {
        auto c = unit(i);
        if (c >= 0xD800 && c < 0xDC00 && i + 3 < bytes.size() && unit(i + 2) >= 0xDC00 && unit(i + 2) < 0xE000) {
            c = 0x10000 + ((c - 0xD800) << 10) + (unit(i + 2) - 0xDC00);
            i += 2;
        }
        if (c != '\r')
            appendUtf8(made.text, c);
    }
    return made;
}

std::optional<PreviewText> fromUtf8(std::string_view bytes, bool cut)
{
    PreviewText made{{}, "UTF-8"};
    if (bytes.starts_with("\xef\xbb\xbf"))
        bytes.remove_prefix(3);
    for (std::size_t i = 0; i < bytes.size();) {
        const auto length = utf8SequenceLength(bytes.substr(i));
        if (length == 0) {
            if (cut && bytes.size() - i < 4)
                break; // the last character is cut in two
            return std::nullopt;
        }
        if (length == 1 && static_cast<unsigned char>(bytes[i]) < 32) {
            if (bytes[i] != '\r')
                appendUtf8(made.text, static_cast<unsigned char>(bytes[i]));
        } else {
            made.text += bytes.substr(i, length);
        }
        i += length;
    }
    return made;
}

/// Bytes 0x80 to 0x9F of Windows-1252; the others are those of ISO 8859-1.
constexpr std::array<std::uint16_t, 32> western{0x20AC, 0xFFFD, 0x201A, 0x0192, 0x201E, 0x2026, 0x2020, 0x2021,
                                                0x02C6, 0x2030, 0x0160, 0x2039, 0x0152, 0xFFFD, 0x017D, 0xFFFD,
                                                0xFFFD, 0x2018, 0x2019, 0x201C, 0x201D, 0x2022, 0x2013, 0x2014,
                                                0x02DC, 0x2122, 0x0161, 0x203A, 0x0153, 0xFFFD, 0x017E, 0x0178};

} // namespace

PreviewKind previewKindOf(std::string_view beginning)
{
    if (beginning.empty())
        return PreviewKind::Empty;
    for (const auto& [at, bytes, kind] : signatures)
        if (beginning.size() >= at + bytes.size() && beginning.substr(at, bytes.size()) == bytes) {
            // Two letters prove little: a text may begin with them.
            if (bytes.size() == 2 && asText(beginning, true))
                break;
            return kind;
        }
    return asText(beginning, true) ? PreviewKind::Text : PreviewKind::Bytes;
}

std::optional<PreviewText> asText(std::string_view bytes, bool cut)
{
    if (bytes.starts_with("\xff\xfe"))
        return fromUtf16(bytes, false);
    if (bytes.starts_with("\xfe\xff"))
        return fromUtf16(bytes, true);
    std::size_t strange = 0, high = 0;
    for (const char c : bytes) {
        const auto u = static_cast<unsigned char>(c);
        if (u == 0)
            return std::nullopt;
        strange += (u < 32 && u != '\n' && u != '\r' && u != '\t' && u != 27 && u != 12) || u == 127 ? 1 : 0;
        high += u >= 0x80 ? 1 : 0;
    }
    if (strange * 50 > bytes.size())
        return std::nullopt;
    if (auto utf8 = fromUtf8(bytes, cut))
        return utf8;
    if (high * 3 > bytes.size() || strange > 0)
        return std::nullopt;
    PreviewText made{{}, "Western (Windows-1252)"};
    for (const char c : bytes) {
        const auto u = static_cast<unsigned char>(c);
        if (u != '\r')
            appendUtf8(made.text, u >= 0x80 && u < 0xA0 ? western[u - 0x80] : u);
    }
    return made;
}

std::string hexLines(std::string_view bytes)
{
    static constexpr char digits[] = "0123456789abcdef";
    std::string lines;
    for (std::size_t at = 0; at < bytes.size(); at += 16) {
        const auto row = bytes.substr(at, 16);
        for (int shift = 28; shift >= 0; shift -= 4)
            lines += digits[at >> shift & 15];
        lines += "  ";
        for (std::size_t i = 0; i < 16; ++i) {
            if (i < row.size()) {
                const auto u = static_cast<unsigned char>(row[i]);
                lines += digits[u >> 4];
                lines += digits[u & 15];
            } else {
                lines += "  ";
            }
            lines += i == 7 ? "  " : " ";
        }
        lines += ' ';
        for (const char c : row)
            lines += c >= 32 && c < 127 ? c : '.';
        lines += '\n';
    }
    return lines;
}

} // namespace kurvo
