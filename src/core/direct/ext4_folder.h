// SPDX-License-Identifier: GPL-3.0-or-later
// The names in an ext4 folder, and what the inode tables say of each: see ext4_drive.h.
//
// A folder is taken from the tables only where it stood still: not changed since a given moment, neither before nor
// after its blocks were read. Whatever changed is for the kernel to say.
#pragma once

#include <algorithm>
#include <cstring>
#include <span>
#include <string_view>

#include "core/direct/ext4_drive.h"

namespace kurvo {

/// Blocks one behind the other, on the device and in the file.
struct BlockRun {
    std::uint64_t first = 0;
    std::uint64_t count = 0;
};

/// Calls `take(run)` for the blocks of a folder that its inode itself tells of; for a large one some of the index.
template <typename Take>
void forFirstRuns(const Ext4Drive& drive, const Ext4Inode& folder, const Take& take)
{
    if (folder.isInline())
        return;
    const auto tell = [&](std::uint64_t first, std::uint64_t count) {
        if (drive.isBlock(first) && drive.isBlock(first + count - 1))
            take(BlockRun{first, count});
    };
    if (!folder.hasExtents()) {
        for (std::size_t e = 0; e < 13; ++e)
            tell(ext4::u32(folder.map + 4 * e), 1);
        return;
    }
    const auto* node = folder.map;
    const bool isLeaf = ext4::u16(node + 6) == 0;
    constexpr std::uint64_t longest = 32768;
    for (std::size_t e = 0; e < std::min<std::size_t>(ext4::u16(node + 2), 4); ++e) {
        const auto* entry = node + 12 + 12 * e;
        if (isLeaf)
            tell(ext4::u32(entry + 8) | std::uint64_t{ext4::u16(entry + 6)} << 32,
                 std::clamp<std::uint64_t>(ext4::u16(entry + 4), 1, longest));
        else
            tell(ext4::u32(entry + 4) | std::uint64_t{ext4::u16(entry + 8)} << 32, 1);
    }
}

/// One for each thread that reads.
class Ext4Reader {
public:
    /// `since`: what was changed then or later is not believed.
    Ext4Reader(std::shared_ptr<const Ext4Drive> drive, Moment since) : drive_(std::move(drive)), since_(since) { }

    /// Calls `take(inode, name)` for each name in the folder but "." and ".."; `name` is good during the call, and ends
    /// in no NUL. `above`: the folder it was found in, 0 where that is not known. `known`: what its inode was when it
    /// was met; null: it is read. False where the tables cannot be believed: a checksum that does not hold, encrypted
    /// names, anything that cannot be; then what was taken is to be forgotten. What was taken is true only if
    /// readInodes() says afterwards that the folder stood still.
    template <typename Take>
    bool readFolder(std::uint64_t folder, std::uint64_t above, const Ext4Inode* known, const Take& take)
    {
        return beginFolder(folder, above, known) &&
               forEachBlock([&](const unsigned char* block, std::size_t size) { return namesIn(block, size, take); });
    }

    /// Its first block will be read soon.
    void expectFolder(const Ext4Inode& folder) const
    {
        if (folder.hasExtents() && !folder.isInline())
            drive_->device().expect(ext4::u32(folder.map + 20) * std::uint64_t{drive_->blockSize()},
                                    drive_->blockSize());
    }

    /// Reads these inodes, in ascending order. `take(i, inode)`: null where the kernel is to be asked: it changed, was
    /// given back, or cannot be believed. One that equals `folder`, the one read last, is null as well where it is
    /// another one by now.
    template <typename Take>
    void readInodes(std::span<const std::uint64_t> inodes, const Take& take)
    {
        Ext4Inode inode;
        for (std::size_t i = 0; i < inodes.size();) {
            const auto run = readRun(inodes.subspan(i));
            for (const auto end = i + std::max<std::size_t>(run, 1); i < end; ++i)
                take(i, run > 0 && standsStill(inodes[i], offsets_[i + run - end], inode) ? &inode : nullptr);
        }
    }
    /// Whether this is the folder read last as it was.
    bool isSame(const Ext4Inode& inode) const
    {
        return inode.stat.kind == EntryKind::Folder && inode.generation == folder_.generation &&
               inode.changed == folder_.changed;
    }

