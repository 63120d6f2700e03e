// SPDX-License-Identifier: GPL-3.0-or-later
// Drives: the mounted filesystems that hold people's data, with their capacity.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// What statvfs(3) says, in bytes. total = used + reserved + free.
struct Capacity {
    std::uint64_t total = 0;
    std::uint64_t used = 0;
    std::uint64_t reserved = 0; ///< free, but only for the system (f_bfree - f_bavail)
    std::uint64_t free = 0;     ///< what this user can still fill (f_bavail)
};

enum class DeviceKind { Internal, Removable, Network, Memory };

/// Why a mount is no drive to choose from at first sight.
enum class FoldedAway {
    No,
    SameFilesystem, ///< a further mount of a filesystem that is listed already
    Pseudo,         ///< shows the kernel's state or other mounts' data
    Memory,         ///< a memory filesystem of the system itself, or one nothing can be cleared from
    NoAnswer        ///< did not say how large it is in time
};

struct Drive {
    std::string name;       ///< filesystem label, or the last part of the mount point, or "System drive" for /
    std::string mountPoint; ///< bytes
    std::string filesystem; ///< "ext4"
    std::string source;     ///< "/dev/sda2", "server:/share"
    DeviceKind kind = DeviceKind::Internal;
    bool readOnly = false;
    std::uint64_t mountId = 0;
    Capacity capacity;
    FoldedAway folded = FoldedAway::No;
};

/// What a filesystem says of itself besides its capacity.
struct FilesystemFacts {
    std::string type; ///< "ext4"; empty where unknown
    Capacity capacity;
    std::uint64_t inodesUsed = 0; ///< 0 where the filesystem does not count them
    /// Bytes that count as used without being in any file or folder, as far as the filesystem tells.
    std::uint64_t structures = 0;
    std::string structuresEvidence; ///< where that was read, as a sentence; empty where it is not told
    /// Inodes that are used without having a name anywhere.
    std::uint64_t namelessInodes = 0;
    std::string shownPart; ///< what of the filesystem this mount shows ("/" is all of it); bytes
};
Result<FilesystemFacts> readFilesystemFacts(const std::string& mountPoint);

/// Mount points below `mountPoint`, whatever is mounted there, with the kind of filesystem.
struct MountBelow {
    std::string path;
    std::string filesystem;
};
Result<std::vector<MountBelow>> mountsBelow(const std::string& mountPoint);

/// A view of the mount at this place without what is mounted on top of its folders: open for reading, and gone when
/// closed. Needs administrator rights (open_tree(2), Linux 5.2).
Result<UniqueFd> openWithoutMountsOnTop(const std::string& mountPoint);

/// "", "same filesystem", "pseudo", "memory", "no answer"
const char* foldedAwayName(FoldedAway reason);
/// "internal", "removable", "network", "memory"
const char* deviceKindName(DeviceKind kind);

/// Filesystems that ask somebody else, who may not answer: network drives and those served by a program (FUSE).
bool mayHang(const std::string& filesystem);

/// Filesystems that show the kernel's state or another mount's data rather than holding files of their own.
bool isPseudoFilesystem(const std::string& filesystem);

/// The drives of this machine, the root first, then by mount point. One entry a filesystem: bind mounts and further
/// mounts of the same device are left out. Asks each for its capacity, and leaves one alone that does not answer within
/// some seconds: call it off the interface thread. `mountInfo` is for tests.
Result<std::vector<Drive>> readDrives(const std::string& mountInfo = "/proc/self/mountinfo");
/// All mounts that are folders, those that readDrives leaves out as well, with the reason.
Result<std::vector<Drive>> readAllMounts(const std::string& mountInfo = "/proc/self/mountinfo");

/// The drive mounted at exactly this place, without asking any other: one that hangs does not matter.
Result<Drive> readDrive(const std::string& mountPoint);

/// Capacity of the filesystem that holds `path`.
Result<Capacity> readCapacity(const std::string& path);

/// The mount point that holds `path` (which must exist): the topmost folder on the same mount.
Result<std::string> mountPointOf(const std::string& path);

} // namespace kurvo
