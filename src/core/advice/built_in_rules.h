// SPDX-License-Identifier: GPL-3.0-or-later
// The text of rules/*.toml, which is part of the program so that it works from any folder or stick.
#pragma once

#include <string_view>
#include <vector>

namespace kurvo {

/// One entry a file, in the order in which their rules are asked.
const std::vector<std::string_view>& builtInRules();

} // namespace kurvo
