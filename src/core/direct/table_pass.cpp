// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/table_pass.h"

#include <algorithm>
#include <chrono>
#include <thread>

#include "core/base/team.h"

namespace kurvo {

bool TablePassProgress::goesOn(const std::stop_token& stop) const
{
    while (!stop.stop_requested() && isHeld && isHeld())
        std::this_thread::sleep_for(std::chrono::milliseconds(20));
    return !stop.stop_requested();
}

std::uint64_t passTables(const Ext4Drive& drive, const std::function<TakePiece()>& make, TablePassProgress& progress,
                         const std::stop_token& stop)
{
    constexpr std::uint64_t pieceSize = 1 << 20;
    constexpr unsigned members = 2; // one reads while another takes apart what it read
    struct Piece {
        std::uint64_t inode, at, count;
    };
    std::vector<Piece> pieces;
    const auto perPiece = pieceSize / drive.inodeSize();
    std::uint64_t bytes = 0;
    for (std::size_t group = 0; group < drive.groups().size(); ++group) {
        const auto& one = drive.groups()[group];
        for (std::uint64_t i = 0; i < one.usedInodes; i += perPiece) {
            const auto count = std::min<std::uint64_t>(perPiece, one.usedInodes - i);
            pieces.push_back({group * drive.inodesInGroup() + i + 1, one.inodeTable + i * drive.inodeSize(), count});
            bytes += count * drive.inodeSize();
        }
    }
    progress.of += bytes;
    std::sort(pieces.begin(), pieces.end(), [](const Piece& a, const Piece& b) { return a.at < b.at; });
    std::atomic<std::size_t> next{0};
    std::atomic<std::uint64_t> failed{0};
    inTeam(members, [&] {
        std::vector<unsigned char> buffer(pieceSize);
        const auto take = make();
        for (auto i = next.fetch_add(1); i < pieces.size() && progress.goesOn(stop); i = next.fetch_add(1)) {
            const auto size = pieces[i].count * drive.inodeSize();
            if (drive.device().read(pieces[i].at, buffer.data(), size) == 0)
                take({pieces[i].inode, buffer.data(), pieces[i].count});
            else
                failed += pieces[i].count;
            progress.done += size;
        }
    });
    return failed;
}

} // namespace kurvo
