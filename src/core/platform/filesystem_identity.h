// SPDX-License-Identifier: GPL-3.0-or-later
// Which filesystem this is, wherever it is mounted and whatever it is called.
#pragma once

#include <string>

namespace kurvo {

/// The UUID of the filesystem that holds `path`, as the kernel or /dev/disk/by-uuid has it, in lower case; empty for
/// one without (tmpfs, network drives) or where it cannot be found out. May wait for the drive.
std::string filesystemUuid(const std::string& path);

} // namespace kurvo
