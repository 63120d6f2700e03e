// SPDX-License-Identifier: GPL-3.0-or-later
// What a file shows of itself at a glance: told from its first bytes, never from running anything. The parts that need
// no decoder are here; pictures, PDF, sound and archives are opened by src/preview in a process of its own.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kurvo {

enum class PreviewKind { Empty, Picture, Pdf, Sound, Video, Archive, Text, Bytes };

/// By signature, else by whether it reads as text. `beginning`: the first bytes, 4 KiB or more where there are.
PreviewKind previewKindOf(std::string_view beginning);

struct PreviewText {
    std::string text;     ///< UTF-8; control characters are shown as U+FFFD
    std::string encoding; ///< "UTF-8", "UTF-16", "Western (Windows-1252)", ...
};
/// Nothing when these bytes are no text. `cut`: there is more after them, so that a character may be cut in two.
std::optional<PreviewText> asText(std::string_view bytes, bool cut);

/// Sixteen bytes a line: offset, hexadecimal, and as ASCII.
std::string hexLines(std::string_view bytes);

/// What the headers of a film or recording say.
struct MediaFacts {
    double seconds = 0; ///< 0: not told
    unsigned width = 0, height = 0;
    std::vector<std::string> codecs; ///< as they are named in the file: "V_VP9", "avc1"
    std::string container;           ///< "Matroska", "MP4", "AVI"
};
/// Reads up to `size` bytes at an offset; fewer at the end, none on an error.
using ReadAt = std::function<std::string(std::uint64_t offset, std::size_t size)>;
/// Matroska and WebM (RFC 8794, RFC 9559), MP4 and QuickTime (ISO/IEC 14496-12), AVI (RIFF). Reads a few KiB wherever
/// they stand; bounded for any bytes. Nothing for other formats.
std::optional<MediaFacts> mediaFacts(const ReadAt& read, std::uint64_t size);

} // namespace kurvo
