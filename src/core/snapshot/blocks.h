// SPDX-License-Identifier: GPL-3.0-or-later
// The blocks of a snapshot file: writing them, and reading them with bounds. Internal to core/snapshot.
#pragma once

#include <algorithm>
#include <array>
#include <memory>
#include <string>
#include <string_view>

#include "core/platform/unique_fd.h"
#include "core/snapshot/columns.h"
#include "core/snapshot/header.h"

namespace kurvo {

/// Raw bytes after which a block is closed; the last item may be one long name more.
inline constexpr std::size_t blockTarget = 1 << 20;
inline constexpr std::size_t longestItem = 8192;
inline constexpr std::size_t longestPrefix = 1 << 20;

/// Bytes of a column, in memory that is not cleared before it is filled.
class ColumnBytes {
public:
    ColumnBytes() = default;
    explicit ColumnBytes(std::size_t size) : bytes_(std::make_unique_for_overwrite<char[]>(size)), size_(size) { }
    explicit ColumnBytes(std::string_view bytes) : ColumnBytes(bytes.size())
    {
        std::copy(bytes.begin(), bytes.end(), bytes_.get());
    }
    char* data() { return bytes_.get(); }
    operator std::string_view() const { return {bytes_.get(), size_}; }

private:
    std::unique_ptr<char[]> bytes_;
    std::size_t size_ = 0;
};

/// The unpacked columns of a file, by number.
using Columns = std::array<ColumnBytes, lastColumn + 1>;

/// What a file is packed against.
struct Base {
    SnapshotHeader header;
    Columns columns;
    std::vector<std::uint32_t> indexSizes; ///< raw bytes of each block of its index
};

struct BlockHead {
    std::uint32_t column = 0;
    std::uint32_t stored = 0;
    std::uint32_t raw = 0;
    std::uint32_t items = 0;
    std::uint64_t prefixStart = 0; ///< in the index of the base; other columns have none
    std::uint32_t prefixLength = 0;
    std::uint64_t checksum = 0;
    std::uint64_t seed = 0; ///< of the checksum of what is packed: that of the head itself
    std::uint64_t at = 0;   ///< where in the file the packed bytes begin
};
std::size_t blockHeadSize(std::uint32_t version);

class BlockWriter {
public:
    explicit BlockWriter(const ByteSink& write);
    ~BlockWriter();
    BlockWriter(const BlockWriter&) = delete;
    BlockWriter& operator=(const BlockWriter&) = delete;

    ColumnWriter& column(Column c) { return columns_[static_cast<std::size_t>(c)]; }
    /// Notes one more item in the column and closes its block when it is full.
    void item(Column c)
    {
        const auto i = static_cast<std::size_t>(c);
        ++items_[i];
        if (columns_[i].bytes().size() >= blockTarget)
            close(c);
    }
    /// A block by itself; `prefix` is what stands at `prefixStart` of the base's index, or nothing.
    void put(Column c, const std::string& raw, std::uint32_t items, std::uint64_t prefixStart = 0,
             std::string_view prefix = {});
    void finish();

private:
    void close(Column c);

    const ByteSink& write_;
    struct Packer;
    std::unique_ptr<Packer> packer_;
    std::array<ColumnWriter, lastColumn + 1> columns_;
    std::array<std::uint32_t, lastColumn + 1> items_{};
    std::string packed_;
    std::uint32_t blocks_ = 0;
};

/// A snapshot file, read from its start. Errors are sentences that name the file.
class SnapshotFile {
public:
    static Result<SnapshotFile> open(const std::string& path);
    const SnapshotHeader& header() const { return header_; }
    const std::string& path() const { return path_; }

    /// Everything, checked; by two threads. The index is only unpacked where `indexSizes` is given, which gets the raw
    /// size of each of its blocks, and then only in a whole file; else only its checksums are looked at.
    Result<Done> readColumns(Columns& columns, std::vector<std::uint32_t>* indexSizes = nullptr);
    /// The blocks of the index with these numbers (ascending) one after the other, without anything else of the file;
    /// `base` unpacks what they are packed against and may be empty for a whole file.
    using PrefixOf = std::function<Result<std::string>(std::uint64_t start, std::uint32_t length)>;
    Result<std::vector<std::string>> readIndexBlocks(const std::vector<std::size_t>& numbers, const PrefixOf& prefix);
    /// A stretch of the unpacked index. Only for whole files.
    Result<std::string> readIndexStretch(std::uint64_t start, std::uint32_t length);

private:
    bool read(std::string& out, std::size_t size);
    /// Reads a head and goes on behind its block.
    Result<BlockHead> readHead(std::uint32_t blocksBefore);
    /// Reads, checks and unpacks a block into `raw`, which has head.raw bytes of room. From any thread.
    Result<Done> unpack(const BlockHead& head, char* raw, std::string_view prefix = {}) const;
    Error damaged(const std::string& what) const;

    std::string path_;
    UniqueFd fd_;
    std::uint64_t at_ = 0, size_ = 0, blocksAt_ = 0;
    SnapshotHeader header_;
};

/// The file that a chained snapshot is packed against: kept in ".bases" beside it, or under the name that it had.
Result<std::string> findBase(const std::string& path, const SnapshotInfo& info);
/// Reads it whole.
Result<Base> readBase(const std::string& path);

} // namespace kurvo
