// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/ledger/outside.h"

#include <dirent.h>
#include <fcntl.h>
#include <linux/btrfs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/statfs.h>
#include <unistd.h>

#include <algorithm>
#include <climits>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <map>
#include <sstream>

#include <fmt/format.h>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/tool_output.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

constexpr std::uint64_t sector = 512;
constexpr std::uint64_t worthAWord = 64 << 20;
constexpr std::size_t mostSnapshots = 1000;

std::optional<std::uint64_t> numberIn(const std::string& path)
{
    std::ifstream file(path);
    std::uint64_t value = 0;
    return file >> value ? std::optional(value) : std::nullopt;
}

std::vector<std::string> namesIn(const std::string& folder)
{
    std::vector<std::string> names;
    if (DIR* dir = ::opendir(folder.c_str())) {
        while (const auto* entry = ::readdir(dir))
            if (entry->d_name[0] != '.')
                names.emplace_back(entry->d_name);
        ::closedir(dir);
    }
    std::sort(names.begin(), names.end());
    return names;
}

/// "/dev/sda2" is a partition of "/sys/class/block/sda2/..".
struct Partition {
    std::string name, disk;
    std::uint64_t start = 0, size = 0, diskSize = 0; ///< bytes
};
std::optional<Partition> partitionOf(const std::string& source, const std::string& sys)
{
    if (!source.starts_with("/dev/") || source.find('/', 5) != std::string::npos)
        return std::nullopt;
    Partition part;
    part.name = source.substr(5);
    const auto folder = sys + "/class/block/" + part.name;
    const auto start = numberIn(folder + "/start"), size = numberIn(folder + "/size");
    char real[PATH_MAX];
    if (!start || !size || !::realpath(folder.c_str(), real))
        return std::nullopt; // a whole disk, a loop, a volume
    part.disk = std::string(fileName(parentPath(real)));
    const auto diskSize = numberIn(sys + "/class/block/" + part.disk + "/size");
    if (!diskSize)
        return std::nullopt;
    part.start = *start * sector;
    part.size = *size * sector;
    part.diskSize = *diskSize * sector;
    return part;
}

/// Stretches of the disk in no partition; the first number is where it begins.
std::vector<std::pair<std::uint64_t, std::uint64_t>> gapsOf(const Partition& part, const std::string& sys)
{
    std::map<std::uint64_t, std::uint64_t> taken; // begin, end
    char real[PATH_MAX];
    const auto disk = sys + "/class/block/" + part.disk;
    if (!::realpath(disk.c_str(), real))
        return {};
    for (const auto& name : namesIn(real)) {
        const auto folder = std::string(real) + "/" + name;
        const auto start = numberIn(folder + "/start"), size = numberIn(folder + "/size");
        // An extended partition has two sectors for the kernel, and holds others.
        if (start && size && numberIn(folder + "/partition"))
            taken[*start * sector] = (*start + *size) * sector;
    }
    std::vector<std::pair<std::uint64_t, std::uint64_t>> gaps;
    constexpr std::uint64_t table = 1 << 20; // what a partition table keeps at the beginning, and its copy at the end
    std::uint64_t at = table;
    for (const auto& [begin, end] : taken) {
        if (begin > at && begin - at >= worthAWord)
            gaps.emplace_back(at, begin - at);
        at = std::max(at, end);
    }
    if (part.diskSize > at + table && part.diskSize - table - at >= worthAWord)
        gaps.emplace_back(at, part.diskSize - table - at);
    return gaps;
}

std::string growCommand(const Drive& drive)
{
    if (drive.filesystem.starts_with("ext"))
        return "sudo resize2fs " + shellQuoted(drive.source);
    if (drive.filesystem == "xfs")
        return "sudo xfs_growfs " + shellQuoted(drive.mountPoint);
    if (drive.filesystem == "btrfs")
        return "sudo btrfs filesystem resize max " + shellQuoted(drive.mountPoint);
    return {};
}

