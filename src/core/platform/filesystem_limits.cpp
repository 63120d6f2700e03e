// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/filesystem_limits.h"

#include <linux/magic.h>
#include <sys/vfs.h>

#include <algorithm>

#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr std::uint64_t exfatMagic = 0x2011BAB0; // as linux/magic.h of newer kernels has it

/// UTF-16 code units of a name in UTF-8.
std::uint64_t utf16Length(std::string_view name)
{
    std::uint64_t units = 0;
    while (!name.empty()) {
        const auto length = std::max<std::size_t>(1, utf8SequenceLength(name));
        units += length == 4 ? 2 : 1;
        name.remove_prefix(length);
    }
    return units;
}

} // namespace

std::string FilesystemLimits::refusal(std::string_view name, EntryKind entry, std::uint64_t size) const
{
    if ((utf16 ? utf16Length(name) : name.size()) > longestName)
        return "The name " + displayText(name) + " is longer than the destination allows.";
    if (!plainOnly)
        return {};
    if (largestFile > 0 && entry == EntryKind::File && size > largestFile)
        return displayText(name) + " is over 4 GiB, which the destination (" + kind + ") cannot hold.";
    if (entry != EntryKind::File && entry != EntryKind::Folder)
        return displayText(name) + " is not an ordinary file, and the destination (" + kind + ") can hold nothing else.";
    if (name.find_first_of("\\:*?\"<>|") != name.npos || name.ends_with(' ') || name.ends_with('.') ||
        std::any_of(name.begin(), name.end(), [](char c) { return c > 0 && c < 32; }))
        return "The destination (" + kind + ") does not allow names such as " + displayText(name) + ".";
    return {};
}

FilesystemLimits filesystemLimits(const std::string& path)
{
    FilesystemLimits limits;
    struct statfs s { };
    if (::statfs(path.c_str(), &s) != 0)
        return limits;
    const auto magic = static_cast<std::uint64_t>(s.f_type);
    if (magic == MSDOS_SUPER_MAGIC || magic == exfatMagic) {
        limits.kind = magic == MSDOS_SUPER_MAGIC ? "FAT" : "exFAT";
        limits.largestFile = magic == MSDOS_SUPER_MAGIC ? 0xFFFFFFFFull : 0;
        limits.utf16 = limits.plainOnly = limits.inodesChange = true;
    } else if (s.f_namelen > 0) {
        limits.longestName = static_cast<std::uint64_t>(s.f_namelen);
    }
    return limits;
}

} // namespace kurvo
