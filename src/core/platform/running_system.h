// SPDX-License-Identifier: GPL-3.0-or-later
// What runs on this machine.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

namespace kurvo {

/// The release of the kernel that runs (uname(2)); empty when it cannot be told.
std::string runningKernel();

/// When this machine was started, UTC seconds.
std::int64_t bootTime();

/// The command that restarts what a process belongs to, by the text of its /proc/PID/cgroup (cgroups(7)): a service of
/// the system or of a user. Empty where it belongs to none, so that the program itself must be ended.
std::string restartCommand(std::string_view cgroup);

} // namespace kurvo
