// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/ext4_folder.h"

#include <algorithm>
#include <cstring>

#include "core/direct/crc32c.h"

namespace kurvo {
namespace {

using ext4::u16;
using ext4::u32;

constexpr std::uint64_t largestFolder = std::uint64_t{2} << 30; ///< bytes; ext4 itself ends at this
constexpr std::size_t pieceSize = 256 << 10;
constexpr unsigned mostDepth = 5; ///< of a tree of extents, as the kernel has it

} // namespace

/// Eight bytes at a time, the last ones perhaps twice: this is asked for each entry.
bool Ext4Reader::isGoodName(const unsigned char* name, std::size_t length)
{
    constexpr std::size_t word = 8;
    if (length < word)
        return length > 0 && std::none_of(name, name + length, [](unsigned char c) { return c == 0 || c == '/'; }) &&
               !(name[0] == '.' && (length == 1 || (length == 2 && name[1] == '.')));
    constexpr std::uint64_t ones = 0x0101010101010101, tops = 0x80 * ones;
    const auto hasZero = [](std::uint64_t bytes) { return ((bytes - ones) & ~bytes & tops) != 0; };
    for (std::size_t at = 0; at < length; at += word) {
        std::uint64_t bytes = 0;
        std::memcpy(&bytes, name + std::min(at, length - word), word);
        if (hasZero(bytes) || hasZero(bytes ^ ('/' * ones)))
            return false;
    }
    return true;
}

bool Ext4Reader::isReadable(const Ext4Inode& folder) const
{
    return folder.stat.kind == EntryKind::Folder && folder.stat.links > 0 && folder.deleted == 0 &&
           folder.changed < since_ && !folder.isEncrypted();
}

bool Ext4Reader::beginFolder(std::uint64_t folder, std::uint64_t above, const Ext4Inode* known)
{
    number_ = folder;
    above_ = above;
    left_ = 0;
    if (known && !known->isInline()) // what is in the inode itself is read from there
        folder_ = *known;
    else if (!drive_->readInode(folder, folder_, raw_))
        return false;
    if (!isReadable(folder_))
        return false;
    dots_ = folder_.isInline() ? 2 : 0; // which has none
    if (folder_.isInline())
        return true;
    const std::uint64_t size = drive_->blockSize();
    if (folder_.length == 0 || folder_.length % size != 0 || folder_.length > largestFolder)
        return false;
    runs_.clear();
    run_ = 0;
    done_ = 0;
    left_ = folder_.length / size;
    return mapBlocks(folder, folder_, left_, runs_);
}

/// Reads the next blocks, as many as lie one behind the other and fit a piece.
bool Ext4Reader::nextPiece()
{
    const std::uint64_t size = drive_->blockSize();
    const auto& run = runs_[run_];
    const auto count = std::min(run.count - done_, std::max<std::uint64_t>(1, pieceSize / size));
    const auto at = (run.first + done_) * size;
    pieceBytes_ = count * size;
    piece_.resize(std::max(piece_.size(), pieceBytes_));
    if (drive_->read(at, piece_.data(), pieceBytes_) != 0)
        return false;
    const auto seed = drive_->seedOf(number_, folder_.generation);
    for (std::uint64_t i = 0; i < count; ++i) {
        auto* block = piece_.data() + i * size;
        // A block that is just being written does not hold its sum for a moment.
        for (int attempt = 1; !holdsSum(block, seed); ++attempt) {
            if (!drive_->waitForWriter(attempt))
                return false;
            if (drive_->read(at + i * size, block, size) != 0)
                return false;
        }
    }
    left_ -= count;
    done_ += count;
    if (done_ == run.count) {
        ++run_;
        done_ = 0;
    }
    return true;
}

/// "." and "..": what they say must be true, so that nothing lies within itself.
bool Ext4Reader::skipDots(std::uint64_t inode, const unsigned char* name, std::size_t length)
{
    ++dots_;
    const bool isUp = dots_ == 2;
    return length == static_cast<std::size_t>(dots_) && name[0] == '.' && name[length - 1] == '.' &&
           (isUp ? above_ == 0 || inode == above_ : inode == number_);
}

/// The sum of a block of names stands in its last entry, that of an index block behind its table.
bool Ext4Reader::holdsSum(const unsigned char* block, std::uint32_t seed) const
{
    if (!drive_->hasChecksums())
        return true;
    const std::size_t size = drive_->blockSize();
    const auto* tail = block + size - 12;
    if (u32(tail) == 0 && u16(tail + 4) == 12 && tail[6] == 0 && tail[7] == 0xDE &&
        crc32c(seed, block, size - 12) == u32(tail + 8))
        return true;
    // An index block (which may keep the remains of such an entry): its first entry, or its second behind ".", reaches
    // to the end.
    const auto first = u16(block + 4);
    std::size_t table = 0;
    if (first == (size & 0xFFFF) || (size == 0x10000 && first == 0xFFFF))
        table = 8;
    else if (first == 12)
        table = 32;
    else
        return false;
    const std::size_t limit = u16(block + table), count = u16(block + table + 2);
    if (count > limit || table + limit * 8 + 8 > size)
        return false;
    const auto* sum = block + table + limit * 8;
    constexpr unsigned char none[4] = {};
    return crc32c(crc32c(crc32c(seed, block, table + count * 8), sum, 4), none, 4) == u32(sum + 4);
}

/// Small folders lie in their inode: in the place of the block map, and then in an extended attribute behind it
/// ("Inline Data" in the kernel's documentation).
bool Ext4Reader::inlineParts(std::vector<std::span<const unsigned char>>& parts) const
{
    const auto up = u32(folder_.map);
    constexpr std::size_t inMap = sizeof folder_.map;
    if ((above_ != 0 && up != above_) || up == 0 || folder_.length < inMap)
        return false;
    parts.emplace_back(folder_.map + 4, inMap - 4);
    if (folder_.length == inMap)
        return true;
    // raw_ holds the whole inode; readInode() has seen to its sum.
    const std::size_t end = drive_->inodeSize();
    const std::size_t at = end > 128 ? 128 + u16(raw_.data() + 0x80) : end;
    constexpr std::uint32_t magic = 0xEA020000;
    if (at + 4 > end || u32(raw_.data() + at) != magic)
        return false;
    const auto* base = raw_.data() + at + 4;
    const std::size_t room = end - at - 4;
    for (std::size_t entry = 0; entry + 16 <= room && u32(base + entry) != 0;) {
        const auto* e = base + entry;
        const std::size_t name = e[0], value = u16(e + 2), size = u32(e + 8);
        if (entry + 16 + name > room)
            return false;
        constexpr unsigned char system = 7;
        if (e[1] == system && name == 4 && std::memcmp(e + 16, "data", 4) == 0) {
            if (u32(e + 4) != 0 || value > room || size > room - value || size != folder_.length - inMap)
                return false;
            parts.emplace_back(base + value, size);
            return true;
        }
        entry += (16 + name + 3) & ~std::size_t{3};
    }
    return false;
}

bool Ext4Reader::mapBlocks(std::uint64_t number, const Ext4Inode& inode, std::uint64_t blocks,
                           std::vector<BlockRun>& runs)
{
    std::uint64_t next = 0;
    const auto seed = drive_->seedOf(number, inode.generation);
    const bool good = inode.hasExtents() ? extents(inode.map, sizeof inode.map, mostDepth, seed, blocks, runs, next)
                                         : oldMap(inode.map, 15, 0, blocks, runs, next);
    return good && next == blocks;
}

/// Follows a node of the tree; `depth` is how deep it may still be. Blocks come in order and without holes, or the map
/// is not believed, so that it ends wherever its numbers point.
bool Ext4Reader::extents(const unsigned char* node, std::size_t size, unsigned depth, std::uint32_t seed,
                         std::uint64_t blocks, std::vector<BlockRun>& runs, std::uint64_t& next)
{
    constexpr std::size_t entrySize = 12;
    const std::size_t count = u16(node + 2), most = u16(node + 4);
    const unsigned below = u16(node + 6);
    if (u16(node) != 0xF30A || count > most || entrySize + most * entrySize > size || below > depth)
        return false;
    for (std::size_t i = 0; i < count && next < blocks; ++i) {
        const auto* entry = node + entrySize + i * entrySize;
        if (u32(entry) != next)
            return false;
        if (below == 0) {
            const std::uint64_t length = u16(entry + 4);
            const std::uint64_t first = u32(entry + 8) | std::uint64_t{u16(entry + 6)} << 32;
            constexpr std::uint64_t written = 32768; // longer ones are kept, and not written yet
            if (length == 0 || length > written || !drive_->isBlock(first) || !drive_->isBlock(first + length - 1))
                return false;
            runs.push_back({first, std::min(length, blocks - next)});
            next += length;
            if (next > blocks)
                next = blocks; // blocks kept behind its end
            continue;
        }
        const std::uint64_t child = u32(entry + 4) | std::uint64_t{u16(entry + 8)} << 32;
        if (!drive_->isBlock(child))
            return false;
        std::vector<unsigned char> block(drive_->blockSize());
        if (drive_->read(child * block.size(), block.data(), block.size()) != 0)
            return false;
        if (drive_->hasChecksums()) {
            const std::size_t sum = entrySize + entrySize * std::size_t{u16(block.data() + 4)};
            if (sum + 4 > block.size() || crc32c(seed, block.data(), sum) != u32(block.data() + sum))
                return false;
        }
        const auto before = next;
        if (u16(block.data() + 6) + 1u != below ||
            !extents(block.data(), block.size(), below - 1, seed, blocks, runs, next) ||
            next == before) // an empty node could be led to over and over
            return false;
    }
    return true;
}

/// The map of ext2 and ext3: twelve blocks, then trees of one, two and three levels.
bool Ext4Reader::oldMap(const unsigned char* entries, std::size_t count, unsigned level, std::uint64_t blocks,
                        std::vector<BlockRun>& runs, std::uint64_t& next)
{
    constexpr std::size_t direct = 12;
    const bool isTop = level == 0 && count == 15;
    for (std::size_t i = 0; i < count && next < blocks; ++i) {
        const std::uint64_t block = u32(entries + 4 * i);
        const unsigned below = isTop ? static_cast<unsigned>(i < direct ? 0 : i - direct + 1) : level - 1;
        if (!drive_->isBlock(block))
            return false;
        if (below == 0) {
            if (!runs.empty() && runs.back().first + runs.back().count == block)
                ++runs.back().count;
            else
                runs.push_back({block, 1});
            ++next;
            continue;
        }
        std::vector<unsigned char> table(drive_->blockSize());
        if (drive_->read(block * table.size(), table.data(), table.size()) != 0 ||
            !oldMap(table.data(), table.size() / 4, below, blocks, runs, next))
            return false;
    }
    return true;
}

/// Reads the stretch of a table that holds the first of these and as many more as lie close together; gives how many,
/// 0 where it cannot be read.
std::size_t Ext4Reader::readRun(std::span<const std::uint64_t> inodes)
{
    constexpr std::uint64_t longest = 64 << 10, gap = 2048;
    const auto first = drive_->placeOf(inodes[0]);
    if (first == 0)
        return 0;
    const auto size = drive_->inodeSize();
    auto end = first + size;
    std::size_t count = 1;
    offsets_.assign(1, 0);
    for (; count < inodes.size(); ++count) {
        const auto place = drive_->placeOf(inodes[count]);
        if (place + size < end || place > end + gap || place + size > first + longest)
            break;
        end = place + size;
        offsets_.push_back(static_cast<std::uint32_t>(place - first));
    }
    table_.resize(std::max<std::size_t>(table_.size(), end - first));
    return drive_->read(first, table_.data(), end - first) == 0 ? count : 0;
}

/// Whether the inode, that lies there in the stretch read last, can be believed and has not changed.
bool Ext4Reader::standsStill(std::uint64_t number, std::uint32_t offset, Ext4Inode& inode)
{
    auto* raw = table_.data() + offset;
    const auto decoded = drive_->decode(number, raw, inode);
    if (decoded != Ext4Drive::Decoded::Good &&
        (decoded == Ext4Drive::Decoded::Nothing || !drive_->readInode(number, inode, raw_)))
        return false;
    return inode.stat.links > 0 && inode.deleted == 0 && inode.changed < since_;
}

} // namespace kurvo
