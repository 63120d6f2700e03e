// SPDX-License-Identifier: GPL-3.0-or-later
// Where a file's blocks lie on the drive, and whether they are its own (FIEMAP, Documentation/filesystems/fiemap.rst in
// the kernel's sources; for btrfs the tree search of ioctl-btrfs(2), which needs CAP_SYS_ADMIN).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

struct Extent {
    std::uint64_t physical = 0; ///< bytes from the beginning of the filesystem's space; 0 where it is not known
    std::uint64_t length = 0;   ///< of the file's content that it holds
    std::uint64_t onDisk = 0;   ///< what it takes: less than `length` where it is compressed
    bool shared = false;        ///< with another file or a filesystem snapshot, or with itself
    bool compressed = false;
    bool inlined = false; ///< lies among the filesystem's own structures
};

/// What the filesystem that holds a path does with blocks, so that a file's own count does not say what comes free.
struct BlockSharing {
    bool shares = false;     ///< files can have blocks in common
    bool compresses = false; ///< a file's blocks are counted by its length, whatever they take
    bool snapshots = false;  ///< the whole can be kept as it was, out of sight
};
BlockSharing blockSharing(const std::string& path);

/// The extents of a file, open for reading, in their order. Unsupported where the filesystem has no map of them. What
/// is not on the drive yet has none.
Result<std::vector<Extent>> readExtents(int fd, std::uint64_t inode, const BlockSharing& sharing);

} // namespace kurvo
