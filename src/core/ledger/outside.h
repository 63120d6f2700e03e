// SPDX-License-Identifier: GPL-3.0-or-later
// Space that could be the drive's and is not: parts of its disk that belong to nobody, a filesystem smaller than its
// partition, blocks reserved for the system, swap files; and what only a filesystem snapshot holds. Each with the
// command that would use it: Kurvo runs none of them.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/platform/drives.h"

namespace kurvo {

struct OutsideLine {
    std::string kind;                   ///< "reserved", "unpartitioned", "smaller", "swap", "snapshots": for scripts
    std::string title;                  ///< "Reserved for the system"
    std::optional<std::uint64_t> bytes; ///< nothing: not known
    std::string evidence;               ///< sentences
    std::string command;                ///< to copy; may be empty
};

/// A filesystem snapshot, of whatever made it.
struct FilesystemSnapshot {
    std::string path; ///< bytes
    std::string tool; ///< "btrfs", "snapper", "timeshift"
    std::optional<std::uint64_t>
        exclusive;       ///< bytes that only it holds, where the filesystem counts them (quota groups)
    std::string command; ///< that removes it
};
/// Those of the filesystem mounted there that this user may see: subvolumes that are read-only, and the folders of
/// snapper and timeshift. Bounded: the first thousand.
std::vector<FilesystemSnapshot> readFilesystemSnapshots(const std::string& mountPoint);

/// Asks the system; some milliseconds. `sys` and `proc` are for tests.
std::vector<OutsideLine> readOutside(const Drive& drive, const std::string& sys = "/sys",
                                     const std::string& proc = "/proc");

} // namespace kurvo
