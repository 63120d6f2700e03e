// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/blocks.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>
#include <zstd.h>

#include <algorithm>
#include <atomic>
#include <bit>
#include <cerrno>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

#include "core/base/team.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr int wholeLevel = 1;   // level 3 saves 4 % and takes twice the time
constexpr int chainedLevel = 3; // finds more of what is the same

bool readFully(int fd, char* to, std::size_t size, std::uint64_t from)
{
    for (std::size_t done = 0; done < size;) {
        const auto n = ::pread(fd, to + done, size - done, static_cast<off_t>(from + done));
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            return false;
        done += static_cast<std::size_t>(n);
    }
    return true;
}

std::string encodeHead(const BlockHead& head)
{
    std::string bytes;
    putU32(bytes, head.column);
    putU32(bytes, head.stored);
    putU32(bytes, head.raw);
    putU32(bytes, head.items);
    putU64(bytes, head.prefixStart);
    putU32(bytes, head.prefixLength);
    putU32(bytes, 0);
    return bytes;
}

} // namespace

std::size_t blockHeadSize(std::uint32_t version)
{
    return version == 1 ? 24 : 40;
}

struct BlockWriter::Packer {
    ZSTD_CCtx* context = ZSTD_createCCtx();
    Packer()
    {
        if (!context)
            throw std::bad_alloc();
    }
    ~Packer() { ZSTD_freeCCtx(context); }
    Packer(const Packer&) = delete;
    Packer& operator=(const Packer&) = delete;

    void pack(const std::string& raw, std::string_view prefix, std::string& out)
    {
        ZSTD_CCtx_reset(context, ZSTD_reset_session_and_parameters);
        ZSTD_CCtx_setParameter(context, ZSTD_c_compressionLevel, prefix.empty() ? wholeLevel : chainedLevel);
        if (!prefix.empty()) {
            ZSTD_CCtx_setParameter(context, ZSTD_c_windowLog,
                                   std::max(17, static_cast<int>(std::bit_width(prefix.size() + raw.size())) + 1));
            ZSTD_CCtx_refPrefix(context, prefix.data(), prefix.size());
        }
        out.resize(ZSTD_compressBound(raw.size()));
        out.resize(
            ZSTD_compress2(context, out.data(), out.size(), raw.data(), raw.size())); // of that bound: cannot fail
    }
};

BlockWriter::BlockWriter(const ByteSink& write) : write_(write), packer_(std::make_unique<Packer>()) { }
BlockWriter::~BlockWriter() = default;

void BlockWriter::put(Column c, const std::string& raw, std::uint32_t items, std::uint64_t prefixStart,
                      std::string_view prefix)
{
    packer_->pack(raw, prefix, packed_);
    BlockHead head{static_cast<std::uint32_t>(c),
                   static_cast<std::uint32_t>(packed_.size()),
                   static_cast<std::uint32_t>(raw.size()),
                   items,
                   prefix.empty() ? 0 : prefixStart,
                   static_cast<std::uint32_t>(prefix.size()),
                   0};
    auto bytes = encodeHead(head);
    // The checksum covers the head as well, so that a flipped count is found before it is believed.
    putU64(bytes, XXH3_64bits_withSeed(packed_.data(), packed_.size(), XXH3_64bits(bytes.data(), bytes.size())));
    write_(bytes.data(), bytes.size());
    write_(packed_.data(), packed_.size());
    ++blocks_;
}

void BlockWriter::close(Column c)
{
    const auto i = static_cast<std::size_t>(c);
    put(c, columns_[i].bytes(), items_[i]);
    columns_[i].clear();
    items_[i] = 0;
}

void BlockWriter::finish()
{
    for (std::uint32_t c = 1; c <= lastColumn; ++c)
        if (items_[c] > 0)
            close(static_cast<Column>(c));
    BlockHead end;
    end.items = blocks_;
    auto bytes = encodeHead(end);
    putU64(bytes, XXH3_64bits(bytes.data(), bytes.size()));
    write_(bytes.data(), bytes.size());
}

Error SnapshotFile::damaged(const std::string& what) const
{
    return {ErrorKind::Damaged, path_, 0, "The snapshot " + displayText(path_) + " is damaged: " + what};
}

bool SnapshotFile::read(std::string& out, std::size_t size)
{
    if (size > size_ - at_)
        return false;
    out.resize(size);
    if (!readFully(fd_.get(), out.data(), size, at_))
        return false;
    at_ += size;
    return true;
}

