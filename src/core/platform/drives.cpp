// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/drives.h"

#include <fcntl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <sys/syscall.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <filesystem>
#include <fstream>
#include <map>
#include <memory>
#include <optional>
#include <string_view>

#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/folders.h"
#include "core/platform/mount_table.h"

namespace kurvo {
namespace {

namespace fs = std::filesystem;

constexpr std::chrono::milliseconds answerLimit{3000};

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

/// Where desktops mount what is plugged in.
bool isForPluggedIn(const std::string& mountPoint)
{
    return isAtOrBelow(mountPoint, "/media") || isAtOrBelow(mountPoint, "/run/media");
}

DeviceKind kindOf(const std::string& filesystem, dev_t device, const std::string& mountPoint)
{
    if (contains(networkFilesystems, filesystem))
        return DeviceKind::Network;
    if (filesystem == "tmpfs")
        return DeviceKind::Memory;
    const auto node = "/sys/dev/block/" + std::to_string(major(device)) + ":" + std::to_string(minor(device));
    std::error_code ignored;
    const auto real = fs::canonical(node, ignored).string();
    if (real.find("/usb") != std::string::npos || isForPluggedIn(mountPoint))
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

const char* foldedAwayName(FoldedAway reason)
{
    switch (reason) {
    case FoldedAway::SameFilesystem:
        return "same filesystem";
    case FoldedAway::Pseudo:
        return "pseudo";
    case FoldedAway::Memory:
        return "memory";
    case FoldedAway::NoAnswer:
        return "no answer";
    case FoldedAway::No:
        break;
    }
    return "";
}

bool mayHang(const std::string& filesystem)
{
    return contains(networkFilesystems, filesystem) || filesystem.starts_with("fuse");
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

struct MountAnswer {
    bool folder = false; ///< reachable for this user, and not a single file mounted over another
    dev_t device = 0;
    Capacity capacity;
};

MountAnswer askMount(const std::string& mountPoint)
{
    struct stat s;
    MountAnswer answer;
    if (::stat(mountPoint.c_str(), &s) != 0 || !S_ISDIR(s.st_mode))
        return answer;
    answer.device = s.st_dev;
    if (const auto capacity = readCapacity(mountPoint)) {
        answer.folder = true;
        answer.capacity = *capacity;
    }
    return answer;
}

/// All mounts, or with `only` just the one at that place: the others are then not asked for anything.
Result<std::vector<Drive>> collectMounts(const std::string& mountInfo, const std::string& only)
{
    const auto table = readMountTable(mountInfo);
    if (!table)
        return systemError("read the list of mounts", mountInfo, errno != 0 ? errno : ENOENT);
    const auto labels = labelsByDevice();
    std::vector<Drive> drives;
    std::map<dev_t, std::size_t> byDevice; // into drives: the one that is shown
    std::map<std::string, std::size_t> byPlace;
    for (const auto& mount : *table) {
        Drive drive;
        drive.filesystem = mount.type;
        drive.mountPoint = mount.target;
        if (!only.empty() && drive.mountPoint != only)
            continue;
        drive.source = mount.source;
        drive.mountId = mount.id;
        drive.readOnly = mount.readOnly;
        drive.kind = contains(networkFilesystems, drive.filesystem) ? DeviceKind::Network : DeviceKind::Internal;
        drive.name = drive.mountPoint == "/" ? "System drive" : std::string(fileName(drive.mountPoint));
        // Only what can hang is asked on a thread of its own: the many mounts of a container would cost one each.
        const auto answer = mayHang(drive.filesystem)
                                ? askWithin(answerLimit, [place = drive.mountPoint] { return askMount(place); })
                                : std::optional(askMount(drive.mountPoint));
        if (!answer) {
            drive.folded = FoldedAway::NoAnswer;
            drives.push_back(std::move(drive));
            continue;
        }
        if (!answer->folder)
            continue;
        drive.capacity = answer->capacity;
        // The root is a drive even where it is an overlay (live systems, containers): it is what people fill.
        if ((isPseudoFilesystem(drive.filesystem) && drive.mountPoint != "/") || drive.capacity.total == 0)
            drive.folded = FoldedAway::Pseudo;
        // Nothing in a read-only one was put there by anyone, and nothing can be cleared.
        else if (drive.filesystem == "tmpfs" && (isSystemMemory(drive.mountPoint) || drive.readOnly))
            drive.folded = FoldedAway::Memory;
        if (drive.folded == FoldedAway::No) {
            drive.kind = kindOf(drive.filesystem, answer->device, drive.mountPoint);
            drive.name = nameOf(drive, labels);
        }
        // A later mount at the same place covers the earlier one.
        if (const auto covered = byPlace.find(drive.mountPoint); covered != byPlace.end())
            drives[covered->second].folded = FoldedAway::SameFilesystem;
        byPlace[drive.mountPoint] = drives.size();
        if (drive.folded == FoldedAway::No) {
            const auto [known, isNew] = byDevice.try_emplace(answer->device, drives.size());
            if (!isNew && drive.mountPoint.size() < drives[known->second].mountPoint.size()) {
                drives[known->second].folded = FoldedAway::SameFilesystem;
                known->second = drives.size();
            } else if (!isNew && known->second != drives.size()) {
                drive.folded = FoldedAway::SameFilesystem;
            }
        }
        drives.push_back(std::move(drive));
    }
    // In a chroot or a container the root may be no mount of its own; it is what people fill all the same.
    struct stat root;
    if ((only.empty() || only == "/") && ::stat("/", &root) == 0 && !byDevice.contains(root.st_dev))
        if (const auto capacity = readCapacity("/")) {
            Drive drive;
            drive.mountPoint = "/";
            drive.name = "System drive";
            drive.capacity = *capacity;
            drive.kind = kindOf({}, root.st_dev, "/");
            drives.push_back(std::move(drive));
        }
    std::stable_sort(drives.begin(), drives.end(),
                     [](const Drive& a, const Drive& b) { return a.mountPoint < b.mountPoint; });
    return drives;
}

/// What btrfs says of itself in /sys/fs/btrfs/UUID; the UUID is found by the device.
std::optional<std::uint64_t> btrfsStructures(const std::string& source)
{
    std::error_code ignored;
    const auto device = fs::canonical(source, ignored).filename();
    for (const auto& entry : fs::directory_iterator("/sys/fs/btrfs", ignored)) {
        if (!fs::exists(entry.path() / "devices" / device, ignored))
            continue;
        std::uint64_t sum = 0;
        for (const char* file : {"metadata/disk_used", "system/disk_used", "global_rsv_reserved"}) {
            std::ifstream in(entry.path() / "allocation" / file);
            std::uint64_t bytes = 0;
            if (!(in >> bytes))
                return std::nullopt;
            sum += bytes;
        }
        return sum;
    }
    return std::nullopt;
}

} // namespace

Result<std::vector<Drive>> readAllMounts(const std::string& mountInfo)
{
    return collectMounts(mountInfo, {});
}

Result<std::vector<Drive>> readDrives(const std::string& mountInfo)
{
    auto mounts = collectMounts(mountInfo, {});
    if (mounts)
        std::erase_if(*mounts, [](const Drive& drive) { return drive.folded != FoldedAway::No; });
    return mounts;
}

Result<Drive> readDrive(const std::string& mountPoint)
{
    auto found = collectMounts("/proc/self/mountinfo", mountPoint);
    if (!found)
        return found.error();
    if (found->empty())
        return systemError("find the drive at", mountPoint, ENOENT);
    return found->back(); // the last one mounted there is on top
}

Result<FilesystemFacts> readFilesystemFacts(const std::string& mountPoint)
{
    FilesystemFacts facts;
    auto capacity = readCapacity(mountPoint);
    if (!capacity)
        return capacity.error();
    facts.capacity = *capacity;
    struct statvfs s;
    if (::statvfs(mountPoint.c_str(), &s) == 0 && s.f_files > s.f_ffree)
        facts.inodesUsed = s.f_files - s.f_ffree;
    std::string source;
    for (const auto& mount : readMountTable().value_or(std::vector<MountLine>()))
        if (mount.target == mountPoint) {
            facts.type = mount.type;
            facts.shownPart = mount.root;
            source = mount.source;
        }
    if (facts.type == "btrfs") {
        if (const auto structures = btrfsStructures(source)) {
            facts.structures = *structures;
            facts.structuresEvidence = "metadata, system chunks and their reserve, from /sys/fs/btrfs";
        }
    } else if (facts.type == "ext4" || facts.type == "ext3" || facts.type == "ext2") {
        // Inodes 1 to 10 are the filesystem's own (ext4 documentation, "Special inodes"); the root folder is one.
        facts.namelessInodes = 9;
        facts.structuresEvidence = "inode tables and journal do not count as used on " + facts.type;
    }
    return facts;
}

Result<std::vector<MountBelow>> mountsBelow(const std::string& mountPoint)
{
    const auto table = readMountTable();
    if (!table)
        return systemError("read the list of mounts", "/proc/self/mountinfo", errno != 0 ? errno : ENOENT);
    std::vector<MountBelow> below;
    for (const auto& mount : *table) {
        MountBelow found{mount.target, mount.type};
        if (found.path != mountPoint && isAtOrBelow(found.path, mountPoint))
            below.push_back(std::move(found));
    }
    return below;
}

Result<UniqueFd> openWithoutMountsOnTop(const std::string& mountPoint)
{
    UniqueFd view(static_cast<int>(
        ::syscall(SYS_open_tree, AT_FDCWD, mountPoint.c_str(), OPEN_TREE_CLONE | OPEN_TREE_CLOEXEC | AT_NO_AUTOMOUNT)));
    if (!view)
        return systemError("look below what is mounted on", mountPoint, errno);
    return view;
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
