// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/filesystem_identity.h"

#include <fcntl.h>
#include <linux/btrfs.h>
#include <linux/magic.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <system_error>

#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

/// FS_IOC_GETFSUUID of linux/fs.h, Linux 6.9 and later.
struct FsUuid {
    std::uint8_t length;
    std::uint8_t bytes[16];
};
constexpr unsigned long getFsUuid = _IOR(0x15, 0, FsUuid);

std::string uuidText(const std::uint8_t (&bytes)[16])
{
    std::string text;
    for (std::size_t i = 0; i < sizeof bytes; ++i) {
        text += "0123456789abcdef"[bytes[i] >> 4];
        text += "0123456789abcdef"[bytes[i] & 15];
        if (i == 3 || i == 5 || i == 7 || i == 9)
            text += '-';
    }
    return text;
}

std::string fromKernel(int fd)
{
    FsUuid uuid{};
    if (::ioctl(fd, getFsUuid, &uuid) == 0 && uuid.length == sizeof uuid.bytes)
        return uuidText(uuid.bytes);
    // Its files have device numbers that belong to no device.
    btrfs_ioctl_fs_info_args btrfs{};
    if (::ioctl(fd, BTRFS_IOC_FS_INFO, &btrfs) == 0)
        return uuidText(btrfs.fsid);
    return {};
}

std::string fromDevices(dev_t device)
{
    std::error_code error;
    for (const auto& link : std::filesystem::directory_iterator("/dev/disk/by-uuid", error)) {
        struct stat s { };
        if (::stat(link.path().c_str(), &s) == 0 && S_ISBLK(s.st_mode) && s.st_rdev == device)
            return link.path().filename().string();
    }
    return {};
}

} // namespace

namespace {

bool isInMemory(const struct statfs& about)
{
    return about.f_type == TMPFS_MAGIC || about.f_type == RAMFS_MAGIC;
}

std::string uuidOf(int fd)
{
    struct stat s { };
    struct statfs about { };
    if (fd < 0 || ::fstat(fd, &s) != 0 || ::fstatfs(fd, &about) != 0)
        return {};
    // In memory: made anew with each mount, and so is its UUID.
    if (isInMemory(about))
        return {};
    auto uuid = fromKernel(fd);
    if (uuid.empty())
        uuid = fromDevices(s.st_dev);
    std::transform(uuid.begin(), uuid.end(), uuid.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c; });
    // Some images are made with none at all.
    return uuid.find_first_not_of("0-") == std::string::npos ? std::string() : uuid;
}

} // namespace

std::string filesystemUuid(const std::string& path)
{
    return uuidOf(UniqueFd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK)).get());
}

std::string driveIdentity(int fd)
{
    if (auto uuid = uuidOf(fd); !uuid.empty())
        return uuid;
    struct statfs about { };
    if (::fstatfs(fd, &about) != 0)
        return {};
    std::uint64_t id = 0;
    static_assert(sizeof about.f_fsid >= sizeof id);
    std::memcpy(&id, &about.f_fsid, sizeof id);
    if (id == 0)
        return {};
    char text[64];
    std::snprintf(text, sizeof text, "%s%llx-%llx", isInMemory(about) ? memoryDrive : "",
                  static_cast<unsigned long long>(about.f_type), static_cast<unsigned long long>(id));
    return text;
}

} // namespace kurvo
