// SPDX-License-Identifier: GPL-3.0-or-later
// A digest by which a person, or a command line, names one exact request: SHA-256 (FIPS 180-4, by libmd).
#pragma once

#include <string>
#include <string_view>

namespace kurvo {

/// 64 hexadecimal digits.
std::string digestOf(std::string_view bytes);

} // namespace kurvo
