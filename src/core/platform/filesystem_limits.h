// SPDX-License-Identifier: GPL-3.0-or-later
// What a filesystem cannot hold, as far as it is known beforehand.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>

#include "core/platform/entry_stat.h"

namespace kurvo {

struct FilesystemLimits {
    std::string kind;                ///< "FAT", "exFAT"; empty for one that holds whatever Linux has
    std::uint64_t largestFile = 0;   ///< bytes; 0 for no bound worth asking for
    std::uint64_t longestName = 255; ///< bytes, or UTF-16 units where `utf16`
    bool utf16 = false;
    bool plainOnly = false;     ///< nothing but files and folders
    bool inodesChange = false;  ///< an entry has another inode number after each mount

    /// Why it cannot hold an entry, as a sentence; empty where it can.
    std::string refusal(std::string_view name, EntryKind kind, std::uint64_t size) const;
};

/// Of the filesystem that holds `path` (statfs(2)). One without limits where it cannot be asked.
FilesystemLimits filesystemLimits(const std::string& path);

} // namespace kurvo
