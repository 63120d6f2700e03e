// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/read_ahead.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <mutex>

#include "core/base/team.h"
#include "core/direct/ext4_folder.h"

namespace kurvo {
namespace {

constexpr std::uint64_t aheadPiece = 1 << 20;
constexpr std::uint64_t gap = 64 << 10;           ///< read over rather than sought over
constexpr std::uint64_t mostBehind = 64ull << 30; ///< a folder's map beyond that is left to others

struct Stretch {
    std::uint64_t at = 0, end = 0;
};

/// Stretches in ascending order, those close together as one, and none longer than a piece.
std::vector<Stretch> inPieces(std::vector<Stretch> all)
{
    std::sort(all.begin(), all.end(), [](const Stretch& a, const Stretch& b) { return a.at < b.at; });
    std::vector<Stretch> pieces;
    for (auto one : all) {
        if (!pieces.empty() && one.at <= pieces.back().end + gap && one.end <= pieces.back().at + aheadPiece) {
            pieces.back().end = std::max(pieces.back().end, one.end);
            continue;
        }
        for (; one.end - one.at > aheadPiece; one.at += aheadPiece)
            pieces.push_back({one.at, one.at + aheadPiece});
        pieces.push_back(one);
    }
    return pieces;
}

std::vector<Stretch> tablesOf(const Ext4Drive& drive)
{
    std::vector<Stretch> tables;
    for (const auto& group : drive.groups())
        if (group.usedInodes > 0)
            tables.push_back(
                {group.inodeTable, group.inodeTable + std::uint64_t{group.usedInodes} * drive.inodeSize()});
    return tables;
}

/// The blocks of the folders in a piece of a table; of large ones only the first.
void addFolders(const Ext4Drive& drive, const TablePiece& piece, std::vector<Stretch>& found)
{
    auto* raw = piece.raw;
    for (std::size_t i = 0; i < piece.count; ++i, raw += drive.inodeSize()) {
        constexpr unsigned folder = 0x4000, kind = 0xF000;
        Ext4Inode inode;
        if ((ext4::u16(raw) & kind) != folder ||
            drive.decode(piece.firstInode + i, raw, inode) != Ext4Drive::Decoded::Good)
            continue;
        const std::uint64_t size = drive.blockSize();
        forFirstRuns(drive, inode, [&](const BlockRun& run) {
            found.push_back({run.first * size, (run.first + run.count) * size});
        });
    }
}

} // namespace

bool tablesAreCached(const Ext4Drive& drive)
{
    const auto pieces = tablesOf(drive);
    std::uint64_t bytes = 0;
    for (const auto& piece : pieces)
        bytes += piece.end - piece.at;
    constexpr std::uint64_t samples = 256;
    const auto step = std::max<std::uint64_t>(bytes / samples, 1);
    constexpr std::uint64_t mostMissing = samples / 50; // each has the kernel read more than the byte asked for
    std::uint64_t missing = 0, skipped = 0;
    for (const auto& piece : pieces) {
        std::uint64_t at = piece.at + skipped;
        for (; at < piece.end; at += step) {
            missing += drive.device().isCached(at) ? 0 : 1;
            if (missing > mostMissing)
                return false;
        }
        skipped = at - piece.end;
    }
    return true;
}

void readAhead(const Ext4Drive& drive, TablePassProgress& progress, std::stop_token stop)
{
    std::vector<Stretch> folders;
    std::mutex mutex;
    std::uint64_t expected = 0; // until the folders are known
    for (const auto& group : drive.groups())
        expected += std::uint64_t{group.folders} * drive.blockSize();
    progress.of = expected;
    passTables(
        drive,
        [&]() -> TakePiece {
            return [&](const TablePiece& piece) {
                std::vector<Stretch> found;
                addFolders(drive, piece, found);
                const std::lock_guard lock(mutex);
                folders.insert(folders.end(), found.begin(), found.end());
            };
        },
        progress, stop);
    progress.tablesDone = true;
    const auto blocks = inPieces(std::move(folders));
    std::uint64_t more = 0;
    for (const auto& piece : blocks)
        more += piece.end - piece.at;
    if (more > mostBehind) {
        progress.of = progress.done.load();
        return;
    }
    progress.of += more - expected;
    std::atomic<std::size_t> next{0};
    constexpr unsigned members = 2;
    std::atomic<unsigned> member{0};
    std::array<std::atomic<std::size_t>, members> at{};
    inTeam(members, [&] {
        std::vector<unsigned char> buffer(aheadPiece + gap);
        auto& own = at[member.fetch_add(1)];
        for (auto i = next.fetch_add(1); i < blocks.size() && progress.goesOn(stop); i = next.fetch_add(1)) {
            own = i;
            const auto size = blocks[i].end - blocks[i].at;
            if (constexpr std::size_t far = 4; i + far < blocks.size()) // so that the disk has more to do than wait
                drive.device().begin(blocks[i + far].at, blocks[i + far].end - blocks[i + far].at);
            drive.device().bring(blocks[i].at, buffer.data(), std::min<std::uint64_t>(size, buffer.size()));
            progress.done += size;
            own = i + 1;
            const auto behind = std::min(at[0].load(), at[1].load());
            for (auto known = progress.foldersUpTo.load(); behind < blocks.size() && known < blocks[behind].at;)
                if (progress.foldersUpTo.compare_exchange_weak(known, blocks[behind].at))
                    break;
        }
    });
}

} // namespace kurvo
