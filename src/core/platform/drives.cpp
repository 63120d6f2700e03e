// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/drives.h"

#include <fcntl.h>
#include <libmount/libmount.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/sysmacros.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <filesystem>
#include <fstream>
#include <map>
#include <memory>
#include <string_view>

#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/folders.h"

namespace kurvo {
namespace {

namespace fs = std::filesystem;

constexpr std::array networkFilesystems{
    std::string_view("nfs"),   std::string_view("nfs4"),  std::string_view("cifs"),       std::string_view("smb3"),
    std::string_view("afs"),   std::string_view("ceph"),  std::string_view("9p"),         std::string_view("glusterfs"),
    std::string_view("davfs"), std::string_view("ncpfs"), std::string_view("fuse.sshfs"), std::string_view("lustre"),
};

constexpr std::array pseudoFilesystems{
    std::string_view("proc"),
    std::string_view("sysfs"),
    std::string_view("devtmpfs"),
    std::string_view("devpts"),
    std::string_view("cgroup"),
    std::string_view("cgroup2"),
    std::string_view("securityfs"),
    std::string_view("pstore"),
    std::string_view("bpf"),
    std::string_view("tracefs"),
    std::string_view("debugfs"),
    std::string_view("configfs"),
    std::string_view("mqueue"),
    std::string_view("hugetlbfs"),
    std::string_view("fusectl"),
    std::string_view("autofs"),
    std::string_view("binfmt_misc"),
    std::string_view("efivarfs"),
    std::string_view("rpc_pipefs"),
    std::string_view("nsfs"),
    std::string_view("selinuxfs"),
    std::string_view("ramfs"),
    std::string_view("overlay"),
    std::string_view("fuse.portal"),
    std::string_view("fuse.gvfsd-fuse"),
};

template <std::size_t N>
bool contains(const std::array<std::string_view, N>& list, std::string_view word)
{
    return std::find(list.begin(), list.end(), word) != list.end();
}

std::string fromC(const char* text)
{
    return text ? text : "";
}

/// /dev/disk/by-label holds a link per labelled filesystem; udev escapes odd bytes as \xNN.
std::map<std::string, std::string> labelsByDevice()
{
    std::map<std::string, std::string> labels;
    std::error_code ignored;
    for (const auto& entry : fs::directory_iterator("/dev/disk/by-label", ignored)) {
        auto text = entry.path().filename().string();
        for (std::size_t at = 0; (at = text.find("\\x", at)) != std::string::npos; ++at)
            if (at + 4 <= text.size())
                text.replace(at, 4, percentDecoded("%" + text.substr(at + 2, 2)));
        const auto device = fs::canonical(entry.path(), ignored);
        if (!ignored)
            labels[device.string()] = text;
    }
    return labels;
}

DeviceKind kindOf(const std::string& filesystem, dev_t device)
{
    if (contains(networkFilesystems, filesystem))
        return DeviceKind::Network;
    if (filesystem == "tmpfs")
        return DeviceKind::Memory;
    const auto node = "/sys/dev/block/" + std::to_string(major(device)) + ":" + std::to_string(minor(device));
    std::error_code ignored;
    const auto real = fs::canonical(node, ignored).string();
    if (real.find("/usb") != std::string::npos)
        return DeviceKind::Removable;
    for (const auto* file : {"/removable", "/../removable"}) {
        std::ifstream in(node + file);
        char digit = '0';
        if (in >> digit && digit == '1')
            return DeviceKind::Removable;
    }
    return DeviceKind::Internal;
}

/// Memory filesystems of the system itself hold no files that anyone looks for.
bool isSystemMemory(const std::string& mountPoint)
{
    if (isAtOrBelow(mountPoint, "/run/media"))
        return false;
    return isAtOrBelow(mountPoint, "/run") || isAtOrBelow(mountPoint, "/dev") || isAtOrBelow(mountPoint, "/sys");
}

std::string nameOf(const Drive& drive, const std::map<std::string, std::string>& labels)
{
    std::error_code ignored;
    const auto device = fs::canonical(drive.source, ignored).string();
    if (const auto label = labels.find(device); !ignored && label != labels.end())
        return label->second;
    if (drive.mountPoint == "/")
        return "System drive";
    return std::string(fileName(drive.mountPoint));
}

} // namespace

const char* deviceKindName(DeviceKind kind)
{
    switch (kind) {
    case DeviceKind::Removable:
        return "removable";
    case DeviceKind::Network:
        return "network";
    case DeviceKind::Memory:
        return "memory";
    case DeviceKind::Internal:
        break;
    }
    return "internal";
}

bool isPseudoFilesystem(const std::string& filesystem)
{
    return contains(pseudoFilesystems, filesystem);
}

Result<Capacity> readCapacity(const std::string& path)
{
    struct statvfs s;
    if (::statvfs(path.c_str(), &s) != 0)
        return systemError("read the capacity of", path, errno);
    Capacity c;
    const std::uint64_t unit = s.f_frsize != 0 ? s.f_frsize : s.f_bsize;
    c.total = s.f_blocks * unit;
    c.free = s.f_bavail * unit;
    c.reserved = s.f_bfree > s.f_bavail ? (s.f_bfree - s.f_bavail) * unit : 0;
    c.used = s.f_blocks > s.f_bfree ? (s.f_blocks - s.f_bfree) * unit : 0;
    return c;
}

namespace {

/// All drives, or with `only` just the one mounted there: the others are then not asked for anything.
Result<std::vector<Drive>> collectDrives(const std::string& mountInfo, const std::string& only)
{
    const std::unique_ptr<libmnt_table, decltype(&mnt_unref_table)> table(mnt_new_table_from_file(mountInfo.c_str()),
                                                                          &mnt_unref_table);
    if (!table)
        return systemError("read the list of mounts", mountInfo, errno != 0 ? errno : ENOENT);
    const std::unique_ptr<libmnt_iter, decltype(&mnt_free_iter)> iterator(mnt_new_iter(MNT_ITER_FORWARD),
                                                                          &mnt_free_iter);

    const auto labels = labelsByDevice();
    std::map<dev_t, Drive> byDevice;
    libmnt_fs* mount = nullptr;
    while (mnt_table_next_fs(table.get(), iterator.get(), &mount) == 0) {
        Drive drive;
        drive.filesystem = fromC(mnt_fs_get_fstype(mount));
        drive.mountPoint = fromC(mnt_fs_get_target(mount));
        if (!only.empty() && drive.mountPoint != only)
            continue;
        drive.source = fromC(mnt_fs_get_source(mount));
        drive.mountId = static_cast<std::uint64_t>(std::max(0, mnt_fs_get_id(mount)));
        // The root is a drive even where it is an overlay (live systems, containers): it is what people fill.
        if (isPseudoFilesystem(drive.filesystem) && drive.mountPoint != "/")
            continue;
        if (drive.filesystem == "tmpfs" && isSystemMemory(drive.mountPoint))
            continue;
        struct stat s;
        if (::stat(drive.mountPoint.c_str(), &s) != 0 || !S_ISDIR(s.st_mode))
            continue; // not reachable for this user, or a single file mounted over another
        const auto capacity = readCapacity(drive.mountPoint);
        if (!capacity || capacity->total == 0)
            continue;
        drive.capacity = *capacity;
        const auto* options = mnt_fs_get_vfs_options(mount);
        drive.readOnly = options && mnt_optstr_get_option(options, "ro", nullptr, nullptr) == 0;
        if (drive.filesystem == "tmpfs" && drive.readOnly)
            continue; // nothing in it was put there by anyone, and nothing can be cleared
        drive.kind = kindOf(drive.filesystem, s.st_dev);
        drive.name = nameOf(drive, labels);
        const auto known = byDevice.find(s.st_dev);
        if (known == byDevice.end() || drive.mountPoint.size() < known->second.mountPoint.size())
            byDevice.insert_or_assign(s.st_dev, std::move(drive));
    }
    // In a chroot or a container the root may be no mount of its own; it is what people fill all the same.
    struct stat root;
    if ((only.empty() || only == "/") && ::stat("/", &root) == 0 && !byDevice.contains(root.st_dev))
        if (const auto capacity = readCapacity("/")) {
            Drive drive;
            drive.mountPoint = "/";
            drive.name = "System drive";
            drive.capacity = *capacity;
            drive.kind = kindOf({}, root.st_dev);
            byDevice.emplace(root.st_dev, std::move(drive));
        }
    std::vector<Drive> drives;
    for (auto& [device, drive] : byDevice)
        drives.push_back(std::move(drive));
    std::sort(drives.begin(), drives.end(), [](const Drive& a, const Drive& b) { return a.mountPoint < b.mountPoint; });
    return drives;
}

} // namespace

Result<std::vector<Drive>> readDrives(const std::string& mountInfo)
{
    return collectDrives(mountInfo, {});
}

Result<Drive> readDrive(const std::string& mountPoint)
{
    auto found = collectDrives("/proc/self/mountinfo", mountPoint);
    if (!found)
        return found.error();
    if (found->empty())
        return systemError("find the drive at", mountPoint, ENOENT);
    return found->front();
}

Result<std::string> mountPointOf(const std::string& path)
{
    auto real = canonicalPath(path);
    if (!real)
        return real.error();
    std::string at = *real;
    EntryStat here;
    if (const int error = statEntry(AT_FDCWD, at.c_str(), here, StatSync::Fresh); error != 0)
        return systemError("open", at, error);
    while (at != "/") {
        const std::string above(parentPath(at));
        EntryStat s;
        if (statEntry(AT_FDCWD, above.c_str(), s, StatSync::Fresh) != 0 || s.mountId != here.mountId ||
            (here.mountId == 0 && s.device != here.device))
            break;
        at = above;
    }
    return at;
}

} // namespace kurvo
