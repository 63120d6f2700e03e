// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/direct_access.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <ctime>
#include <fstream>

#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/mount_table.h"

namespace kurvo {
namespace {

Error refusal(const std::string& reason)
{
    return {ErrorKind::Unsupported, {}, 0, reason};
}

bool isExt(const std::string& type)
{
    return type == "ext4" || type == "ext3" || type == "ext2";
}

std::string sysFolder(std::uint64_t device)
{
    return "/sys/dev/block/" + std::to_string(device >> 32) + ":" + std::to_string(device & 0xFFFFFFFF);
}

bool isRotational(std::uint64_t device)
{
    for (const auto* file : {"/queue/rotational", "/../queue/rotational"}) {
        std::ifstream in(sysFolder(device) + file);
        if (char digit = '0'; in >> digit)
            return digit == '1';
    }
    return false;
}

/// The kernel's own name of a block device ("sda2"); empty where that is not told.
std::string deviceName(std::uint64_t device)
{
    std::ifstream about(sysFolder(device) + "/uevent");
    for (std::string line; std::getline(about, line);)
        if (line.starts_with("DEVNAME=") && line.find("..") == std::string::npos)
            return line.substr(8);
    return {};
}

/// The driver for ext2 alone keeps its folders elsewhere, and writes inodes later; most kernels have the one of ext4
/// for all three.
bool isServedByExt4(const std::string& type, std::uint64_t device)
{
    auto name = deviceName(device);
    std::replace(name.begin(), name.end(), '/', '!');
    return type != "ext2" || (!name.empty() && ::access(("/sys/fs/ext4/" + name).c_str(), F_OK) == 0);
}

UniqueFd openIfIs(const std::string& path, std::uint64_t device)
{
    UniqueFd fd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY));
    struct stat s { };
    if (!fd || ::fstat(fd.get(), &s) != 0)
        return {};
    if (!S_ISBLK(s.st_mode) || (std::uint64_t{major(s.st_rdev)} << 32 | minor(s.st_rdev)) != device) {
        errno = ENODEV;
        return {};
    }
    return fd;
}

} // namespace

Result<UniqueFd> openBlockDevice(std::uint64_t device)
{
    // The kernel's own name for it, below /dev; another name there may be all that a container has.
    int error = ENOENT;
    if (const auto name = deviceName(device); !name.empty()) {
        if (auto fd = openIfIs("/dev/" + name, device))
            return fd;
        error = errno;
    }
    if (auto fd =
            openIfIs("/dev/block/" + std::to_string(device >> 32) + ":" + std::to_string(device & 0xFFFFFFFF), device))
        return fd;
    return systemError("open", "/dev/block/" + std::to_string(device >> 32) + ":" + std::to_string(device & 0xFFFFFFFF),
                       error);
}

OpenDevices OpenDevices::open()
{
    OpenDevices all;
    for (const auto& mount : readMountTable().value_or(std::vector<MountLine>()))
        if (isExt(mount.type) && !all.devices_.contains(mount.device))
            if (auto fd = openBlockDevice(mount.device))
                all.devices_.emplace(mount.device, std::move(*fd));
    return all;
}

UniqueFd OpenDevices::device(std::uint64_t device) const
{
    const auto found = devices_.find(device);
    return UniqueFd(found == devices_.end() ? -1 : ::fcntl(found->second.get(), F_DUPFD_CLOEXEC, 0));
}

Result<std::shared_ptr<const Ext4Drive>> openTables(std::uint64_t device, const OpenDevices* devices)
{
    UniqueFd fd;
    if (devices) {
        fd = devices->device(device);
    } else if (::geteuid() == 0) {
        auto opened = openBlockDevice(device);
        if (!opened)
            return opened.error();
        fd = std::move(*opened);
    }
    if (!fd)
        return refusal("Its device cannot be opened; that takes administrator rights.");
    return Ext4Drive::open(std::move(fd));
}

std::shared_ptr<const Ext4Drive> seekingDrive(const std::string& path, const EntryStat& root,
                                              const OpenDevices* devices)
{
    if (!isRotational(root.device) || !mayReadTables(path))
        return nullptr;
    auto tables = openTables(root.device, devices);
    return tables ? *tables : nullptr;
}

bool mayReadTables(const std::string& path)
{
    const auto mounts = readMountTable().value_or(std::vector<MountLine>());
    const auto top = std::find_if(mounts.rbegin(), mounts.rend(), [&](const MountLine& m) { return m.target == path; });
    return top != mounts.rend() && isExt(top->type);
}

Result<DirectAccess> accessDirectly(int folder, const std::string& path, const EntryStat& root,
                                    const OpenDevices* devices, std::chrono::milliseconds patience)
{
    if (!devices && ::geteuid() != 0)
        return refusal("Reading a drive's own tables takes administrator rights.");
    const auto mounts = readMountTable().value_or(std::vector<MountLine>());
    const auto own =
        std::find_if(mounts.rbegin(), mounts.rend(), [&](const MountLine& m) { return m.id == root.mountId; });
    if (root.mountId == 0 || own == mounts.rend())
        return refusal("Its mount is not known.");
    if (own->target != path)
        return refusal("It is not the root of a mounted drive.");
    if (!isExt(own->type) || own->device != root.device)
        return refusal("Its filesystem (" + displayText(own->type) + ") has no tables that Kurvo reads.");
    if (!isServedByExt4(own->type, root.device))
        return refusal("The kernel's driver for ext2 keeps its folders where they cannot be read.");
    for (const auto* option : {"nouid32", "idmapped", "lazytime"})
        if (own->hasOption(option))
            return refusal(std::string("It is mounted with ") + option + ".");
    DirectAccess access;
    access.device = root.device;
    access.wholeDrive = own->root == "/";
    access.rotational = isRotational(root.device);
    auto tables = openTables(root.device, devices);
    if (!tables)
        return tables.error();
    access.drive = std::move(*tables);
    for (const auto& mount : mounts) {
        if (mount.target == path || !isAtOrBelow(mount.target, path))
            continue;
        // What lies in a further mount is none of this one's, and might not even answer.
        const std::string above(parentPath(mount.target));
        if (std::any_of(mounts.begin(), mounts.end(), [&](const MountLine& other) {
                return other.target != path && isAtOrBelow(other.target, path) && isAtOrBelow(above, other.target);
            }))
            continue;
        EntryStat stat;
        if (statEntry(AT_FDCWD, above.c_str(), stat) == 0 && stat.device == root.device)
            access.askKernel.insert(stat.inode);
    }
    // The clock that the filesystem stamps changes with; then all that was written until now goes to the tables. A call
    // stamps what it changes first: one that is at work just now may have done so a moment ago.
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME_COARSE, &now);
    constexpr long moment = 200000000, second = 1000000000;
    access.since = now.tv_nsec >= moment
                       ? Moment{now.tv_sec, static_cast<std::uint32_t>(now.tv_nsec - moment)}
                       : Moment{now.tv_sec - 1, static_cast<std::uint32_t>(now.tv_nsec + second - moment)};
    constexpr std::chrono::milliseconds longestSync{5000}; // a walk takes as long as that
    const auto synced = own->readOnly
                            ? std::optional(true)
                            : askWithin(std::min(patience, longestSync),
                                        [copy = std::make_shared<UniqueFd>(::fcntl(folder, F_DUPFD_CLOEXEC, 0))] {
                                            return ::syncfs(copy->get()) == 0;
                                        });
    if (!synced || !*synced)
        return refusal("What it holds back could not be written out.");
    return access;
}

} // namespace kurvo
