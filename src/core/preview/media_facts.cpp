// SPDX-License-Identifier: GPL-3.0-or-later
// Walks the boxes of films without decoding anything. Every number in a file may be a lie: sizes are held against what
// is there, and the number of boxes that are looked at is bounded.
#include <algorithm>
#include <bit>
#include <cmath>

#include "core/preview/preview.h"

namespace kurvo {
namespace {

using namespace std::string_view_literals;

constexpr int mostBoxes = 4000;

std::uint64_t bigEndian(std::string_view bytes)
{
    std::uint64_t value = 0;
    for (const char c : bytes.substr(0, std::min<std::size_t>(bytes.size(), 8)))
        value = value << 8 | static_cast<unsigned char>(c);
    return value;
}

std::uint64_t littleEndian(std::string_view bytes)
{
    std::uint64_t value = 0;
    for (std::size_t i = std::min<std::size_t>(bytes.size(), 8); i-- > 0;)
        value = value << 8 | static_cast<unsigned char>(bytes[i]);
    return value;
}

std::string printable(std::string_view text)
{
    std::string out;
    for (const char c : text.substr(0, 32))
        if (c >= 32 && c < 127)
            out += c;
    return out;
}

double sensible(double seconds)
{
    constexpr double most = 1e8; // three years
    return std::isfinite(seconds) && seconds > 0 && seconds < most ? seconds : 0;
}

class Mp4 {
public:
    Mp4(const ReadAt& read, MediaFacts& facts) : read_(read), facts_(facts) { }

    void walk(std::uint64_t from, std::uint64_t to, int depth)
    {
        while (from + 8 <= to && ++boxes_ < mostBoxes) {
            const auto head = read_(from, 16);
            if (head.size() < 8)
                return;
            std::uint64_t size = bigEndian(std::string_view(head).substr(0, 4)), header = 8;
            const auto type = std::string_view(head).substr(4, 4);
            if (size == 1 && head.size() >= 16) {
                size = bigEndian(std::string_view(head).substr(8, 8));
                header = 16;
            } else if (size == 0) {
                size = to - from;
            }
            if (size < header || size > to - from)
                return;
            if (type == "moov" || type == "trak" || type == "mdia" || type == "minf" || type == "stbl") {
                if (depth < 8)
                    walk(from + header, from + size, depth + 1);
            } else {
                look(type, from + header, size - header);
            }
            from += size;
        }
    }

private:
    void look(std::string_view type, std::uint64_t at, std::uint64_t size)
    {
        if (type == "mvhd") {
            const auto box = read_(at, std::min<std::uint64_t>(size, 36));
            const std::string_view b = box;
            const bool wide = !b.empty() && b[0] == 1;
            if (b.size() < (wide ? 32u : 20u))
                return;
            const auto scale = bigEndian(b.substr(wide ? 20 : 12, 4));
            const auto length = bigEndian(b.substr(wide ? 24 : 16, wide ? 8 : 4));
            facts_.seconds = scale == 0 ? 0 : sensible(static_cast<double>(length) / static_cast<double>(scale));
        } else if (type == "tkhd" && size >= 84 && size < 4096) {
            const auto box = read_(at, size);
            if (box.size() < 84)
                return;
            const auto width = bigEndian(std::string_view(box).substr(box.size() - 8, 4)) >> 16;
            const auto height = bigEndian(std::string_view(box).substr(box.size() - 4, 4)) >> 16;
            if (width > facts_.width) {
                facts_.width = static_cast<unsigned>(width);
                facts_.height = static_cast<unsigned>(height);
            }
        } else if (type == "stsd") {
            const auto box = read_(at, 16);
            if (box.size() == 16 && facts_.codecs.size() < 8)
                facts_.codecs.push_back(printable(std::string_view(box).substr(12, 4)));
        }
    }

    const ReadAt& read_;
    MediaFacts& facts_;
    int boxes_ = 0;
};

class Matroska {
public:
    Matroska(const ReadAt& read, MediaFacts& facts) : read_(read), facts_(facts) { }