/// How large the filesystem is, all of its own structures included; nothing where that cannot be told exactly.
std::optional<std::uint64_t> sizeOf(const Drive& drive)
{
    if (drive.filesystem.starts_with("ext")) {
        // What statfs(2) says leaves the structures out; the superblock, which only root may read, does not.
        const UniqueFd fd(::open(drive.source.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
        unsigned char block[1024];
        if (!fd || ::pread(fd.get(), block, sizeof block, 1024) != sizeof block || block[56] != 0x53 ||
            block[57] != 0xEF)
            return std::nullopt;
        const auto word = [&block](std::size_t at) {
            return std::uint64_t{block[at]} | std::uint64_t{block[at + 1]} << 8 | std::uint64_t{block[at + 2]} << 16 |
                   std::uint64_t{block[at + 3]} << 24;
        };
        const bool wide = (word(0x60) & 0x80) != 0; // INCOMPAT_64BIT
        return (word(4) | (wide ? word(0x150) << 32 : 0)) << (10 + word(24));
    }
    if (drive.filesystem == "xfs") { // Documentation/filesystems/xfs in the kernel's sources: numbers are big-endian
        const UniqueFd fd(::open(drive.source.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
        unsigned char block[16];
        if (!fd || ::pread(fd.get(), block, sizeof block, 0) != sizeof block || std::memcmp(block, "XFSB", 4) != 0)
            return std::nullopt;
        std::uint64_t size = 0, count = 0;
        for (int i = 4; i < 8; ++i)
            size = size << 8 | block[i];
        for (int i = 8; i < 16; ++i)
            count = count << 8 | block[i];
        return size * count;
    }
    if (drive.filesystem == "btrfs") {
        struct statfs about { };
        if (::statfs(drive.mountPoint.c_str(), &about) == 0)
            return about.f_blocks * static_cast<std::uint64_t>(about.f_bsize);
    }
    return std::nullopt;
}

std::uint64_t memoryFitted(const std::string& proc)
{
    std::ifstream file(proc + "/meminfo");
    for (std::string line; std::getline(file, line);)
        if (line.starts_with("MemTotal:"))
            return std::strtoull(line.c_str() + 9, nullptr, 10) * 1024;
    return 0;
}

/// What lvs(8) says of the volumes of one machine.
struct Volume {
    std::string path, name, group, pool, origin;
    std::uint64_t size = 0, groupFree = 0;
    std::optional<double> filled; ///< hundredths, of a pool
};
std::vector<Volume> readVolumes(const std::string& lvs)
{
    const auto told = toolOutput({lvs, "--noheadings", "--units", "b", "--nosuffix", "--separator", "\t", "-o",
                                  "lv_dm_path,lv_name,vg_name,pool_lv,origin,lv_size,vg_free,data_percent"},
                                 {std::chrono::seconds(5), 4 << 20});
    std::vector<Volume> volumes;
    std::istringstream lines(told ? *told : std::string());
    for (std::string line; std::getline(lines, line);) {
        line.erase(0, line.find_first_not_of(' '));
        std::vector<std::string> fields;
        std::istringstream parts(line + "\t");
        for (std::string part; std::getline(parts, part, '\t');)
            fields.push_back(part);
        if (fields.size() != 8)
            continue;
        Volume volume{fields[0], fields[1], fields[2], fields[3], fields[4], 0, 0, {}};
        volume.size = std::strtoull(fields[5].c_str(), nullptr, 10);
        volume.groupFree = std::strtoull(fields[6].c_str(), nullptr, 10);
        if (!fields[7].empty())
            volume.filled = std::strtod(fields[7].c_str(), nullptr);
        volumes.push_back(std::move(volume));
    }
    return volumes;
}

/// A drive on a logical volume: what its group and its pool have left, and the snapshots taken of it.
void addVolumes(const Drive& drive, const std::string& lvs, std::vector<OutsideLine>& lines)
{
    if (lvs.empty())
        return;
    const auto volumes = readVolumes(lvs);
    const auto own =
        std::find_if(volumes.begin(), volumes.end(), [&](const Volume& v) { return v.path == drive.source; });
    if (own == volumes.end())
        return;
    if (own->groupFree >= worthAWord)
        lines.push_back({"group", "Free in the volume group", own->groupFree,
                         fmt::format("The volume group {} has {} that belong to no volume.", displayText(own->group),
                                     formatBytes(own->groupFree)),
                         "sudo lvextend --resizefs --extents +100%FREE " + shellQuoted(drive.source)});
    for (const auto& pool : volumes) {
        if (own->pool.empty() || pool.name != own->pool || pool.group != own->group || !pool.filled)
            continue;
        const auto filled = std::clamp(*pool.filled, 0.0, 100.0);
        const auto left = static_cast<std::uint64_t>(static_cast<double>(pool.size) * (100 - filled) / 100);
        // However much the drive says is free: it cannot be filled further than its pool.
        const bool less = left < drive.capacity.free;
        lines.push_back({"pool", "Left in the thin pool", left,
                         fmt::format("The pool {} has {}, of which {:.0f} % are taken.{} What is cleared comes back to "
                                     "it only when the drive is trimmed.",
                                     displayText(pool.name), formatBytes(pool.size), filled,
                                     less ? " It has less left than this drive calls free." : ""),
                         "sudo fstrim " + shellQuoted(drive.mountPoint)});
    }
    std::string names, first;
    std::size_t count = 0;
    for (const auto& snapshot : volumes) {
        if (snapshot.origin != own->name || snapshot.group != own->group)
            continue;
        if (++count <= 3)
            names += (names.empty() ? "" : ", ") + displayText(snapshot.name);
        if (first.empty())
            first = snapshot.group + "/" + snapshot.name;
    }
    if (count > 0)
        lines.push_back({"snapshots", "Snapshots of the volume", std::nullopt,
                         fmt::format("{} of this volume: {}{}. How much only they hold is not told.",
                                     formatItems(count, "snapshot"), names, count > 3 ? ", ..." : ""),
                         "sudo lvremove " + shellQuoted(first)});
}

void addSwap(const Drive& drive, const std::string& proc, std::vector<OutsideLine>& lines)
{
    std::ifstream swaps(proc + "/swaps");
    std::string line;
    std::getline(swaps, line); // the heading
    const auto memory = memoryFitted(proc);
    struct stat root { };
    const bool known = ::stat(drive.mountPoint.c_str(), &root) == 0;
    while (std::getline(swaps, line)) {
        std::istringstream words(line);
        std::string path, type;
        std::uint64_t size = 0, used = 0;
        if (!(words >> path >> type >> size >> used) || type != "file")
            continue;
        struct stat s { };
        if (!known || ::stat(path.c_str(), &s) != 0 || s.st_dev != root.st_dev)
            continue;
        lines.push_back(
            {"swap", "Swap file", size * 1024,
             fmt::format("{} holds {} of swap space, {} of it in use now; {} of memory are fitted. What "
                         "hibernation needs is about as much as the memory.",
                         displayText(path), formatBytes(size * 1024), formatBytes(used * 1024), formatBytes(memory)),
             "sudo swapoff " + shellQuoted(path)});
    }
}

} // namespace

std::vector<FilesystemSnapshot> readFilesystemSnapshots(const std::string& mountPoint)
{
    std::vector<FilesystemSnapshot> found;
    const auto at = [&](const char* path) { return joinPath(mountPoint, path); };
    for (const auto& number : namesIn(at(".snapshots"))) {
        const auto path = at(".snapshots") + "/" + number;
        if (found.size() < mostSnapshots && ::access((path + "/snapshot").c_str(), F_OK) == 0)
            found.push_back({path + "/snapshot", "snapper", std::nullopt,
                             "sudo snapper " + (mountPoint == "/home" ? std::string("-c home ") : std::string()) +
                                 "delete " + shellQuoted(number)});
    }
    for (const auto* folder : {"timeshift/snapshots", "timeshift-btrfs/snapshots"})
        for (const auto& name : namesIn(at(folder)))
            if (found.size() < mostSnapshots)
                found.push_back({at(folder) + "/" + name, "timeshift", std::nullopt,
                                 "sudo timeshift --delete --snapshot " + shellQuoted(name)});
    // The subvolumes of a btrfs below this one (the ioctls that need no rights, Linux 4.18). One of them answers
    // with 1.
    const UniqueFd top(::open(mountPoint.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    btrfs_ioctl_get_subvol_info_args own{};
    if (!top || ::ioctl(top.get(), BTRFS_IOC_GET_SUBVOL_INFO, &own) < 0)
        return found;
    btrfs_ioctl_fs_info_args about{};
    std::string groups;
    if (::ioctl(top.get(), BTRFS_IOC_FS_INFO, &about) >= 0) {
        for (int i = 0; i < 16; ++i)
            groups += fmt::format("{:02x}{}", about.fsid[i], i == 3 || i == 5 || i == 7 || i == 9 ? "-" : "");
        groups = "/sys/fs/btrfs/" + groups + "/qgroups/";
    }
    btrfs_ioctl_get_subvol_rootref_args refs{};
    if (::ioctl(top.get(), BTRFS_IOC_GET_SUBVOL_ROOTREF, &refs) < 0 && errno != EOVERFLOW)
        return found;
    for (unsigned i = 0; i < refs.num_items && found.size() < mostSnapshots; ++i) {
        btrfs_ioctl_ino_lookup_user_args name{};
        name.treeid = refs.rootref[i].treeid;
        name.dirid = refs.rootref[i].dirid;
        if (::ioctl(top.get(), BTRFS_IOC_INO_LOOKUP_USER, &name) < 0)
            continue;
        const auto path = joinPath(mountPoint, std::string(name.path) + name.name);
        const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW));
        btrfs_ioctl_get_subvol_info_args info{};
        constexpr std::uint64_t readOnly = 1;
        if (!fd || ::ioctl(fd.get(), BTRFS_IOC_GET_SUBVOL_INFO, &info) < 0 || (info.flags & readOnly) == 0)
            continue;
        const bool known = std::any_of(found.begin(), found.end(), [&](const auto& one) {
            return isAtOrBelow(path, one.path) || isAtOrBelow(one.path, path);
        });
        if (!known)
            found.push_back({path, "btrfs", numberIn(groups + "0_" + std::to_string(info.treeid) + "/exclusive"),
                             "sudo btrfs subvolume delete " + shellQuoted(path)});
    }
    return found;
}

std::vector<OutsideLine> readOutside(const Drive& drive, const OutsidePlaces& places)
{
    const auto &sys = places.sys, &proc = places.proc;
    std::vector<OutsideLine> lines;
    const auto& c = drive.capacity;
    if (drive.filesystem.starts_with("ext") && c.total > 0 && c.reserved >= worthAWord / 2 &&
        c.reserved > c.total / 80) {
        const auto hundredth = c.total / 100;
        lines.push_back(
            {"reserved", "Reserved for the system", c.reserved,
             fmt::format("Only root may use these {}. Lowered to 1 %, {} more would be free; on the drive of "
                         "the system some should stay.",
                         formatBytes(c.reserved), formatBytes(c.reserved - hundredth)),
             "sudo tune2fs -m 1 " + shellQuoted(drive.source)});
    }
    if (const auto part = partitionOf(drive.source, sys)) {
        const auto size = sizeOf(drive);
        if (size && part->size > *size && part->size - *size >= worthAWord)
            lines.push_back({"smaller", "Filesystem smaller than its partition", part->size - *size,
                             fmt::format("The partition {} has {}, the filesystem in it {}.", part->name,
                                         formatBytes(part->size), formatBytes(*size)),
                             growCommand(drive)});
        for (const auto& [begin, length] : gapsOf(*part, sys)) {
            const bool behind = begin >= part->start + part->size && begin - part->start - part->size < (2 << 20);
            const auto number = part->name.substr(part->name.find_last_not_of("0123456789") + 1);
            lines.push_back({"unpartitioned", "In no partition", length,
                             fmt::format("{} of the disk {} belong to no partition{}.", formatBytes(length), part->disk,
                                         behind ? ", right behind this one" : ""),
                             behind ? "sudo growpart /dev/" + part->disk + " " + number +
                                          (growCommand(drive).empty() ? "" : " && " + growCommand(drive))
                                    : "sudo cfdisk /dev/" + part->disk});
        }
    }
    if (drive.source.starts_with("/dev/mapper/"))
        addVolumes(drive, places.lvs.empty() ? findTool("lvs") : places.lvs, lines);
    addSwap(drive, proc, lines);
    const auto snapshots = readFilesystemSnapshots(drive.mountPoint);
    if (!snapshots.empty()) {
        std::uint64_t sum = 0;
        std::size_t known = 0;
        std::string names;
        for (const auto& one : snapshots) {
            sum += one.exclusive.value_or(0);
            known += one.exclusive ? 1 : 0;
            if (&one - snapshots.data() < 3)
                names += (names.empty() ? "" : ", ") + displayText(one.path);
        }
        lines.push_back({"snapshots", "Filesystem snapshots",
                         known == snapshots.size() ? std::optional(sum) : std::nullopt,
                         fmt::format("{} of {}: {}{}. {}", formatItems(snapshots.size(), "snapshot"), snapshots[0].tool,
                                     names, snapshots.size() > 3 ? ", ..." : "",
                                     known == snapshots.size()
                                         ? "So much is held by them alone, each by itself."
                                         : "What only they hold is not counted here: turn on quota groups to know it."),
                         snapshots[0].command});
    }
    return lines;
}

} // namespace kurvo
