// SPDX-License-Identifier: GPL-3.0-or-later
// What one of the system's own tools says, where what it knows has no file that others may rely on.
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

struct ToolLimits {
    std::chrono::milliseconds time{20000};
    std::size_t bytes = 256 << 20;
};

/// Where the system keeps a tool of this name; empty where it has none. PATH is not asked: it is the user's, and who
/// asks may be root.
std::string findTool(const std::string& name);

/// Runs the program (an absolute path) with its arguments and gives what it writes to its standard output; without
/// input, with an environment of its own, in the C locale. NotFound where it cannot be started; Unsupported where it
/// fails, says too much, or takes too long, and is ended with all it started. Blocks: call it off the interface thread.
Result<std::string> toolOutput(const std::vector<std::string>& command, const ToolLimits& limits = {});

} // namespace kurvo
