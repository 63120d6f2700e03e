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
/// Bytes that are summed up beside two others, of a block and of an inode: the instruction waits for itself.
constexpr std::size_t ofBlock = 336, ofInode = 80;

/// What a sum becomes by so many bytes of zero, which is what it takes to put sums one behind the other.
class Shift {
public:
    explicit Shift(std::size_t bytes)
    {
        for (std::uint32_t i = 0; i < 4; ++i)
            for (std::uint32_t value = 0; value < 256; ++value) {
                auto sum = value << (8 * i);
                for (std::size_t n = 0; n < bytes; ++n)
                    sum = sum >> 8 ^ table[sum & 0xFF];
                by_[i][value] = sum;
            }
    }
    std::uint32_t operator()(std::uint32_t sum) const
    {
        return by_[0][sum & 0xFF] ^ by_[1][sum >> 8 & 0xFF] ^ by_[2][sum >> 16 & 0xFF] ^ by_[3][sum >> 24];
    }

private:
    std::uint32_t by_[4][256];
};

template <std::size_t third>
__attribute__((target("sse4.2"))) std::uint32_t byThirds(std::uint32_t crc, const unsigned char*& at, std::size_t& size)
{
    static const Shift one(third), two(2 * third);
    for (; size >= 3 * third; size -= 3 * third, at += 3 * third) {
        std::uint64_t a = crc, b = 0, c = 0;
        for (std::size_t i = 0; i < third; i += 8) {
            std::uint64_t words[3];
            std::memcpy(&words[0], at + i, 8);
            std::memcpy(&words[1], at + i + third, 8);
            std::memcpy(&words[2], at + i + 2 * third, 8);
            a = __builtin_ia32_crc32di(a, words[0]);
            b = __builtin_ia32_crc32di(b, words[1]);
            c = __builtin_ia32_crc32di(c, words[2]);
        }
        crc = two(static_cast<std::uint32_t>(a)) ^ one(static_cast<std::uint32_t>(b)) ^ static_cast<std::uint32_t>(c);
    }
    return crc;
}

__attribute__((target("sse4.2"))) std::uint32_t byInstruction(std::uint32_t crc, const unsigned char* at,
                                                              std::size_t size)
{
    if (size >= 3 * ofBlock)
        crc = byThirds<ofBlock>(crc, at, size);
    if (size >= 3 * ofInode)
        crc = byThirds<ofInode>(crc, at, size);
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
