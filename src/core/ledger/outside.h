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
    std::string kind;  ///< "reserved", "unpartitioned", "smaller", "group", "pool", "swap", "snapshots": for scripts
    std::string title; ///< "Reserved for the system"
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

/// Where the system's parts are looked for; others are for tests.
struct OutsidePlaces {
    std::string sys = "/sys", proc = "/proc";
    std::string lvs; ///< the program that lists logical volumes; empty: the system's
};

/// Asks the system; some milliseconds, and a tenth of a second where the drive lies on a logical volume (lvs(8), which
/// answers root only).
std::vector<OutsideLine> readOutside(const Drive& drive, const OutsidePlaces& places = {});

} // namespace kurvo
