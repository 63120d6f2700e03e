// SPDX-License-Identifier: GPL-3.0-or-later
// Drives: the mounted filesystems that hold people's data, with their capacity.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

/// What statvfs(3) says, in bytes. total = used + reserved + free.
struct Capacity {
    std::uint64_t total = 0;
    std::uint64_t used = 0;
    std::uint64_t reserved = 0; ///< free, but only for the system (f_bfree - f_bavail)
    std::uint64_t free = 0;     ///< what this user can still fill (f_bavail)
};

enum class DeviceKind { Internal, Removable, Network, Memory };

struct Drive {
    std::string name;       ///< filesystem label, or the last part of the mount point, or "System drive" for /
    std::string mountPoint; ///< bytes
    std::string filesystem; ///< "ext4"
    std::string source;     ///< "/dev/sda2", "server:/share"
    DeviceKind kind = DeviceKind::Internal;
    bool readOnly = false;
    std::uint64_t mountId = 0;
    Capacity capacity;
};

/// "internal", "removable", "network", "memory"
const char* deviceKindName(DeviceKind kind);

/// Filesystems that show the kernel's state or another mount's data rather than holding files of their own.
bool isPseudoFilesystem(const std::string& filesystem);

/// The drives of this machine, the root first, then by mount point. One entry a filesystem: bind mounts and further
/// mounts of the same device are left out. Asks each for its capacity, which can wait on a network drive: call it off
/// the interface thread. `mountInfo` is for tests.
Result<std::vector<Drive>> readDrives(const std::string& mountInfo = "/proc/self/mountinfo");

/// The drive mounted at exactly this place, without asking any other: one that hangs does not matter.
Result<Drive> readDrive(const std::string& mountPoint);

/// Capacity of the filesystem that holds `path`.
Result<Capacity> readCapacity(const std::string& path);

/// The mount point that holds `path` (which must exist): the topmost folder on the same mount.
Result<std::string> mountPointOf(const std::string& path);

} // namespace kurvo
