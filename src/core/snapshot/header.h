// SPDX-License-Identifier: GPL-3.0-or-later
// The fixed parts of a snapshot file: internal to core/snapshot.
#pragma once

#include <array>
#include <cstddef>
#include <string_view>

#include "core/snapshot/snapshot.h"

namespace kurvo {

inline constexpr std::string_view snapshotMagic = "KURVOSNP";
inline constexpr std::size_t preambleSize = 24; ///< magic, version, header size, header checksum
inline constexpr std::size_t largestHeader = 1 << 20;

inline void putU32(std::string& out, std::uint32_t v)
{
    for (int i = 0; i < 4; ++i)
        out += static_cast<char>(v >> (8 * i));
}
inline void putU64(std::string& out, std::uint64_t v)
{
    for (int i = 0; i < 8; ++i)
        out += static_cast<char>(v >> (8 * i));
}
inline std::uint32_t getU32(std::string_view in, std::size_t at)
{
    std::uint32_t v = 0;
    for (unsigned i = 0; i < 4; ++i)
        v |= std::uint32_t{static_cast<std::uint8_t>(in[at + i])} << (8 * i);
    return v;
}
inline std::uint64_t getU64(std::string_view in, std::size_t at)
{
    return getU32(in, at) | std::uint64_t{getU32(in, at + 4)} << 32;
}

struct SnapshotHeader {
    std::uint32_t version = snapshotVersion;
    SnapshotInfo info;
    std::vector<std::uint64_t> index; ///< the first hash of each block of the index
};

std::string encodeHeader(const SnapshotHeader& header);
/// Damaged when the CBOR does not hold what a header must hold.
Result<SnapshotHeader> decodeHeader(std::string_view bytes, const std::string& path);

} // namespace kurvo
