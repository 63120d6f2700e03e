// SPDX-License-Identifier: GPL-3.0-or-later
// What runs upkeep: a timer of the user's systemd (systemd.timer(5)) or, where there is none, a line for cron(8) that
// the user adds.
#pragma once

#include <string>

#include "core/base/result.h"
#include "core/platform/folders.h"

namespace kurvo {

/// The units that are written for `program`, the path of kurvoctl.
std::string upkeepService(const std::string& program);
std::string upkeepTimer();
/// "17 4 * * * nice ..."
std::string upkeepCronLine(const std::string& program);

/// The units are there, and the timer is started with the session. Asks no systemd.
bool upkeepTimerIsOn(const UserFolders& user);
/// Writes the units into the user's settings and starts the timer, or stops it and removes them. Unsupported where no
/// systemd of the user answers; then the sentence has the line for cron.
Result<Done> switchUpkeepTimer(bool on, const UserFolders& user, const std::string& program);

} // namespace kurvo
