// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/extents.h"

#include <linux/btrfs.h>
#include <linux/btrfs_tree.h>
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/statfs.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstddef>
#include <cstring>
#include <map>

namespace kurvo {
namespace {

constexpr long btrfsMagic = 0x9123683E, xfsMagic = 0x58465342, bcachefsMagic = 0xca451a4e, ocfs2Magic = 0x7461636f;

/// By where they begin on the drive: what compressed extents of a btrfs file take there. Nothing without the right.
std::map<std::uint64_t, std::uint64_t> compressedLengths(int fd, std::uint64_t inode)
{
    std::map<std::uint64_t, std::uint64_t> lengths;
    constexpr std::size_t room = 65536;
    std::vector<std::byte> memory(sizeof(btrfs_ioctl_search_args_v2) + room);
    auto* args = reinterpret_cast<btrfs_ioctl_search_args_v2*>(memory.data());
    auto& key = args->key;
    key.tree_id = 0; // the subvolume that the file lies in
    key.min_objectid = key.max_objectid = inode;
    key.min_type = key.max_type = BTRFS_EXTENT_DATA_KEY;
    key.max_offset = key.max_transid = UINT64_MAX;
    for (;;) {
        key.nr_items = 4096;
        args->buf_size = room;
        if (::ioctl(fd, BTRFS_IOC_TREE_SEARCH_V2, args) != 0 || key.nr_items == 0)
            return lengths;
        const auto* at = reinterpret_cast<const std::byte*>(args->buf);
        const auto* end = at + room;
        std::uint64_t last = 0;
        for (std::uint32_t i = 0; i < key.nr_items && at + sizeof(btrfs_ioctl_search_header) <= end; ++i) {
            btrfs_ioctl_search_header header;
            std::memcpy(&header, at, sizeof header);
            at += sizeof header;
            btrfs_file_extent_item item;
            if (at + header.len > end)
                return lengths;
            if (header.len >= sizeof item) {
                std::memcpy(&item, at, sizeof item); // little-endian, as all the machines that Kurvo is built for
                if (item.type == BTRFS_FILE_EXTENT_REG && item.compression != 0)
                    lengths[item.disk_bytenr] = item.disk_num_bytes;
            }
            at += header.len;
            last = header.offset;
        }
        if (last == UINT64_MAX)
            return lengths;
        key.min_offset = last + 1;
    }
}

/// Where nobody may look it up: compressed extents lie one behind the other, so that where the next begins says how
/// long one is. One without a next takes what the others take on average.
void guessLengths(std::vector<Extent>& extents)
{
    constexpr std::uint64_t longest = 128 << 10; // of a compressed extent, as btrfs makes them
    std::vector<std::uint64_t> begins;
    for (const auto& extent : extents)
        begins.push_back(extent.physical);
    std::sort(begins.begin(), begins.end());
    std::uint64_t known = 0, of = 0;
    std::vector<Extent*> open;
    for (auto& extent : extents) {
        if (!extent.compressed)
            continue;
        const auto next = std::upper_bound(begins.begin(), begins.end(), extent.physical);
        const auto gap = next == begins.end() ? UINT64_MAX : *next - extent.physical;
        if (gap > std::min(longest, extent.length)) {
            open.push_back(&extent);
            continue;
        }
        extent.onDisk = gap;
        known += gap;
        of += extent.length;
    }
    for (auto* extent : open)
        extent->onDisk = of == 0 ? extent->length
                                 : static_cast<std::uint64_t>(static_cast<double>(extent->length) *
                                                              static_cast<double>(known) / static_cast<double>(of));
}

} // namespace

BlockSharing blockSharing(const std::string& path)
{
    struct statfs about { };
    if (::statfs(path.c_str(), &about) != 0)
        return {};
    BlockSharing sharing;
    const auto type = static_cast<long>(about.f_type);
    sharing.compresses = type == btrfsMagic || type == bcachefsMagic;
    sharing.snapshots = sharing.compresses;
    sharing.shares = sharing.compresses || type == xfsMagic || type == ocfs2Magic;
    return sharing;
}

Result<std::vector<Extent>> readExtents(int fd, std::uint64_t inode, const BlockSharing& sharing)
{
    std::vector<Extent> extents;
    constexpr std::uint32_t most = 512;
    alignas(fiemap) std::array<std::byte, sizeof(fiemap) + most * sizeof(fiemap_extent)> memory;
    auto* map = reinterpret_cast<fiemap*>(memory.data());
    bool anyCompressed = false;
    for (std::uint64_t from = 0;;) {
        std::memset(memory.data(), 0, sizeof(fiemap));
        map->fm_start = from;
        map->fm_length = FIEMAP_MAX_OFFSET - from;
        map->fm_extent_count = most;
        if (::ioctl(fd, FS_IOC_FIEMAP, map) != 0)
            return Error{errno == EOPNOTSUPP || errno == ENOTTY ? ErrorKind::Unsupported : ErrorKind::System,
                         {},
                         errno,
                         "The filesystem does not say where its files lie."};
        const auto* found = reinterpret_cast<const fiemap_extent*>(memory.data() + offsetof(fiemap, fm_extents));
        bool last = map->fm_mapped_extents == 0;
        for (std::uint32_t i = 0; i < map->fm_mapped_extents; ++i) {
            const auto flags = found[i].fe_flags;
            last = (flags & FIEMAP_EXTENT_LAST) != 0;
            from = found[i].fe_logical + found[i].fe_length;
            if ((flags & (FIEMAP_EXTENT_DELALLOC | FIEMAP_EXTENT_UNKNOWN)) != 0)
                continue;
            Extent extent;
            extent.physical = found[i].fe_physical;
            extent.length = extent.onDisk = found[i].fe_length;
            extent.shared = (flags & FIEMAP_EXTENT_SHARED) != 0;
            extent.inlined = (flags & FIEMAP_EXTENT_DATA_INLINE) != 0;
            extent.compressed = (flags & FIEMAP_EXTENT_ENCODED) != 0 && !extent.inlined;
            anyCompressed |= extent.compressed;
            extents.push_back(extent);
        }
        if (last || from >= FIEMAP_MAX_OFFSET)
            break;
    }
    if (anyCompressed) {
        const auto lengths =
            sharing.compresses ? compressedLengths(fd, inode) : std::map<std::uint64_t, std::uint64_t>();
        if (lengths.empty())
            guessLengths(extents);
        else
            for (auto& extent : extents)
                if (const auto known = lengths.find(extent.physical); extent.compressed && known != lengths.end())
                    extent.onDisk = known->second;
    }
    return extents;
}

} // namespace kurvo
