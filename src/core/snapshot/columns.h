// SPDX-License-Identifier: GPL-3.0-or-later
// Encoding of numbers in snapshot columns: LEB128 variable-length integers (DWARF 5, section 7.6), signed ones through
// zigzag, and readers that cannot run past their end.
#pragma once

#include <algorithm>
#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>

namespace kurvo {

/// The columns, by their numbers in the file.
enum class Column : std::uint32_t {
    End = 0,
    Names = 1,    ///< NUL-terminated
    Kinds = 2,    ///< u16 a node: EntryKind | NodeFlag (door, unreadable, unfinished)
    Children = 3, ///< varint a folder: number of children
    Sizes = 4,    ///< varint a node: st_size; 0 for folders and special files
    Blocks =
        5, ///< a node: 512-byte blocks; varint in version 1, zigzag varint of the difference to usualBlocks() later
    Modified = 6,   ///< zigzag varint a node: seconds since the previous node's
    ModifiedNs = 7, ///< varint a node
    Inodes = 8,     ///< zigzag varint a node: difference to the previous node's
    Owners = 9,     ///< varint a node: uid
    Devices = 10,   ///< varint a folder: major << 32 | minor
    Links = 11,     ///< varint a node that is no folder: st_nlink
    Index = 12,     ///< a folder, or a file of 1 MiB or more: see figures_index.h; from version 2 on
    NotRead = 13,   ///< what could not be read: varint errno, path, NUL; from version 2 on
    Steps = 14      ///< how the nodes follow from those of the base: varint count << 2 | ChainStep
};
inline constexpr std::uint32_t lastColumn = 14;

/// What comes of the next nodes of the base.
enum class ChainStep : std::uint64_t {
    Copy = 0,  ///< they stand here as they are
    Skip = 1,  ///< they are gone
    Patch = 2, ///< they stand here with another size, blocks, time, inode, number of children
    Insert = 3 ///< as many new nodes, in full
};

/// How many blocks of 512 bytes an entry of this size mostly has: whole pages of 4 KiB.
inline std::uint64_t usualBlocks(std::uint64_t size)
{
    return (size / 4096 + (size % 4096 != 0 ? 1 : 0)) * 8;
}

class ColumnWriter {
public:
    void byte(std::uint8_t value) { bytes_ += static_cast<char>(value); }
    void u16(std::uint16_t value)
    {
        byte(static_cast<std::uint8_t>(value));
        byte(static_cast<std::uint8_t>(value >> 8));
    }
    void varint(std::uint64_t value)
    {
        for (; value >= 0x80; value >>= 7)
            byte(static_cast<std::uint8_t>(value | 0x80));
        byte(static_cast<std::uint8_t>(value));
    }
    /// The difference of two numbers, either way round, wrapping.
    void difference(std::uint64_t value, std::uint64_t previous)
    {
        const std::uint64_t d = value - previous;
        varint((d << 1) ^ (0 - (d >> 63)));
    }
    void text(std::string_view bytes)
    {
        bytes_ += bytes;
        bytes_ += '\0';
    }
    const std::string& bytes() const { return bytes_; }
    void clear() { bytes_.clear(); }

private:
    std::string bytes_;
};

/// Reads what ColumnWriter wrote. A read past the end gives 0 and sets failed().
class ColumnReader {
public:
    explicit ColumnReader(std::string_view bytes) : at_(bytes.data()), end_(bytes.data() + bytes.size()) { }

    std::uint8_t byte()
    {
        if (at_ == end_) {
            failed_ = true;
            return 0;
        }
        return static_cast<std::uint8_t>(*at_++);
    }
    std::uint16_t u16()
    {
        const auto low = byte();
        return static_cast<std::uint16_t>(low | byte() << 8);
    }
    std::uint64_t varint()
    {
        std::uint64_t value = 0;
        for (unsigned shift = 0; shift < 64; shift += 7) {
            const auto b = byte();
            value |= std::uint64_t{b & 0x7Fu} << shift;
            if ((b & 0x80) == 0)
                return value;
        }
        failed_ = true;
        return 0;
    }
    std::uint64_t difference(std::uint64_t previous)
    {
        const auto z = varint();
        return previous + ((z >> 1) ^ (0 - (z & 1)));
    }
    std::string_view text()
    {
        const auto* end = static_cast<const char*>(std::memchr(at_, '\0', static_cast<std::size_t>(end_ - at_)));
        if (!end) {
            failed_ = true;
            return {};
        }
        const std::string_view result(at_, static_cast<std::size_t>(end - at_));
        at_ = end + 1;
        return result;
    }
    /// As many bytes as are there, at most.
    std::string_view bytes(std::size_t count)
    {
        const std::string_view result(at_, std::min(count, left()));
        at_ += result.size();
        return result;
    }
    bool failed() const { return failed_; }
    bool atEnd() const { return at_ == end_; }
    std::size_t left() const { return static_cast<std::size_t>(end_ - at_); }

private:
    const char* at_;
    const char* end_;
    bool failed_ = false;
};

} // namespace kurvo
