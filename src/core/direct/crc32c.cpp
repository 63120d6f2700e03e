// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/crc32c.h"

#include <array>
#include <cstring>

namespace kurvo {
namespace {

constexpr std::array<std::uint32_t, 256> makeTable()
{
    std::array<std::uint32_t, 256> table{};
    for (std::uint32_t i = 0; i < 256; ++i) {
        std::uint32_t value = i;
        for (int bit = 0; bit < 8; ++bit)
            value = value >> 1 ^ ((value & 1) != 0 ? 0x82F63B78u : 0);
        table[i] = value;
    }
    return table;
}
constexpr auto table = makeTable();

#if defined(__x86_64__)
__attribute__((target("sse4.2"))) std::uint32_t byInstruction(std::uint32_t crc, const unsigned char* at,
                                                              std::size_t size)
{
    std::uint64_t sum = crc;
    for (; size >= 8; size -= 8, at += 8) {
        std::uint64_t word;
        std::memcpy(&word, at, 8);
        sum = __builtin_ia32_crc32di(sum, word);
    }
    auto rest = static_cast<std::uint32_t>(sum);
    for (; size > 0; --size, ++at)
        rest = __builtin_ia32_crc32qi(rest, *at);
    return rest;
}
#endif

} // namespace

std::uint32_t crc32cByTable(std::uint32_t crc, const void* bytes, std::size_t size)
{
    const auto* at = static_cast<const unsigned char*>(bytes);
    for (; size > 0; --size, ++at)
        crc = crc >> 8 ^ table[(crc ^ *at) & 0xFF];
    return crc;
}

std::uint32_t crc32c(std::uint32_t crc, const void* bytes, std::size_t size)
{
#if defined(__x86_64__)
    static const bool has = __builtin_cpu_supports("sse4.2") != 0;
    if (has)
        return byInstruction(crc, static_cast<const unsigned char*>(bytes), size);
#endif
    return crc32cByTable(crc, bytes, size);
}

} // namespace kurvo
