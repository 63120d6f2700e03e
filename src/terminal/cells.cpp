// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/cells.h"

#include <langinfo.h>

#include <algorithm>
#include <cstring>
#include <cwchar>

#include "core/base/text.h"

namespace kurvo::terminal {
namespace {

constexpr wchar_t replacement = L'\xFFFD';
constexpr wchar_t ellipsis = L'\x2026';

struct Range {
    char32_t first, last;
};
/// Without a width of their own, or with one that terminals disagree about: they may join what stands beside them.
constexpr Range disputed[] = {
    {0x00AD, 0x00AD}, {0x034F, 0x034F}, {0x061C, 0x061C}, {0x1160, 0x11FF},   {0x17B4, 0x17B5},   {0x180B, 0x180F},
    {0x200B, 0x200F}, {0x2028, 0x202E}, {0x2060, 0x206F}, {0x3164, 0x3164},   {0xD7B0, 0xD7FF},   {0xFE00, 0xFE0F},
    {0xFEFF, 0xFEFF}, {0xFFA0, 0xFFA0}, {0xFFF0, 0xFFFB}, {0x1F1E6, 0x1F1FF}, {0x1F3FB, 0x1F3FF}, {0xE0000, 0xE0FFF},
};

bool isDisputed(char32_t c)
{
    return std::any_of(std::begin(disputed), std::end(disputed),
                       [c](const Range& range) { return c >= range.first && c <= range.last; });
}

char32_t decoded(std::string_view sequence)
{
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(sequence[i]); };
    switch (sequence.size()) {
    case 2:
        return (byte(0) & 0x1Fu) << 6 | (byte(1) & 0x3Fu);
    case 3:
        return (byte(0) & 0x0Fu) << 12 | (byte(1) & 0x3Fu) << 6 | (byte(2) & 0x3Fu);
    case 4:
        return (byte(0) & 0x07u) << 18 | (byte(1) & 0x3Fu) << 12 | (byte(2) & 0x3Fu) << 6 | (byte(3) & 0x3Fu);
    default:
        return byte(0);
    }
}

int widthOf(wchar_t c)
{
    return std::max(0, ::wcwidth(c));
}

} // namespace

bool localeHasUtf8()
{
    return std::strcmp(::nl_langinfo(CODESET), "UTF-8") == 0;
}

std::wstring cellText(std::string_view bytes)
{
    const bool utf8 = localeHasUtf8();
    const auto shown = displayText(bytes);
    std::wstring out;
    out.reserve(shown.size());
    int marks = 2; // none may come first
    for (std::size_t i = 0; i < shown.size();) {
        const auto length = std::max<std::size_t>(1, utf8SequenceLength(std::string_view(shown).substr(i)));
        const auto c = decoded(std::string_view(shown).substr(i, length));
        i += length;
        if (c < 0x80) {
            out += static_cast<wchar_t>(c);
            marks = 0;
            continue;
        }
        if (!utf8) {
            out += L'?';
            continue;
        }
        const auto wide = static_cast<wchar_t>(c);
        const int width = ::wcwidth(wide);
        if (width == 0 && !isDisputed(c)) {
            if (marks < 2) {
                out += wide;
                ++marks;
            } else if (out.empty()) {
                out += replacement;
            }
            continue;
        }
        out += width < 0 || isDisputed(c) ? replacement : wide;
        marks = 0;
    }
    return out;
}

int cellsOf(std::wstring_view text)
{
    int cells = 0;
    for (const auto c : text)
        cells += widthOf(c);
    return cells;
}

bool hasRightToLeft(std::wstring_view text)
{
    return std::any_of(text.begin(), text.end(), [](wchar_t c) {
        return (c >= 0x0590 && c <= 0x08FF) || (c >= 0xFB1D && c <= 0xFDFF) || (c >= 0xFE70 && c <= 0xFEFC) ||
               (c >= 0x10800 && c <= 0x10FFF) || (c >= 0x1E800 && c <= 0x1EFFF);
    });
}

std::wstring cutTo(std::wstring_view text, int cells, Cut cut)
{
    if (cellsOf(text) <= cells)
        return std::wstring(text);
    if (cells <= 0)
        return {};
    const bool utf8 = localeHasUtf8();
    const int left = cells - 1;
    const int tail = cut == Cut::Middle ? left / 2 : 0;
    std::wstring begin;
    int used = 0;
    for (const auto c : text) {
        if (used + widthOf(c) > left - tail)
            break;
        used += widthOf(c);
        begin += c;
    }
    std::size_t from = text.size();
    int kept = 0;
    while (from > 0 && kept + widthOf(text[from - 1]) <= tail && tail > 0)
        kept += widthOf(text[--from]);
    while (from < text.size() && widthOf(text[from]) == 0) // a mark whose character is gone
        ++from;
    return begin + (utf8 ? ellipsis : L'~') + std::wstring(text.substr(from));
}

std::vector<std::wstring> foldedTo(std::wstring_view text, int cells)
{
    std::vector<std::wstring> lines;
    while (!text.empty()) {
        std::size_t end = 0, space = 0;
        for (int used = 0; end < text.size() && used + widthOf(text[end]) <= cells; ++end) {
            used += widthOf(text[end]);
            if (text[end] == L' ')
                space = end;
        }
        if (end == text.size()) {
            lines.emplace_back(text);
            break;
        }
        if (end == 0) // not even one fits
            break;
        const auto at = text[end] == L' ' ? end : space > 0 ? space : end;
        lines.emplace_back(text.substr(0, at));
        while (lines.back().ends_with(L' '))
            lines.back().pop_back();
        text.remove_prefix(at);
        while (!text.empty() && text.front() == L' ')
            text.remove_prefix(1);
    }
    if (lines.empty())
        lines.emplace_back();
    return lines;
}

} // namespace kurvo::terminal
