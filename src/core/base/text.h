// SPDX-License-Identifier: GPL-3.0-or-later
// Names are bytes. These functions turn them into something that can be shown, or written to JSON and read back.
#pragma once

#include <string>
#include <string_view>

namespace kurvo {

/// Length in bytes of the valid UTF-8 sequence at the start of `bytes` (no surrogates, no overlong forms, at most
/// U+10FFFF; Unicode 15, table 3-7), or 0 when there is none.
std::size_t utf8SequenceLength(std::string_view bytes);

/// For people: valid UTF-8; bytes that are not part of it, control characters and what is not seen (overrides of
/// direction, spaces without width: they could disguise a name) become U+FFFD, a line break becomes U+23CE.
std::string displayText(std::string_view bytes);

/// A JSON string with its quotes. Lossless: a byte that is not valid UTF-8 is written as a lone low surrogate
/// \udc80 .. \udcff, the convention known as surrogateescape (Python PEP 383).
std::string jsonText(std::string_view bytes);

/// The system's own words for an errno, in lower case, thread-safe.
std::string systemErrorText(int sysError);

/// Percent-encodes everything but unreserved characters and '/' (RFC 3986), as trash info files and file URIs need it.
std::string percentEncoded(std::string_view bytes);

/// The reverse. Malformed escapes are kept as they stand.
std::string percentDecoded(std::string_view text);

/// A word that a POSIX shell reads as these bytes.
std::string shellQuoted(std::string_view bytes);

/// A field of a CSV line (RFC 4180), in quotes where it needs them.
std::string csvField(std::string_view bytes);

/// The last component of a path; "/" for the root.
std::string_view fileName(std::string_view path);

/// The path without its last component; "/" for entries of the root.
std::string_view parentPath(std::string_view path);

/// Joins with exactly one '/'.
std::string joinPath(std::string_view folder, std::string_view name);

/// True when `path` is `folder` or lies below it, compared by whole components.
bool isAtOrBelow(std::string_view path, std::string_view folder);

} // namespace kurvo
