// SPDX-License-Identifier: GPL-3.0-or-later
// CRC-32C (Castagnoli; polynomial 0x1EDC6F41, reflected), as the metadata checksums of ext4 use it: neither the start
// nor the result is inverted, so that sums can be continued.
#pragma once

#include <cstddef>
#include <cstdint>

namespace kurvo {

/// The sum `crc` continued over `size` bytes. Any thread.
std::uint32_t crc32c(std::uint32_t crc, const void* bytes, std::size_t size);

/// Without the processor's own instruction: for tests, and where there is none.
std::uint32_t crc32cByTable(std::uint32_t crc, const void* bytes, std::size_t size);

} // namespace kurvo