    /// The blocks of a folder (or of any file without holes), in order. False where its map says what cannot be, or
    /// does not hold its checksum.
    bool mapBlocks(std::uint64_t number, const Ext4Inode& inode, std::uint64_t blocks, std::vector<BlockRun>& runs);

private:
    std::size_t readRun(std::span<const std::uint64_t> inodes);
    bool standsStill(std::uint64_t number, std::uint32_t offset, Ext4Inode& inode);
    bool isReadable(const Ext4Inode& folder) const;
    bool beginFolder(std::uint64_t folder, std::uint64_t above, const Ext4Inode* known);
    bool nextPiece();
    bool inlineParts(std::vector<std::span<const unsigned char>>& parts) const;
    bool skipDots(std::uint64_t inode, const unsigned char* name, std::size_t length);
    static bool isGoodName(const unsigned char* name, std::size_t length);

    template <typename Block>
    bool forEachBlock(const Block& take)
    {
        if (folder_.isInline()) {
            std::vector<std::span<const unsigned char>> parts;
            return inlineParts(parts) && std::all_of(parts.begin(), parts.end(),
                                                     [&](const auto& part) { return take(part.data(), part.size()); });
        }
        while (left_ > 0) {
            if (!nextPiece())
                return false;
            for (std::size_t at = 0; at < pieceBytes_; at += drive_->blockSize())
                if (!take(piece_.data() + at, drive_->blockSize()))
                    return false;
        }
        return dots_ == 2;
    }

    template <typename Take>
    bool namesIn(const unsigned char* block, std::size_t size, const Take& take)
    {
        constexpr std::size_t head = 8;
        for (std::size_t at = 0; at < size;) {
            if (size - at < head)
                return false;
            const auto* entry = block + at;
            std::size_t length = ext4::u16(entry + 4);
            if (size == 0x10000 && (length == 0 || length == 0xFFFF))
                length = 0x10000;
            const std::size_t name = drive_->namesHaveTypes() ? entry[6] : ext4::u16(entry + 6);
            if (length < head || length % 4 != 0 || length > size - at || head + name > length)
                return false;
            at += length;
            const std::uint64_t inode = ext4::u32(entry);
            if (inode == 0)
                continue;
            if (inode > drive_->inodes() || name > 255)
                return false;
            const auto* text = entry + head;
            if (dots_ < 2) {
                if (!skipDots(inode, text, name))
                    return false;
                continue;
            }
            if (!isGoodName(text, name))
                return false;
            take(inode, std::string_view(reinterpret_cast<const char*>(text), name));
        }
        return true;
    }

    bool holdsSum(const unsigned char* block, std::uint32_t seed) const;
    bool extents(const unsigned char* node, std::size_t size, unsigned depth, std::uint32_t seed, std::uint64_t blocks,
                 std::vector<BlockRun>& runs, std::uint64_t& next);
    bool oldMap(const unsigned char* entries, std::size_t count, unsigned level, std::uint64_t blocks,
                std::vector<BlockRun>& runs, std::uint64_t& next);

    const std::shared_ptr<const Ext4Drive> drive_;
    const Moment since_;
    std::vector<unsigned char> raw_;       ///< one inode
    std::vector<unsigned char> table_;     ///< a stretch of an inode table
    std::vector<std::uint32_t> offsets_;   ///< of the inodes that were asked for, in it
    std::uint64_t number_ = 0, above_ = 0; ///< of the folder that is read
    Ext4Inode folder_;
    int dots_ = 0;           ///< of "." and "..", met
    std::size_t run_ = 0;    ///< the next one of runs_
    std::uint64_t done_ = 0; ///< of its blocks
    std::uint64_t left_ = 0; ///< blocks
    std::size_t pieceBytes_ = 0;
    std::vector<unsigned char> piece_; ///< blocks of a folder
    std::vector<BlockRun> runs_;
};

} // namespace kurvo