Result<SnapshotFile> SnapshotFile::open(const std::string& path)
{
    SnapshotFile file;
    file.path_ = path;
    file.fd_ = UniqueFd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    struct stat s { };
    if (!file.fd_ || ::fstat(file.fd_.get(), &s) != 0)
        return systemError("open the snapshot", path, errno);
    if (!S_ISREG(s.st_mode))
        return Error{ErrorKind::WrongFormat, path, 0,
                     displayText(path) + " is not a snapshot: it is not a regular file."};
    file.size_ = static_cast<std::uint64_t>(s.st_size);
    std::string preamble;
    if (!file.read(preamble, preambleSize) || !preamble.starts_with(snapshotMagic))
        return Error{ErrorKind::WrongFormat, path, 0, displayText(path) + " is not a Kurvo snapshot."};
    const auto version = getU32(preamble, 8);
    if (version > snapshotVersion)
        return Error{ErrorKind::TooNew, path, 0,
                     "The snapshot " + displayText(path) + " was written by a newer version of Kurvo (format " +
                         std::to_string(version) + "; this one reads up to " + std::to_string(snapshotVersion) + ")."};
    const auto size = getU32(preamble, 12);
    std::string header;
    if (version == 0 || size > largestHeader || !file.read(header, size))
        return file.damaged("it ends within its header.");
    if (XXH3_64bits(header.data(), header.size()) != getU64(preamble, 16))
        return file.damaged("the checksum of its header is wrong.");
    auto decoded = decodeHeader(header, path);
    if (!decoded)
        return decoded.error();
    // A header of another version would be read by other rules.
    if ((version == 1) != decoded->info.id.empty())
        return file.damaged("its version does not fit its header.");
    file.header_ = std::move(*decoded);
    file.header_.version = version;
    file.blocksAt_ = file.at_;
    return file;
}

Result<BlockHead> SnapshotFile::readHead(std::uint32_t blocksBefore)
{
    const auto version = header_.version;
    std::string bytes;
    if (!read(bytes, blockHeadSize(version)))
        return damaged("it was cut off.");
    BlockHead head{getU32(bytes, 0), getU32(bytes, 4), getU32(bytes, 8), getU32(bytes, 12)};
    if (version > 1) {
        head.prefixStart = getU64(bytes, 16);
        head.prefixLength = getU32(bytes, 24);
    }
    const auto summed = bytes.size() - 8;
    head.checksum = getU64(bytes, summed);
    head.seed = XXH3_64bits(bytes.data(), summed);
    head.at = at_;
    if (head.column == 0) {
        if (head.checksum != head.seed || head.items != blocksBefore)
            return damaged("its end mark is wrong.");
        if (at_ != size_)
            return damaged("something follows its end.");
        return head;
    }
    constexpr std::uint64_t longestName = 256, longestRecord = 48; // of the index; other items are shorter
    const bool isIndex = head.column == static_cast<std::uint32_t>(Column::Index);
    const bool hasText = head.column == static_cast<std::uint32_t>(Column::Names) ||
                         head.column == static_cast<std::uint32_t>(Column::NotRead);
    if (head.column > lastColumn || head.raw > blockTarget + longestItem || head.prefixLength > longestPrefix ||
        (head.prefixLength > 0 && (!isIndex || header_.info.baseId.empty())) ||
        (version > 1 && head.raw > head.items * (hasText ? longestName : longestRecord) + longestItem) ||
        head.stored > size_ - at_)
        return damaged("it was cut off or a block is not valid.");
    at_ += head.stored;
    return head;
}

Result<Done> SnapshotFile::unpack(const BlockHead& head, char* raw, std::string_view prefix) const
{
    const auto packed = std::make_unique_for_overwrite<char[]>(head.stored);
    if (!readFully(fd_.get(), packed.get(), head.stored, head.at))
        return damaged("it was cut off or a block is not valid.");
    if (XXH3_64bits_withSeed(packed.get(), head.stored, head.seed) != head.checksum)
        return damaged("the checksum of a block is wrong.");
    if (!raw)
        return Done{};
    struct Context {
        ZSTD_DCtx* context = ZSTD_createDCtx();
        ~Context() { ZSTD_freeDCtx(context); }
    } unpacker;
    if (!unpacker.context)
        throw std::bad_alloc();
    if (!prefix.empty())
        ZSTD_DCtx_refPrefix(unpacker.context, prefix.data(), prefix.size());
    if (ZSTD_decompressDCtx(unpacker.context, raw, head.raw, packed.get(), head.stored) != head.raw)
        return damaged("a block cannot be unpacked.");
    return Done{};
}

