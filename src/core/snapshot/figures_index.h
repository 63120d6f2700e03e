// SPDX-License-Identifier: GPL-3.0-or-later
// The index of a snapshot: the figures of every folder and of the largest files (one entry in a hundred, and at least a
// thousand), in the order of a hash of the path below the place (XXH3, 64 bits; the place itself is the empty path). It is cut into blocks of so many records,
// and the header has the first hash of each, so that one block answers for a path. Internal to core/snapshot.
//
// A record: u64 hash, varint blocks of 512 bytes, varint apparent bytes, varint files, varint folders.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/snapshot/snapshot.h"

namespace kurvo {

inline constexpr std::size_t indexBlockRecords = 2048;

std::uint64_t indexHash(std::string_view pathBelowPlace);

/// The blocks, unpacked, and the first hash of each.
struct FiguresIndex {
    std::vector<std::string> blocks;
    std::vector<std::uint64_t> first;
    std::vector<std::uint32_t> items;
};
FiguresIndex makeIndex(const FileTree& tree);

/// The record in an unpacked block.
std::optional<EntryFigures> findInBlock(std::string_view block, std::uint64_t hash);

} // namespace kurvo
