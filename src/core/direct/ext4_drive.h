// SPDX-License-Identifier: GPL-3.0-or-later
// An ext4 (ext3, ext2) filesystem's own tables, read from its block device while it is mounted: superblock, group
// descriptors, inodes. Layout: "ext4 Data Structures and Algorithms" (Documentation/filesystems/ext4 in the kernel's
// sources) and ext4(5). Nothing is ever written, and everything read is taken to be hostile.
//
// Read through the device's page cache, which is where the mounted filesystem keeps the same blocks: what it has
// changed is seen at once. See docs/direct.md for what is not.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/direct/device_map.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// A moment of the filesystem's clock.
struct Moment {
    std::int64_t seconds = 0; ///< UTC
    std::uint32_t nanoseconds = 0;
    auto operator<=>(const Moment&) const = default;
};

/// What the tables say of one inode.
struct Ext4Inode {
    EntryStat stat; ///< device and mountId are not set
    Moment changed; ///< at the latest
    std::uint32_t flags = 0;
    std::uint32_t generation = 0;
    std::uint32_t deleted = 0;  ///< seconds; not 0 for one that was given back, or waits for that (an orphan)
    unsigned char map[60] = {}; ///< i_block of a folder: extents, block map, or names
    std::uint64_t length = 0;   ///< i_size, of folders as well
    bool hasExtents() const { return (flags & 0x80000) != 0; }
    bool isInline() const { return (flags & 0x10000000) != 0; }
    bool isEncrypted() const { return (flags & 0x800) != 0; }
    bool holdsAttribute() const { return (flags & 0x200000) != 0; } ///< the value of an extended attribute
};

/// Immutable once opened; any thread may read through it.
class Ext4Drive {
public:
    /// Takes the open device. Unsupported, with the reason as a sentence, for whatever is not fully understood: another
    /// filesystem, unknown features, a superblock that does not hold its checksum, errors noted in it.
    static Result<std::shared_ptr<const Ext4Drive>> open(UniqueFd device);

    struct Group {
        std::uint64_t inodeTable = 0; ///< byte on the device; 0 where the descriptor cannot be believed
        std::uint64_t blockBitmap = 0, inodeBitmap = 0;
        std::uint32_t folders = 0;    ///< as the group counts them
        std::uint32_t usedInodes = 0; ///< of its table, from the start; what is behind was never used
    };

    std::uint32_t blockSize() const { return blockSize_; }
    std::uint64_t blocks() const { return blocks_; }
    std::uint32_t inodeSize() const { return inodeSize_; }
    std::uint64_t inodes() const { return inodes_; }
    std::uint32_t inodesInGroup() const { return inodesInGroup_; }
    std::uint32_t firstInode() const { return firstInode_; } ///< before it are the filesystem's own
    const std::vector<Group>& groups() const { return groups_; }
    /// Blocks of the layout itself, in no inode: superblocks, group descriptors, bitmaps, inode tables.
    std::uint64_t layoutBlocks() const;
    bool hasClusters() const { return clusters_; } ///< blocks are given out several at a time
    bool hasChecksums() const { return checksums_; }
    bool namesHaveTypes() const { return types_; }
    std::uint64_t orphanFile() const { return orphanFile_; } ///< its inode; 0: none
    std::uint32_t journalInode() const { return journal_; }  ///< 0: none

    /// Where an inode lies on the device; 0 where there is none.
    std::uint64_t placeOf(std::uint64_t inode) const;
    bool isBlock(std::uint64_t block) const { return block > firstBlock_ && block < blocks_; }
    /// Reads exactly these bytes of the device; 0 or errno.
    int read(std::uint64_t at, void* into, std::size_t size) const { return device_->copy(at, into, size); }
    const DeviceMap& device() const { return *device_; }

    /// What the raw bytes of an inode say; their checksum is taken out of them.
    enum class Decoded {
        Good,
        BadSum, ///< does not hold its checksum: damaged, or just being written
        Nothing ///< not in use, or says what cannot be
    };
    Decoded decode(std::uint64_t inode, unsigned char* raw, Ext4Inode& out) const;
    /// Waits a moment before something that does not hold its checksum is read for the `attempt`th time (from 1). False
    /// where that is to be given up: after some attempts, and at once on a drive where it was of no use too often.
    bool waitForWriter(int attempt) const;
    /// Reads one inode, again where it was just being written. False where it cannot be believed.
    bool readInode(std::uint64_t inode, Ext4Inode& out, std::vector<unsigned char>& raw) const;
    /// What the sums of the blocks of a file begin with.
    std::uint32_t seedOf(std::uint64_t inode, std::uint32_t generation) const;

private:
    Ext4Drive() = default;
    std::string understand(const unsigned char* superblock); ///< why not; empty: it is
    std::string readGroups();
    bool hasBackup(std::uint64_t group) const;

    std::unique_ptr<DeviceMap> device_;
    std::uint32_t blockSize_ = 0, inodeSize_ = 0, inodesInGroup_ = 0, firstInode_ = 11;
    std::uint64_t deviceSize_ = 0, blocks_ = 0, inodes_ = 0, firstBlock_ = 0, blocksInGroup_ = 0;
    std::uint64_t orphanFile_ = 0;
    std::uint32_t descriptorSize_ = 32, firstMetaGroup_ = 0, seed_ = 0, journal_ = 0;
    std::uint32_t compatible_ = 0, incompatible_ = 0, readOnly_ = 0;
    std::uint32_t backupGroups_[2] = {};
    bool clusters_ = false, checksums_ = false, types_ = false, hugeFiles_ = false, metaGroups_ = false,
         unusedKnown_ = false;
    std::vector<Group> groups_;
    mutable std::atomic<int> inVain_{0}; ///< how often waiting for a writer was of no use
};

namespace ext4 {
inline std::uint16_t u16(const unsigned char* at)
{
    return static_cast<std::uint16_t>(at[0] | at[1] << 8);
}
inline std::uint32_t u32(const unsigned char* at)
{
    return std::uint32_t{at[0]} | std::uint32_t{at[1]} << 8 | std::uint32_t{at[2]} << 16 | std::uint32_t{at[3]} << 24;
}
} // namespace ext4

} // namespace kurvo
