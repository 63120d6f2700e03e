// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/ext4_drive.h"

#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <bit>
#include <chrono>
#include <cstring>
#include <thread>

#include <fmt/format.h>

#include "core/direct/crc32c.h"

namespace kurvo {
namespace {

using ext4::u16;
using ext4::u32;

constexpr unsigned char zeros[4] = {};
constexpr int attempts = 4; ///< at a block that was just being written
constexpr std::chrono::microseconds between{200};

// Features (superblock, s_feature_*): those whose meaning for names, sizes and places is known here.
enum Compatible : std::uint32_t { SparseSuper2 = 0x200, OrphanFile = 0x1000, HasJournal = 0x4 };
enum Incompatible : std::uint32_t {
    FileType = 0x2,
    Recover = 0x4,
    MetaGroups = 0x10,
    Extents = 0x40,
    Wide = 0x80,       ///< 64bit
    Protected = 0x100, ///< multi-mount protection: another machine may have it mounted
    FlexGroups = 0x200,
    AttributeInodes = 0x400,
    SeedKept = 0x2000,
    LargeFolders = 0x4000,
    InlineData = 0x8000,
    Encryption = 0x10000,
    Casefold = 0x20000
};
enum ReadOnlyCompatible : std::uint32_t {
    SparseSuper = 0x1,
    LargeFile = 0x2,
    FolderTrees = 0x4,
    HugeFile = 0x8,
    GroupSums = 0x10,
    ManyFolders = 0x20,
    ExtraSize = 0x40,
    Quota = 0x100,
    BigAlloc = 0x200,
    Checksums = 0x400,
    ReadOnly = 0x1000,
    Project = 0x2000,
    SharedBlocks = 0x4000,
    Verity = 0x8000,
    OrphansPresent = 0x10000
};
constexpr std::uint32_t knownIncompatible = FileType | Recover | MetaGroups | Extents | Wide | FlexGroups |
                                            AttributeInodes | SeedKept | LargeFolders | InlineData | Encryption |
                                            Casefold;
constexpr std::uint32_t knownReadOnly = SparseSuper | LargeFile | FolderTrees | HugeFile | GroupSums | ManyFolders |
                                        ExtraSize | Quota | BigAlloc | Checksums | ReadOnly | Project | SharedBlocks |
                                        Verity | OrphansPresent;

bool isKind(std::uint32_t mode)
{
    switch (mode & S_IFMT) {
    case S_IFREG:
    case S_IFDIR:
    case S_IFLNK:
    case S_IFIFO:
    case S_IFSOCK:
    case S_IFBLK:
    case S_IFCHR:
        return true;
    default:
        return false;
    }
}

bool isPowerOf(std::uint64_t number, std::uint64_t base)
{
    std::uint64_t power = base;
    while (power < number)
        power *= base;
    return power == number;
}

Error notUnderstood(const std::string& reason)
{
    return {ErrorKind::Unsupported, {}, 0, reason};
}

} // namespace

Result<std::shared_ptr<const Ext4Drive>> Ext4Drive::open(UniqueFd device)
{
    std::shared_ptr<Ext4Drive> drive(new Ext4Drive);
    // As many bytes as there are: a superblock may say what it likes.
    const auto end = ::lseek(device.get(), 0, SEEK_END);
    constexpr off_t smallest = 64 << 10;
    if (end < smallest)
        return notUnderstood("Its device is too small to be read.");
    drive->device_ = std::make_unique<DeviceMap>(std::move(device), static_cast<std::uint64_t>(end));
    drive->deviceSize_ = static_cast<std::uint64_t>(end);
    unsigned char block[1024];
    for (int attempt = 0;; ++attempt) {
        if (const int error = drive->read(1024, block, sizeof block); error != 0)
            return systemError("read the drive's tables", {}, error);
        if (u16(block + 0x38) != 0xEF53)
            return notUnderstood("It is no ext4 filesystem.");
        const bool sums = (u32(block + 0x64) & Checksums) != 0;
        if (!sums || crc32c(~0u, block, 0x3FC) == u32(block + 0x3FC))
            break;
        if (attempt == attempts)
            return notUnderstood("Its superblock does not hold its checksum.");
        std::this_thread::sleep_for(between);
    }
    if (auto reason = drive->understand(block); !reason.empty())
        return notUnderstood(reason);
    if (auto reason = drive->readGroups(); !reason.empty())
        return notUnderstood(reason);
    return std::shared_ptr<const Ext4Drive>(std::move(drive));
}

std::string Ext4Drive::understand(const unsigned char* s)
{
    compatible_ = u32(s + 0x5C);
    incompatible_ = u32(s + 0x60);
    readOnly_ = u32(s + 0x64);
    if (u32(s + 0x4C) == 0)
        return "It is of the oldest form, without features.";
    if ((incompatible_ & Protected) != 0)
        return "Other machines may have it mounted as well (multi-mount protection).";
    if (const auto unknown = incompatible_ & ~knownIncompatible; unknown != 0)
        return fmt::format("It has features that Kurvo does not know (incompat {:x}).", unknown);
    if (const auto unknown = readOnly_ & ~knownReadOnly; unknown != 0)
        return fmt::format("It has features that Kurvo does not know (ro_compat {:x}).", unknown);
    if ((u16(s + 0x3A) & 0x2) != 0)
        return "Errors are noted in its superblock.";
    if ((compatible_ & HasJournal) != 0 && u32(s + 0xE4) != 0)
        return "Its journal is on another device.";
    const auto logSize = u32(s + 0x18);
    if (logSize > 6)
        return "Its blocks have a size that cannot be.";
    blockSize_ = 1024u << logSize;
    const bool wide = (incompatible_ & Wide) != 0;
    blocks_ = u32(s + 0x4) | (wide ? std::uint64_t{u32(s + 0x150)} << 32 : 0);
    inodes_ = u32(s);
    firstBlock_ = u32(s + 0x14);
    blocksInGroup_ = u32(s + 0x20);
    inodesInGroup_ = u32(s + 0x28);
    firstInode_ = u32(s + 0x54);
    inodeSize_ = u16(s + 0x58);
    descriptorSize_ = wide ? u16(s + 0xFE) : 32;
    firstMetaGroup_ = u32(s + 0x104);
    backupGroups_[0] = u32(s + 0x24C);
    backupGroups_[1] = u32(s + 0x250);
    if ((compatible_ & OrphanFile) != 0)
        orphanFile_ = u32(s + 0x280);
    constexpr std::uint64_t mostBlocks = std::uint64_t{1} << 48;
    if (blocks_ == 0 || blocks_ > mostBlocks || firstBlock_ > (blockSize_ == 1024 ? 1u : 0u) || blocksInGroup_ == 0 ||
        blocksInGroup_ > std::uint64_t{8} * blockSize_ * ((readOnly_ & BigAlloc) != 0 ? 0x10000u : 1u) ||
        inodesInGroup_ == 0 || inodesInGroup_ > 8 * blockSize_ || !std::has_single_bit(inodeSize_) ||
        inodeSize_ < 128 || inodeSize_ > blockSize_ || descriptorSize_ < (wide ? 64u : 32u) || descriptorSize_ > 1024 ||
        !std::has_single_bit(descriptorSize_) || firstInode_ < 11 || blocks_ <= firstBlock_)
        return "Its superblock says what cannot be.";
    const auto groups = (blocks_ - firstBlock_ + blocksInGroup_ - 1) / blocksInGroup_;
    constexpr std::uint64_t mostGroups = 4 << 20; // of 128 MiB each on most drives, and of 8 MiB at the least
    if (groups * inodesInGroup_ != inodes_ || groups > mostGroups)
        return "Its superblock says what cannot be.";
    // The rest must fit on the device, or a damaged number would ask for memory without end.
    if (blocks_ * blockSize_ > deviceSize_)
        return "It is larger than its device.";
    groups_.resize(groups);
    types_ = (incompatible_ & FileType) != 0;
    clusters_ = (readOnly_ & BigAlloc) != 0;
    journal_ = (compatible_ & HasJournal) != 0 ? u32(s + 0xE0) : 0;
    hugeFiles_ = (readOnly_ & HugeFile) != 0;
    checksums_ = (readOnly_ & Checksums) != 0;
    metaGroups_ = (incompatible_ & MetaGroups) != 0;
    unusedKnown_ = checksums_ || (readOnly_ & GroupSums) != 0;
    seed_ = (incompatible_ & SeedKept) != 0 ? u32(s + 0x270) : crc32c(~0u, s + 0x68, 16);
    return {};
}

/// Whether a group has a copy of the superblock in front.
bool Ext4Drive::hasBackup(std::uint64_t group) const
{
    if (group == 0)
        return true;
    if ((compatible_ & SparseSuper2) != 0)
        return group == backupGroups_[0] || group == backupGroups_[1];
    if ((readOnly_ & SparseSuper) == 0 || group == 1)
        return true;
    return (group & 1) != 0 && (isPowerOf(group, 3) || isPowerOf(group, 5) || isPowerOf(group, 7));
}

std::uint64_t Ext4Drive::layoutBlocks() const
{
    const std::uint64_t perBlock = blockSize_ / descriptorSize_, count = groups_.size();
    const auto tables = (std::uint64_t{inodesInGroup_} * inodeSize_ + blockSize_ - 1) / blockSize_;
    const auto descriptors = (count + perBlock - 1) / perBlock;
    const auto inFront = metaGroups_ ? std::min<std::uint64_t>(firstMetaGroup_, descriptors) : descriptors;
    std::uint64_t blocks = blockSize_ == 1024 ? 1 : 0; // the one before the superblock
    for (std::uint64_t group = 0; group < count; ++group) {
        blocks += tables + 2 + (hasBackup(group) ? 1 : 0);
        const auto meta = group / perBlock, within = group % perBlock;
        if (!metaGroups_ || meta < firstMetaGroup_)
            blocks += hasBackup(group) ? inFront : 0;
        else
            blocks += within == 0 || within == 1 || within == perBlock - 1 ? 1 : 0;
    }
    return blocks;
}

std::string Ext4Drive::readGroups()
{
    const auto perBlock = blockSize_ / descriptorSize_;
    std::vector<unsigned char> block(blockSize_);
    const auto describe = [&](const unsigned char* d, std::uint32_t number, Group& group) {
        const bool wide = descriptorSize_ >= 64;
        const auto place = [&](std::size_t low, std::size_t high) {
            return u32(d + low) | (wide ? std::uint64_t{u32(d + high)} << 32 : 0);
        };
        if (checksums_) {
            unsigned char text[4];
            for (int i = 0; i < 4; ++i)
                text[i] = static_cast<unsigned char>(number >> (8 * i));
            auto sum = crc32c(crc32c(seed_, text, 4), d, 0x1E);
            sum = crc32c(sum, zeros, 2);
            if (descriptorSize_ > 0x20)
                sum = crc32c(sum, d + 0x20, descriptorSize_ - 0x20);
            if ((sum & 0xFFFF) != u16(d + 0x1E))
                return false;
        }
        const auto tableBlocks = (std::uint64_t{inodesInGroup_} * inodeSize_ + blockSize_ - 1) / blockSize_;
        const auto table = place(0x8, 0x28);
        if (!isBlock(table) || table + tableBlocks > blocks_)
            return false;
        group.inodeTable = table * blockSize_;
        group.blockBitmap = place(0x0, 0x20);
        group.inodeBitmap = place(0x4, 0x24);
        const auto unused = std::uint32_t{u16(d + 0x1C)} | (wide ? std::uint32_t{u16(d + 0x32)} << 16 : 0);
        group.folders =
            std::min(std::uint32_t{u16(d + 0x10)} | (wide ? std::uint32_t{u16(d + 0x30)} << 16 : 0), inodesInGroup_);
        constexpr std::uint16_t neverUsed = 1; // INODE_UNINIT
        group.usedInodes = !unusedKnown_                      ? inodesInGroup_
                           : (u16(d + 0x12) & neverUsed) != 0 ? 0
                                                              : inodesInGroup_ - std::min(unused, inodesInGroup_);
        return true;
    };
    for (std::uint64_t first = 0; first < groups_.size(); first += perBlock) {
        const auto meta = first / perBlock;
        const std::uint64_t superblock = blockSize_ == 1024 ? 1 : 0;
        std::uint64_t at = superblock + 1 + meta;
        if (metaGroups_ && meta >= firstMetaGroup_)
            at = firstBlock_ + first * blocksInGroup_ + (hasBackup(first) ? 1 : 0) +
                 (first == 0 ? superblock - firstBlock_ : 0);
        if (at >= blocks_)
            return "Its group descriptors lie where they cannot be.";
        bool good = false;
        for (int attempt = 0; !good && attempt <= attempts; ++attempt) {
            if (attempt > 0)
                std::this_thread::sleep_for(between);
            if (read(at * blockSize_, block.data(), blockSize_) != 0)
                return "Its group descriptors cannot be read.";
            good = true;
            for (std::uint64_t i = first; i < std::min<std::uint64_t>(first + perBlock, groups_.size()); ++i)
                good &=
                    describe(block.data() + (i - first) * descriptorSize_, static_cast<std::uint32_t>(i), groups_[i]);
        }
        if (!good)
            return "Its group descriptors do not hold their checksums, or say what cannot be.";
    }
    return {};
}

std::uint64_t Ext4Drive::placeOf(std::uint64_t inode) const
{
    if (inode == 0 || inode > inodes_)
        return 0;
    const auto index = static_cast<std::uint32_t>(inode - 1); // as wide as they are: this is asked for each entry
    return groups_[index / inodesInGroup_].inodeTable + std::uint64_t{index % inodesInGroup_} * inodeSize_;
}

std::uint32_t Ext4Drive::seedOf(std::uint64_t inode, std::uint32_t generation) const
{
    unsigned char text[8];
    for (int i = 0; i < 4; ++i) {
        text[i] = static_cast<unsigned char>(inode >> (8 * i));
        text[4 + i] = static_cast<unsigned char>(generation >> (8 * i));
    }
    return crc32c(seed_, text, sizeof text);
}

bool Ext4Drive::waitForWriter(int attempt) const
{
    constexpr int tooOften = 1000;
    if (inVain_.load(std::memory_order_relaxed) > tooOften)
        return false;
    if (attempt > attempts) {
        inVain_.fetch_add(1, std::memory_order_relaxed);
        return false;
    }
    std::this_thread::sleep_for(between);
    return true;
}

Ext4Drive::Decoded Ext4Drive::decode(std::uint64_t inode, unsigned char* raw, Ext4Inode& out) const
{
    if (!isKind(u16(raw)))
        return Decoded::Nothing;
    constexpr std::size_t base = 128;
    const std::size_t extra = inodeSize_ > base ? u16(raw + 0x80) : 0;
    if (base + extra > inodeSize_ || extra % 4 != 0)
        return Decoded::Nothing;
    const auto has = [extra](std::size_t end) { return base + extra >= end; };
    out.generation = u32(raw + 0x64);
    if (checksums_) {
        // As if the sum were not there: it is summed up as zero.
        const auto kept = u16(raw + 0x7C) | (has(0x84) ? std::uint32_t{u16(raw + 0x82)} << 16 : 0);
        raw[0x7C] = raw[0x7D] = 0;
        if (has(0x84))
            raw[0x82] = raw[0x83] = 0;
        const auto sum = crc32c(seedOf(inode, out.generation), raw, inodeSize_);
        if (kept != (has(0x84) ? sum : sum & 0xFFFF))
            return Decoded::BadSum;
    }
    auto& stat = out.stat;
    stat.mode = u16(raw);
    stat.kind = entryKindOf(stat.mode);
    stat.inode = inode;
    stat.uid = u16(raw + 0x2) | std::uint32_t{u16(raw + 0x78)} << 16;
    stat.gid = u16(raw + 0x18) | std::uint32_t{u16(raw + 0x7A)} << 16;
    stat.links = u16(raw + 0x1A);
    out.flags = u32(raw + 0x20);
    out.deleted = u32(raw + 0x14);
    out.length = u32(raw + 0x4) | std::uint64_t{u32(raw + 0x6C)} << 32;
    stat.size = out.length;
    stat.fixed = (out.flags & 0x30) != 0;
    stat.blocks = u32(raw + 0x1C);
    if (hugeFiles_) {
        stat.blocks |= std::uint64_t{u16(raw + 0x74)} << 32;
        constexpr std::uint32_t inBlocks = 0x40000; // HUGE_FILE_FL: counted in blocks of the filesystem
        if ((out.flags & inBlocks) != 0)
            stat.blocks *= blockSize_ / 512;
    }
    // What lies in the inode itself is counted as the kernel's stat counts it.
    if (out.isInline() && stat.kind == EntryKind::File)
        stat.blocks += (stat.size + 511) / 512;
    const auto time = [&](std::size_t at, std::size_t more, std::int64_t& seconds, std::uint32_t& nanoseconds) {
        seconds = static_cast<std::int32_t>(u32(raw + at));
        nanoseconds = 0;
        if (!has(more + 4))
            return true;
        const auto bits = u32(raw + more);
        seconds += static_cast<std::int64_t>(bits & 3) << 32;
        nanoseconds = bits >> 2;
        return nanoseconds < 1000000000;
    };
    if (!time(0x10, 0x88, stat.modified, stat.modifiedNs) || !time(0xC, 0x84, stat.changed, stat.changedNs))
        return Decoded::Nothing;
    // Where whole seconds are stamped it may have been at the end of that one.
    constexpr std::uint32_t lastOfSecond = 999999999;
    out.changed = {stat.changed, has(0x88) ? stat.changedNs : lastOfSecond};
    if (stat.kind == EntryKind::Folder)
        std::memcpy(out.map, raw + 0x28, sizeof out.map);
    return Decoded::Good;
}

bool Ext4Drive::readInode(std::uint64_t inode, Ext4Inode& out, std::vector<unsigned char>& raw) const
{
    const auto place = placeOf(inode);
    if (place == 0)
        return false;
    raw.resize(inodeSize_);
    for (int attempt = 1;; ++attempt) {
        if (read(place, raw.data(), inodeSize_) != 0)
            return false;
        const auto decoded = decode(inode, raw.data(), out);
        if (decoded != Decoded::BadSum || !waitForWriter(attempt))
            return decoded == Decoded::Good;
    }
}

} // namespace kurvo
