// SPDX-License-Identifier: GPL-3.0-or-later
// One pass over all inode tables of a drive, in the order in which they lie.
#pragma once

#include <atomic>
#include <functional>
#include <stop_token>

#include "core/direct/ext4_drive.h"

namespace kurvo {

/// Some inodes that lie one behind the other.
struct TablePiece {
    std::uint64_t firstInode = 0;
    unsigned char* raw = nullptr;
    std::size_t count = 0;
};

/// Calls `make()` once on each of some threads, and what it gives for each piece of the used parts of the tables. What
/// cannot be read is left out and counted. Blocks.
struct TablePassProgress {
    std::atomic<std::uint64_t> done{0}, of{0}; ///< bytes; the pass adds its own
    std::atomic<bool> tablesDone{false};       ///< what is left are blocks of folders
    std::atomic<std::uint64_t> foldersUpTo{0}; ///< those that begin before this byte of the device are in memory
    std::function<bool()> isHeld = {};         ///< asked by several threads; while it says so nothing more is read
    /// Between two pieces: waits while it is held. False where reading is to end.
    bool goesOn(const std::stop_token& stop) const;
};
using TakePiece = std::function<void(const TablePiece&)>;
std::uint64_t passTables(const Ext4Drive& drive, const std::function<TakePiece()>& make, TablePassProgress& progress,
                         const std::stop_token& stop);

} // namespace kurvo
