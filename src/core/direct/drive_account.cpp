// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/drive_account.h"

#include <algorithm>
#include <mutex>

#include "core/direct/ext4_drive.h"
#include "core/direct/table_pass.h"

namespace kurvo {
namespace {

/// Takes one piece after the other; several of them at once, each for itself.
class Counter {
public:
    explicit Counter(const Ext4Drive& drive) : drive_(drive) { }

    void take(const TablePiece& piece)
    {
        const auto group = (piece.firstInode - 1) / drive_.inodesInGroup();
        if (!readBitmap(group)) {
            sums.notRead += piece.count;
            return;
        }
        for (std::size_t i = 0; i < piece.count; ++i) {
            const auto number = piece.firstInode + i;
            const auto bit = (number - 1) % drive_.inodesInGroup();
            if ((bitmap_[bit / 8] >> (bit % 8) & 1) == 0)
                continue;
            count(number, piece.raw + i * drive_.inodeSize());
        }
    }

    DriveAccount sums;
    std::vector<std::uint64_t> attributeBlocks;

private:
    bool readBitmap(std::uint64_t group)
    {
        if (group == group_)
            return true;
        bitmap_.resize(drive_.blockSize());
        const auto block = drive_.groups()[group].inodeBitmap;
        if (!drive_.isBlock(block) || drive_.read(block * drive_.blockSize(), bitmap_.data(), bitmap_.size()) != 0)
            return false;
        group_ = group;
        return true;
    }

    void count(std::uint64_t number, unsigned char* raw)
    {
        Ext4Inode inode;
        constexpr std::uint64_t root = 2;
        const bool isOwn = number != root && number < drive_.firstInode();
        // Some of the filesystem's own are empty, and no file of any kind.
        if (const auto decoded = drive_.decode(number, raw, inode); decoded != Ext4Drive::Decoded::Good) {
            if (isOwn)
                ++sums.reservedInodes;
            else if (decoded == Ext4Drive::Decoded::BadSum && drive_.readInode(number, inode, raw_))
                add(number, inode, raw_.data(), false);
            else
                ++sums.notRead;
            return;
        }
        add(number, inode, raw, isOwn);
    }

    void add(std::uint64_t number, const Ext4Inode& inode, const unsigned char* raw, bool isOwn)
    {
        auto bytes = inode.stat.blocks * 512;
        if (inode.isInline() && inode.stat.kind == EntryKind::File)
            bytes -= (inode.stat.size + 511) / 512 * 512; // no block at all
        if (number == drive_.journalInode()) {
            sums.journal += bytes;
            ++sums.reservedInodes;
        } else if (isOwn || number == drive_.orphanFile()) {
            sums.reserved += bytes;
            ++sums.reservedInodes;
        } else if (inode.holdsAttribute()) {
            ++sums.attributeInodes;
        } else if (inode.stat.links == 0) {
            sums.orphans += bytes;
            ++sums.orphanInodes;
        } else {
            sums.named += bytes;
            ++sums.namedInodes;
        }
        if (const auto block = ext4::u32(raw + 0x68) | std::uint64_t{ext4::u16(raw + 0x76)} << 32; block != 0)
            attributeBlocks.push_back(block);
    }

    const Ext4Drive& drive_;
    std::uint64_t group_ = UINT64_MAX;
    std::vector<unsigned char> bitmap_, raw_;
};

} // namespace

Result<DriveAccount> accountOf(const Ext4Drive& drive, const std::stop_token& stop)
{
    std::mutex mutex;
    std::vector<std::shared_ptr<Counter>> counters;
    TablePassProgress progress;
    const auto notRead = passTables(
        drive,
        [&]() -> TakePiece {
            auto counter = std::make_shared<Counter>(drive);
            const std::lock_guard lock(mutex);
            counters.push_back(counter);
            return [counter](const TablePiece& piece) { counter->take(piece); };
        },
        progress, stop);
    if (stop.stop_requested())
        return Error{ErrorKind::Cancelled, {}, 0, "Stopped."};
    DriveAccount all;
    std::vector<std::uint64_t> blocks;
    for (const auto& counter : counters) {
        const auto& one = counter->sums;
        all.named += one.named;
        all.namedInodes += one.namedInodes;
        all.orphans += one.orphans;
        all.orphanInodes += one.orphanInodes;
        all.attributeInodes += one.attributeInodes;
        all.reserved += one.reserved;
        all.reservedInodes += one.reservedInodes;
        all.journal += one.journal;
        all.notRead += one.notRead;
        blocks.insert(blocks.end(), counter->attributeBlocks.begin(), counter->attributeBlocks.end());
    }
    all.notRead += notRead;
    std::sort(blocks.begin(), blocks.end());
    const auto different = std::unique(blocks.begin(), blocks.end());
    all.twice = static_cast<std::uint64_t>(blocks.end() - different) * drive.blockSize();
    all.layout = drive.layoutBlocks() * drive.blockSize();
    all.total = drive.blocks() * drive.blockSize();
    return all;
}

} // namespace kurvo
