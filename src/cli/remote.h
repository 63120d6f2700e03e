// SPDX-License-Identifier: GPL-3.0-or-later
// A place on another machine as the SOURCE of a command.
#pragma once

#include <optional>
#include <string>

#include "core/remote/ssh_scan.h"
#include "terminal/desk.h"

namespace kurvo::cli {

/// The address that an argument is; nothing where it is a path, which it is where such an entry exists here.
std::optional<RemoteAddress> remoteAddress(const std::string& argument);

/// Scans over SSH with progress; asks on the terminal what has to be asked there. Ctrl+C keeps what was found.
Result<RemoteScan> scanRemoteWithProgress(const RemoteAddress& address);

/// Begins one for the terminal view: returns once there are entries, and nothing is asked any more. Nothing where it
/// failed, which was told.
std::optional<terminal::BegunScan> beginRemoteScan(const RemoteAddress& address);

} // namespace kurvo::cli
