// SPDX-License-Identifier: GPL-3.0-or-later
// Where Kurvo keeps what it knows: among the user's files, or, when it is carried along, in a folder beside itself.
#pragma once

#include <string>

#include "core/platform/folders.h"

namespace kurvo {

/// The folder `data` beside the running program, where there is one and the user it runs as owns it (so that a program
/// run as root does not believe what somebody else put there); else empty. Any thread; asks once.
const std::string& carriedData();

/// carriedData(), or `$XDG_DATA_HOME/kurvo`: snapshots, marks, logbook, the plan that is kept.
std::string ownDataFolder(const UserFolders& user);

/// `user`, with rules and settings in carriedData() where there is one. The trash stays where the user's trash is.
UserFolders withCarried(UserFolders user);

} // namespace kurvo
