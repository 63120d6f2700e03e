// SPDX-License-Identifier: GPL-3.0-or-later
// What a drive's own tables say its blocks are used for: the part of the ledger that no folder shows.
#pragma once

#include <cstdint>
#include <stop_token>

#include "core/base/result.h"

namespace kurvo {

class Ext4Drive;

/// All bytes as they are given out; every used inode is in one of the classes.
struct DriveAccount {
    std::uint64_t named = 0, namedInodes = 0;    ///< files and folders with a link, the root among them
    std::uint64_t orphans = 0, orphanInodes = 0; ///< without any name: deleted, and held open
    std::uint64_t attributeInodes = 0; ///< values of extended attributes: whose they are counts their blocks, too
    std::uint64_t reserved = 0, reservedInodes = 0; ///< the filesystem's own inodes, without the journal
    std::uint64_t journal = 0;
    std::uint64_t layout = 0;  ///< superblocks, descriptors, bitmaps, inode tables
    std::uint64_t twice = 0;   ///< attribute blocks that several files share: each counts them, in `named`
    std::uint64_t total = 0;   ///< of the whole filesystem
    std::uint64_t notRead = 0; ///< inodes of which nothing is known
};

/// Reads all tables once; 256 bytes for each inode that was ever used. Blocks.
Result<DriveAccount> accountOf(const Ext4Drive& drive, const std::stop_token& stop = {});

} // namespace kurvo
