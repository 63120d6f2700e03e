// SPDX-License-Identifier: GPL-3.0-or-later
// The kernel's list of mounts, /proc/self/mountinfo, as proc(5) describes it.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace kurvo {

struct MountLine {
    std::uint64_t id = 0;
    std::string root;         ///< the folder of the filesystem that is shown
    std::string target;       ///< where; bytes, with what the kernel escapes put back
    std::string type;         ///< "ext4", "fuse.sshfs"
    std::string source;       ///< a device, or what the filesystem calls itself
    std::uint64_t device = 0; ///< of the filesystem: major << 32 | minor
    bool readOnly = false;
    std::string options; ///< of the mount and of the filesystem, with commas between
    bool hasOption(std::string_view wanted) const;
};

/// In the order of the file, later ones on top of earlier ones; lines that are none are left out. Nothing when the file
/// cannot be read; errno says why.
std::optional<std::vector<MountLine>> readMountTable(const std::string& mountInfo = "/proc/self/mountinfo");

} // namespace kurvo
