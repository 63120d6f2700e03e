// SPDX-License-Identifier: GPL-3.0-or-later
// What the reports share: a page that needs nothing from outside and prints in black on A4 and Letter.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace kurvo {

/// For HTML text and attributes in double quotes; paths may break after each slash.
std::string htmlText(std::string_view bytes);
/// A whole page; `title` is plain text, `body` is HTML.
std::string htmlPage(std::string_view title, std::string_view body);
/// "2026-06-19T06:40:02Z"
std::string utcText(std::int64_t time);

} // namespace kurvo