Result<Done> SnapshotFile::readColumns(Columns& columns, std::vector<std::uint32_t>* indexSizes)
{
    at_ = blocksAt_;
    std::vector<BlockHead> blocks;
    std::array<std::uint64_t, lastColumn + 1> items{};
    std::array<std::size_t, lastColumn + 1> sizes{};
    const auto most = header_.info.entries + 1;
    const auto index = static_cast<std::uint32_t>(Column::Index);
    for (std::uint32_t number = 0;; ++number) {
        const auto head = readHead(number);
        if (!head)
            return head.error();
        if (head->column == 0)
            break;
        // Not more than the header says that there is: what is claimed is not believed before.
        if ((items[head->column] += head->items) > most &&
            head->column != static_cast<std::uint32_t>(Column::NotRead) &&
            head->column != static_cast<std::uint32_t>(Column::Steps))
            return damaged("it has more than its header says.");
        if (head->column == index && indexSizes)
            indexSizes->push_back(head->raw);
        if (head->column != index || indexSizes)
            sizes[head->column] += head->raw;
        blocks.push_back(*head);
    }
    std::vector<char*> places;
    try {
        for (std::size_t c = 0; c < columns.size(); ++c)
            columns[c] = ColumnBytes(std::exchange(sizes[c], 0));
    } catch (const std::bad_alloc&) { // a few bytes can claim a million
        return damaged("it asks for more memory than there is.");
    }
    for (const auto& head : blocks) {
        const bool isKept = head.column != index || indexSizes;
        places.push_back(isKept ? columns[head.column].data() + sizes[head.column] : nullptr);
        sizes[head.column] += head.raw;
    }

    std::atomic<std::size_t> next{0};
    std::mutex mutex;
    std::optional<Error> problem;
    inTeam(blocks.size() > 4 ? 2 : 1, [&] {
        for (auto i = next++; i < blocks.size(); i = next++)
            if (const auto unpacked = unpack(blocks[i], places[i]); !unpacked) {
                const std::lock_guard lock(mutex);
                problem = unpacked.error();
                next = blocks.size();
            }
    });
    if (problem)
        return *problem;
    return Done{};
}

Result<std::vector<std::string>> SnapshotFile::readIndexBlocks(const std::vector<std::size_t>& numbers,
                                                               const PrefixOf& prefixOf)
{
    at_ = blocksAt_;
    std::vector<std::string> found;
    auto wanted = numbers.begin();
    for (std::uint32_t number = 0; wanted != numbers.end(); ++number) {
        const auto head = readHead(number);
        if (!head)
            return head.error();
        if (head->column != static_cast<std::uint32_t>(Column::Index))
            return damaged("its index is not complete.");
        if (number != *wanted)
            continue;
        std::string prefix;
        if (head->prefixLength > 0) {
            auto stretch = prefixOf(head->prefixStart, head->prefixLength);
            if (!stretch)
                return stretch.error();
            prefix = std::move(*stretch);
        }
        found.emplace_back(head->raw, '\0');
        if (auto unpacked = unpack(*head, found.back().data(), prefix); !unpacked)
            return unpacked.error();
        ++wanted;
    }
    return found;
}

Result<std::string> SnapshotFile::readIndexStretch(std::uint64_t start, std::uint32_t length)
{
    at_ = blocksAt_;
    std::string stretch, raw;
    std::uint64_t at = 0; // of the unpacked index
    const auto end = start + length;
    for (std::uint32_t number = 0; at < end; ++number) {
        const auto head = readHead(number);
        if (!head)
            return head.error();
        if (head->column != static_cast<std::uint32_t>(Column::Index))
            return damaged("its index is not complete.");
        if (at + head->raw > start) {
            raw.resize(head->raw);
            if (auto unpacked = unpack(*head, raw.data()); !unpacked)
                return unpacked.error();
            const auto from = start > at ? start - at : 0;
            stretch.append(raw, from, end - std::max(at, start));
        }
        at += head->raw;
    }
    return stretch;
}

Result<std::string> findBase(const std::string& path, const SnapshotInfo& info)
{
    const auto folder = std::string(parentPath(path));
    std::vector<std::string> places{joinPath(joinPath(folder, ".bases"), info.baseId + snapshotSuffix)};
    if (!info.baseFile.empty() && info.baseFile.find('/') == std::string::npos)
        places.push_back(joinPath(folder, info.baseFile));
    for (const auto& place : places)
        if (const auto file = SnapshotFile::open(place); file && file->header().info.id == info.baseId)
            return place;
    return Error{ErrorKind::NotFound, path, ENOENT,
                 "The snapshot " + displayText(path) + " holds only what differs from " + displayText(info.baseFile) +
                     ", and that is not there. Copy it from where this one was taken, or save a whole copy there."};
}

Result<Base> readBase(const std::string& path)
{
    auto file = SnapshotFile::open(path);
    if (!file)
        return file.error();
    Base base;
    base.header = file->header();
    if (!base.header.info.baseId.empty())
        return Error{ErrorKind::Damaged, path, 0,
                     "The snapshot " + displayText(path) + " is damaged: it cannot be the base of another."};
    if (auto read = file->readColumns(base.columns, &base.indexSizes); !read)
        return read.error();
    return base;
}

} // namespace kurvo
