// SPDX-License-Identifier: GPL-3.0-or-later
// Which filesystem this is, wherever it is mounted and whatever it is called.
#pragma once

#include <string>

namespace kurvo {

/// The UUID of the filesystem that holds `path`, as the kernel or /dev/disk/by-uuid has it, in lower case; empty for
/// one without (tmpfs, network drives) or where it cannot be found out. May wait for the drive.
std::string filesystemUuid(const std::string& path);

/// What tells the filesystem of an open file or folder from every other, also after it was mounted somewhere else: its
/// UUID, or where it has none its kind with the number that the kernel gave it (statfs(2), f_fsid). Empty where there
/// is neither. One in memory begins with `memoryDrive`: gone for good once it is unmounted.
std::string driveIdentity(int fd);
inline constexpr const char* memoryDrive = "memory ";

} // namespace kurvo
