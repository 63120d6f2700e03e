// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/blocks.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>
#include <zstd.h>

#include <algorithm>
#include <bit>
#include <cerrno>
#include <utility>

#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr int wholeLevel = 1;   // level 3 saves 4 % and takes twice the time
constexpr int chainedLevel = 3; // finds more of what is the same

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
            // The whole prefix stays in reach, and every few bytes of it are remembered.
            ZSTD_CCtx_setParameter(context, ZSTD_c_windowLog,
                                   std::max(17, static_cast<int>(std::bit_width(prefix.size() + raw.size())) + 1));
            ZSTD_CCtx_setParameter(context, ZSTD_c_hashLog, 20);
            ZSTD_CCtx_setParameter(context, ZSTD_c_chainLog, 20);
            ZSTD_CCtx_refPrefix(context, prefix.data(), prefix.size());
        }
        out.resize(ZSTD_compressBound(raw.size()));
        out.resize(ZSTD_compress2(context, out.data(), out.size(), raw.data(), raw.size())); // of that bound: cannot fail
    }
};

BlockWriter::BlockWriter(const ByteSink& write, const Base* base, double share)
    : write_(write), base_(base), share_(share), target_(base ? chainedBlockTarget : blockTarget),
      packer_(std::make_unique<Packer>())
{
}
BlockWriter::~BlockWriter() = default;

void BlockWriter::put(Column c, const std::string& raw, std::uint32_t items, std::uint64_t prefixStart,
                      std::uint32_t prefixLength)
{
    std::string_view prefix;
    if (base_)
        prefix = std::string_view(base_->columns[static_cast<std::size_t>(c)]).substr(prefixStart, prefixLength);
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
    const auto& raw = columns_[i].bytes();
    std::uint64_t start = 0, length = 0;
    if (base_) {
        const auto size = base_->columns[i].size();
        const auto here = static_cast<std::uint64_t>(static_cast<double>(offsets_[i]) * share_);
        start = size <= longestPrefix || here < chainedBlockTarget ? 0 : std::min<std::uint64_t>(here - chainedBlockTarget, size);
        length = std::min<std::uint64_t>(longestPrefix, size - start);
    }
    put(c, raw, items_[i], start, static_cast<std::uint32_t>(length));
    offsets_[i] += raw.size();
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
    for (std::size_t done = 0; done < size;) {
        const auto n = ::pread(fd_.get(), out.data() + done, size - done, static_cast<off_t>(at_ + done));
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0)
            return false;
        done += static_cast<std::size_t>(n);
    }
    at_ += size;
    return true;
}

bool SnapshotFile::skip(std::size_t size)
{
    if (size > size_ - at_)
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
    BlockHead head{getU32(bytes, 0), getU32(bytes, 4), getU32(bytes, 8), getU32(bytes, 12), 0, 0, 0};
    if (version > 1) {
        head.prefixStart = getU64(bytes, 16);
        head.prefixLength = getU32(bytes, 24);
    }
    const auto summed = bytes.size() - 8;
    head.checksum = getU64(bytes, summed);
    headSum_ = XXH3_64bits(bytes.data(), summed);
    if (head.column == 0) {
        if (head.checksum != headSum_ || head.items != blocksBefore)
            return damaged("its end mark is wrong.");
        if (at_ != size_)
            return damaged("something follows its end.");
        return head;
    }
    const auto target = header_.info.baseId.empty() ? blockTarget : chainedBlockTarget;
    if (head.column > lastColumn || head.raw > target + longestItem || head.prefixLength > longestPrefix ||
        (head.prefixLength > 0 && header_.info.baseId.empty()))
        return damaged("it was cut off or a block is not valid.");
    return head;
}

Result<Done> SnapshotFile::unpack(const BlockHead& head, std::string_view prefix, std::string& raw)
{
    std::string packed;
    if (!read(packed, head.stored))
        return damaged("it was cut off or a block is not valid.");
    if (XXH3_64bits_withSeed(packed.data(), packed.size(), headSum_) != head.checksum)
        return damaged("the checksum of a block is wrong.");
    raw.resize(head.raw);
    struct Context {
        ZSTD_DCtx* context = ZSTD_createDCtx();
        ~Context() { ZSTD_freeDCtx(context); }
    } unpacker;
    if (!unpacker.context)
        throw std::bad_alloc();
    if (!prefix.empty())
        ZSTD_DCtx_refPrefix(unpacker.context, prefix.data(), prefix.size());
    if (ZSTD_decompressDCtx(unpacker.context, raw.data(), raw.size(), packed.data(), packed.size()) != head.raw)
        return damaged("a block cannot be unpacked.");
    return Done{};
}

Result<Done> SnapshotFile::readColumns(Columns& columns, const Base* base, std::vector<std::uint32_t>* indexSizes)
{
    at_ = blocksAt_;
    std::string raw;
    for (std::uint32_t blocks = 0;; ++blocks) {
        const auto head = readHead(blocks);
        if (!head)
            return head.error();
        if (head->column == 0)
            return Done{};
        std::string_view prefix;
        if (head->prefixLength > 0) {
            const auto& whole = base->columns[head->column];
            if (head->prefixStart > whole.size() || head->prefixLength > whole.size() - head->prefixStart)
                return damaged("it does not fit the snapshot that it is packed against.");
            prefix = std::string_view(whole).substr(head->prefixStart, head->prefixLength);
        }
        if (auto unpacked = unpack(*head, prefix, raw); !unpacked)
            return unpacked;
        columns[head->column] += raw;
        if (indexSizes && head->column == static_cast<std::uint32_t>(Column::Index))
            indexSizes->push_back(head->raw);
    }
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
        if (number != *wanted) {
            if (!skip(head->stored))
                return damaged("it was cut off.");
            continue;
        }
        std::string prefix;
        const auto headSum = headSum_;
        if (head->prefixLength > 0) {
            auto stretch = prefixOf(head->prefixStart, head->prefixLength);
            if (!stretch)
                return stretch.error();
            prefix = std::move(*stretch);
        }
        headSum_ = headSum;
        if (auto unpacked = unpack(*head, prefix, found.emplace_back()); !unpacked)
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
        if (at + head->raw <= start) {
            if (!skip(head->stored))
                return damaged("it was cut off.");
        } else {
            if (auto unpacked = unpack(*head, {}, raw); !unpacked)
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
    if (auto read = file->readColumns(base.columns, nullptr, &base.indexSizes); !read)
        return read.error();
    return base;
}

} // namespace kurvo
