// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"

#include <cctype>
#include <cstdint>
#include <cstring>

namespace kurvo {
namespace {

std::uint8_t byteAt(std::string_view bytes, std::size_t i)
{
    return static_cast<std::uint8_t>(bytes[i]);
}

constexpr char hexDigits[] = "0123456789abcdef";

int hexValue(char c)
{
    if (c >= '0' && c <= '9')
        return c - '0';
    if (c >= 'a' && c <= 'f')
        return c - 'a' + 10;
    if (c >= 'A' && c <= 'F')
        return c - 'A' + 10;
    return -1;
}

} // namespace

std::size_t utf8SequenceLength(std::string_view bytes)
{
    if (bytes.empty())
        return 0;
    const auto lead = byteAt(bytes, 0);
    if (lead < 0x80)
        return 1;
    std::size_t length = 0;
    std::uint8_t low = 0x80, high = 0xBF; // allowed range of the second byte
    if (lead >= 0xC2 && lead <= 0xDF) {
        length = 2;
    } else if (lead >= 0xE0 && lead <= 0xEF) {
        length = 3;
        if (lead == 0xE0)
            low = 0xA0;
        if (lead == 0xED)
            high = 0x9F;
    } else if (lead >= 0xF0 && lead <= 0xF4) {
        length = 4;
        if (lead == 0xF0)
            low = 0x90;
        if (lead == 0xF4)
            high = 0x8F;
    }
    if (length == 0 || bytes.size() < length)
        return 0;
    if (byteAt(bytes, 1) < low || byteAt(bytes, 1) > high)
        return 0;
    for (std::size_t i = 2; i < length; ++i)
        if ((byteAt(bytes, i) & 0xC0) != 0x80)
            return 0;
    return length;
}

namespace {

/// What is not seen and belongs to no writing, so that two names could look alike: soft hyphen, marks and overrides of
/// direction, spaces without width, separators of lines. Not U+200C and U+200D, with which letters are joined or not.
bool isUnseen(std::string_view sequence)
{
    if (sequence == "\xC2\xAD" || sequence == "\xD8\x9C" || sequence == "\xEF\xBB\xBF") // U+00AD, U+061C, U+FEFF
        return true;
    if (sequence.size() != 3 || byteAt(sequence, 0) != 0xE2)
        return false;
    const auto last = byteAt(sequence, 2);
    if (byteAt(sequence, 1) == 0x80) // U+200B, U+200E, U+200F, U+2028 to 202E
        return last == 0x8B || last == 0x8E || last == 0x8F || (last >= 0xA8 && last <= 0xAE);
    return byteAt(sequence, 1) == 0x81 && last >= 0xA0 && last <= 0xAF; // U+2060 to 206F
}

} // namespace

std::string displayText(std::string_view bytes)
{
    static constexpr std::string_view replacement = "\xEF\xBF\xBD";
    std::string out;
    out.reserve(bytes.size());
    for (std::size_t i = 0; i < bytes.size();) {
        const auto length = utf8SequenceLength(bytes.substr(i));
        const auto sequence = bytes.substr(i, length);
        i += length == 0 ? 1 : length;
        if (sequence == "\n") {
            out += "\xE2\x8F\x8E";
        } else if (length == 0 || (length == 1 && (byteAt(sequence, 0) < 0x20 || byteAt(sequence, 0) == 0x7F))) {
            out += replacement;
        } else if (length == 2 && byteAt(sequence, 0) == 0xC2 && byteAt(sequence, 1) < 0xA0) {
            out += replacement; // C1 controls
        } else if (isUnseen(sequence)) {
            out += replacement;
        } else {
            out += sequence;
        }
    }
    return out;
}

std::string jsonText(std::string_view bytes)
{
    std::string out = "\"";
    out.reserve(bytes.size() + 2);
    for (std::size_t i = 0; i < bytes.size();) {
        const auto length = utf8SequenceLength(bytes.substr(i));
        const auto byte = byteAt(bytes, i);
        if (length == 0) {
            out += "\\udc";
            out += hexDigits[byte >> 4];
            out += hexDigits[byte & 15];
            ++i;
            continue;
        }
        if (length == 1 && (byte < 0x20 || byte == 0x7F)) {
            out += "\\u00";
            out += hexDigits[byte >> 4];
            out += hexDigits[byte & 15];
        } else {
            if (byte == '"' || byte == '\\')
                out += '\\';
            out += bytes.substr(i, length);
        }
        i += length;
    }
    out += '"';
    return out;
}

std::string systemErrorText(int sysError)
{
    char buffer[256] = {};
    std::string text = strerror_r(sysError, buffer, sizeof buffer); // the GNU form, which returns the text
    if (!text.empty())
        text[0] = static_cast<char>(std::tolower(static_cast<unsigned char>(text[0])));
    return text;
}

std::string percentEncoded(std::string_view bytes)
{
    static constexpr char digits[] = "0123456789ABCDEF";
    std::string out;
    for (const char c : bytes) {
        const auto byte = static_cast<std::uint8_t>(c);
        const bool plain = (byte >= 'a' && byte <= 'z') || (byte >= 'A' && byte <= 'Z') ||
                           (byte >= '0' && byte <= '9') || (byte != 0 && std::strchr("-._~/", byte) != nullptr);
        if (plain) {
            out += c;
        } else {
            out += '%';
            out += digits[byte >> 4];
            out += digits[byte & 15];
        }
    }
    return out;
}

std::string percentDecoded(std::string_view text)
{
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        if (text[i] == '%' && i + 2 < text.size() && hexValue(text[i + 1]) >= 0 && hexValue(text[i + 2]) >= 0) {
            out += static_cast<char>(hexValue(text[i + 1]) * 16 + hexValue(text[i + 2]));
            i += 2;
        } else {
            out += text[i];
        }
    }
    return out;
}

std::string shellQuoted(std::string_view bytes)
{
    std::string quoted = "'";
    for (const char c : bytes)
        quoted += c == '\'' ? std::string("'\\''") : std::string(1, c);
    return quoted + '\'';
}

std::string csvField(std::string_view bytes)
{
    if (bytes.find_first_of(",\"\r\n") == std::string_view::npos)
        return std::string(bytes);
    std::string quoted = "\"";
    for (const char c : bytes)
        quoted += c == '"' ? std::string("\"\"") : std::string(1, c);
    return quoted + '"';
}

std::string_view fileName(std::string_view path)
{
    const auto slash = path.rfind('/');
    if (slash == std::string_view::npos || path == "/")
        return path;
    return path.substr(slash + 1);
}

std::string_view parentPath(std::string_view path)
{
    const auto slash = path.rfind('/');
    if (slash == std::string_view::npos || slash == 0)
        return "/";
    return path.substr(0, slash);
}

std::string joinPath(std::string_view folder, std::string_view name)
{
    std::string out(folder);
    if (out.empty() || out.back() != '/')
        out += '/';
    out += name;
    return out;
}

bool isAtOrBelow(std::string_view path, std::string_view folder)
{
    if (folder == "/")
        return !path.empty() && path[0] == '/';
    return path.starts_with(folder) && (path.size() == folder.size() || path[folder.size()] == '/');
}

} // namespace kurvo