    void walk(std::uint64_t from, std::uint64_t to, int depth)
    {
        while (from < to && ++boxes_ < mostBoxes) {
            const auto head = read_(from, 12);
            std::size_t used = 0;
            const auto id = number(head, used, true);
            const auto size = number(std::string_view(head).substr(used), used, false);
            if (!id || !size)
                return;
            const bool unknown = *size == UINT64_MAX;
            if (from + used > to || (!unknown && *size > to - from - used))
                return;
            const auto at = from + used, end = unknown ? to : at + *size;
            switch (*id) {
            case 0x18538067: // Segment
            case 0x1549A966: // Info
            case 0x1654AE6B: // Tracks
            case 0xAE:       // TrackEntry
            case 0xE0:       // Video
                if (depth < 8)
                    walk(at, end, depth + 1);
                break;
            case 0x1F43B675: // Cluster: the facts stand before
                return;
            case 0x2AD7B1:
                scale_ = static_cast<double>(bigEndian(read_(at, std::min<std::uint64_t>(*size, 8))));
                break;
            case 0x4489:
                length_ = real(read_(at, std::min<std::uint64_t>(*size, 8)));
                break;
            case 0xB0:
                facts_.width = static_cast<unsigned>(bigEndian(read_(at, std::min<std::uint64_t>(*size, 4))));
                break;
            case 0xBA:
                facts_.height = static_cast<unsigned>(bigEndian(read_(at, std::min<std::uint64_t>(*size, 4))));
                break;
            case 0x86:
                if (facts_.codecs.size() < 8)
                    facts_.codecs.push_back(printable(read_(at, std::min<std::uint64_t>(*size, 32))));
                break;
            default:
                break;
            }
            if (unknown)
                return;
            from = end;
        }
        facts_.seconds = sensible(length_ * scale_ / 1e9);
    }

private:
    /// A variable-length number (RFC 8794, section 4); with its marker for ids. All ones mean "not known".
    static std::optional<std::uint64_t> number(std::string_view bytes, std::size_t& used, bool keepMarker)
    {
        if (bytes.empty() || bytes[0] == 0)
            return std::nullopt;
        const auto first = static_cast<unsigned char>(bytes[0]);
        const auto length = static_cast<std::size_t>(std::countl_zero(first)) + 1;
        if (bytes.size() < length || (keepMarker && length > 4))
            return std::nullopt;
        auto value = bigEndian(bytes.substr(0, length));
        const auto bits = 7 * length;
        const auto mask = (std::uint64_t{1} << bits) - 1;
        used += length;
        if (keepMarker)
            return value;
        value &= mask;
        return value == mask ? UINT64_MAX : value;
    }

    static double real(std::string_view bytes)
    {
        if (bytes.size() == 4)
            return std::bit_cast<float>(static_cast<std::uint32_t>(bigEndian(bytes)));
        return bytes.size() == 8 ? std::bit_cast<double>(bigEndian(bytes)) : 0;
    }

    const ReadAt& read_;
    MediaFacts& facts_;
    double scale_ = 1e6, length_ = 0;
    int boxes_ = 0;
};

} // namespace

std::optional<MediaFacts> mediaFacts(const ReadAt& read, std::uint64_t size)
{
    MediaFacts facts;
    const auto head = read(0, 80);
    const std::string_view h = head;
    if (h.size() < 12)
        return std::nullopt;
    if (h.substr(4, 4) == "ftyp" || h.substr(4, 4) == "moov") {
        facts.container = "MP4";
        Mp4(read, facts).walk(0, size, 0);
    } else if (h.starts_with("\x1a\x45\xdf\xa3"sv)) {
        facts.container = "Matroska";
        Matroska(read, facts).walk(0, size, 0);
    } else if (h.starts_with("RIFF") && h.substr(8, 4) == "AVI ") {
        facts.container = "AVI";
        if (h.size() >= 72 && h.substr(24, 4) == "avih") {
            const auto microseconds = static_cast<double>(littleEndian(h.substr(32, 4)));
            facts.seconds = sensible(microseconds * static_cast<double>(littleEndian(h.substr(48, 4))) / 1e6);
            facts.width = static_cast<unsigned>(littleEndian(h.substr(64, 4)));
            facts.height = static_cast<unsigned>(littleEndian(h.substr(68, 4)));
        }
    } else {
        return std::nullopt;
    }
    return facts;
}

} // namespace kurvo
