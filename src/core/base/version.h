// SPDX-License-Identifier: GPL-3.0-or-later
// Which Kurvo this is. The number is written in one place: the project() of CMakeLists.txt.
#pragma once

#include <string>
#include <string_view>

namespace kurvo {

/// "0.2.0".
[[nodiscard]] std::string_view version();

/// The day of its release: "2026-11-29".
[[nodiscard]] std::string_view releaseDay();

/// How it was built, in one line: compiler, kind of build, what is linked.
[[nodiscard]] std::string buildFacts();

} // namespace kurvo
