// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/file_facts.h"

#include <fcntl.h>
#include <grp.h>
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <climits>
#include <cstddef>
#include <vector>

#include "core/platform/folders.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

std::string groupName(std::uint32_t gid)
{
    std::vector<char> buffer(65536);
    group entry{}, *found = nullptr;
    if (getgrgid_r(gid, &entry, buffer.data(), buffer.size(), &found) == 0 && found)
        return found->gr_name;
    return std::to_string(gid);
}

/// Only the first extents: enough to say that there are such.
void readExtents(int fd, FileFacts& facts)
{
    constexpr std::uint32_t most = 256;
    alignas(fiemap) std::array<std::byte, sizeof(fiemap) + most * sizeof(fiemap_extent)> memory{};
    auto* map = reinterpret_cast<fiemap*>(memory.data());
    map->fm_length = FIEMAP_MAX_OFFSET;
    map->fm_extent_count = most;
    if (ioctl(fd, FS_IOC_FIEMAP, map) != 0)
        return;
    const auto* extents = reinterpret_cast<const fiemap_extent*>(memory.data() + offsetof(fiemap, fm_extents));
    for (std::uint32_t i = 0; i < map->fm_mapped_extents; ++i) {
        facts.compressed |= (extents[i].fe_flags & FIEMAP_EXTENT_ENCODED) != 0;
        facts.preallocated |= (extents[i].fe_flags & FIEMAP_EXTENT_UNWRITTEN) != 0;
        facts.shared |= (extents[i].fe_flags & FIEMAP_EXTENT_SHARED) != 0;
    }
}

UniqueFd openRegular(const std::string& path, int& error)
{
    UniqueFd fd(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY));
    struct stat s { };
    error = !fd ? errno : ::fstat(fd.get(), &s) != 0 ? errno : S_ISREG(s.st_mode) ? 0 : EINVAL;
    return fd;
}

} // namespace

Result<FileFacts> readFileFacts(const std::string& path)
{
    FileFacts facts;
    if (const int error = statEntry(AT_FDCWD, path.c_str(), facts.stat, StatSync::Fresh); error != 0)
        return systemError("look at", path, error);
    facts.owner = userName(facts.stat.uid);
    facts.group = groupName(facts.stat.gid);
    if (facts.stat.kind == EntryKind::SymbolicLink) {
        std::array<char, PATH_MAX> target{};
        if (const auto length = ::readlink(path.c_str(), target.data(), target.size()); length > 0)
            facts.linkTarget.assign(target.data(), static_cast<std::size_t>(length));
        EntryStat behind;
        facts.linkBroken = statFollowed(AT_FDCWD, path.c_str(), behind) != 0;
    }
    if (facts.stat.kind == EntryKind::File) {
        int error = 0;
        if (const auto fd = openRegular(path, error); fd && error == 0)
            readExtents(fd.get(), facts);
    }
    return facts;
}

Result<std::string> readBeginning(const std::string& path, std::size_t most)
{
    int error = 0;
    const auto fd = openRegular(path, error);
    if (error != 0)
        return systemError("read", path, error);
    std::string bytes(most, '\0');
    const auto got = ::read(fd.get(), bytes.data(), bytes.size());
    if (got < 0)
        return systemError("read", path, errno);
    bytes.resize(static_cast<std::size_t>(got));
    return bytes;
}

std::optional<std::int64_t> lastOpened(const std::string& path)
{
    struct statx s { };
    if (::statx(AT_FDCWD, path.c_str(), AT_SYMLINK_NOFOLLOW | AT_NO_AUTOMOUNT, STATX_ATIME, &s) != 0 ||
        (s.stx_mask & STATX_ATIME) == 0)
        return std::nullopt;
    return s.stx_atime.tv_sec;
}

} // namespace kurvo
