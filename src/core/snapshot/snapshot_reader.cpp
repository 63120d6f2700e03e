// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <sys/stat.h>
#include <xxhash.h>
#include <zstd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"
#include "core/snapshot/columns.h"
#include "core/snapshot/header.h"
#include "core/snapshot/snapshot.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

/// Reads a file from its start, with bounds.
class FileBytes {
public:
    static Result<FileBytes> open(const std::string& path)
    {
        FileBytes file;
        file.fd_ = UniqueFd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
        struct stat s { };
        if (!file.fd_ || ::fstat(file.fd_.get(), &s) != 0)
            return systemError("open the snapshot", path, errno);
        if (!S_ISREG(s.st_mode))
            return Error{ErrorKind::WrongFormat, path, 0,
                         displayText(path) + " is not a snapshot: it is not a regular file."};
        file.left_ = static_cast<std::uint64_t>(s.st_size);
        return file;
    }
    /// False when fewer than `size` bytes are left, or the disk fails.
    bool read(std::string& out, std::size_t size)
    {
        if (size > left_)
            return false;
        out.resize(size);
        for (std::size_t done = 0; done < size;) {
            const auto n = ::read(fd_.get(), out.data() + done, size - done);
            if (n < 0 && errno == EINTR)
                continue;
            if (n <= 0)
                return false;
            done += static_cast<std::size_t>(n);
        }
        left_ -= size;
        return true;
    }
    std::uint64_t left() const { return left_; }

private:
    UniqueFd fd_;
    std::uint64_t left_ = 0;
};

Error damaged(const std::string& path, const std::string& what)
{
    return {ErrorKind::Damaged, path, 0, "The snapshot " + displayText(path) + " is damaged: " + what};
}

Result<SnapshotInfo> readHeader(FileBytes& file, const std::string& path)
{
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
        return damaged(path, "it ends within its header.");
    if (XXH3_64bits(header.data(), header.size()) != getU64(preamble, 16))
        return damaged(path, "the checksum of its header is wrong.");
    return decodeHeader(header, path);
}

using Columns = std::array<std::string, lastColumn + 1>;

Result<Done> readColumns(FileBytes& file, const std::string& path, Columns& columns)
{
    std::string head, packed, raw;
    for (std::uint32_t blocks = 0;; ++blocks) {
        if (!file.read(head, blockHeadSize))
            return damaged(path, "it was cut off.");
        const auto column = getU32(head, 0);
        const auto stored = getU32(head, 4);
        const auto rawSize = getU32(head, 8);
        const auto headSum = XXH3_64bits(head.data(), 16);
        const auto sum = getU64(head, 16);
        if (column == 0) {
            if (sum != headSum || getU32(head, 12) != blocks)
                return damaged(path, "its end mark is wrong.");
            if (file.left() != 0)
                return damaged(path, "something follows its end.");
            return Done{};
        }
        // A block is closed once it passes blockTarget; the last item may be one long name more.
        if (column > lastColumn || rawSize > blockTarget + 8192 || !file.read(packed, stored))
            return damaged(path, "it was cut off or a block is not valid.");
        if (XXH3_64bits_withSeed(packed.data(), packed.size(), headSum) != sum)
            return damaged(path, "the checksum of a block is wrong.");
        raw.resize(rawSize);
        if (ZSTD_decompress(raw.data(), raw.size(), packed.data(), packed.size()) != rawSize)
            return damaged(path, "a block cannot be unpacked.");
        columns[column] += raw;
    }
}

/// Builds the tree from the columns; false when they do not fit together.
class TreeReader {
public:
    explicit TreeReader(const Columns& c)
        : names_(at(c, Column::Names)), kinds_(at(c, Column::Kinds)), children_(at(c, Column::Children)),
          sizes_(at(c, Column::Sizes)), blocks_(at(c, Column::Blocks)), modified_(at(c, Column::Modified)),
          modifiedNs_(at(c, Column::ModifiedNs)), inodes_(at(c, Column::Inodes)), owners_(at(c, Column::Owners)),
          devices_(at(c, Column::Devices)), links_(at(c, Column::Links))
    {
    }

    std::shared_ptr<NodeStore> build()
    {
        NewNode root;
        std::uint64_t rootChildren = 0;
        if (!next(root, 0, rootChildren) || root.stat.kind != EntryKind::Folder || root.name.empty())
            return nullptr;
        auto store = std::make_shared<NodeStore>(root.name);
        NodeStore::NameWriter names(*store);
        store->setRoot(root.stat, names);
        store->addFlags(rootNode, root.flags);

        // Breadth first: the children of node after node follow each other in the file.
        std::vector<std::pair<NodeId, std::uint64_t>> folders{{rootNode, rootChildren}};
        std::vector<NewNode> group;
        std::vector<std::uint64_t> counts;
        for (std::size_t i = 0; i < folders.size(); ++i) {
            const auto [folder, count] = folders[i];
            if (count > kinds_.left() / 2)
                return nullptr;
            const auto device = store->device(folder);
            group.resize(count);
            counts.assign(count, 0);
            for (std::uint64_t k = 0; k < count; ++k)
                if (!next(group[k], device, counts[k]) || group[k].name.empty() ||
                    group[k].name.find('/') != std::string_view::npos)
                    return nullptr;
            const auto first = store->append(folder, group, names).first;
            if (first == noNode)
                return nullptr;
            for (std::uint32_t k = 0; k < count; ++k)
                if (group[k].stat.kind == EntryKind::Folder)
                    folders.emplace_back(first + k, counts[k]);
        }
        if (!kinds_.atEnd() || !names_.atEnd() || failed())
            return nullptr;
        store->seal();
        return store;
    }

private:
    static std::string_view at(const Columns& c, Column column) { return c[static_cast<std::size_t>(column)]; }

    bool failed() const
    {
        return names_.failed() || kinds_.failed() || children_.failed() || sizes_.failed() || blocks_.failed() ||
               modified_.failed() || modifiedNs_.failed() || inodes_.failed() || owners_.failed() ||
               devices_.failed() || links_.failed();
    }

    bool next(NewNode& node, std::uint64_t parentDevice, std::uint64_t& childCount)
    {
        node = {};
        node.name = names_.text();
        const auto kind = kinds_.u16();
        if ((kind & 7) > static_cast<std::uint16_t>(EntryKind::CharacterDevice))
            return false;
        node.stat.kind = static_cast<EntryKind>(kind & 7);
        node.flags = kind & (FlagDoor | FlagUnreadable | FlagUnfinished);
        node.stat.size = sizes_.varint();
        node.stat.blocks = blocks_.varint();
        previousModified_ = modified_.difference(previousModified_);
        node.stat.modified = static_cast<std::int64_t>(previousModified_);
        const auto ns = modifiedNs_.varint();
        previousInode_ = inodes_.difference(previousInode_);
        node.stat.inode = previousInode_;
        node.stat.uid = static_cast<std::uint32_t>(owners_.varint());
        node.stat.device = parentDevice;
        node.stat.links = 1;
        if (ns >= 1000000000)
            return false;
        node.stat.modifiedNs = static_cast<std::uint32_t>(ns);
        if (node.stat.kind == EntryKind::Folder) {
            childCount = children_.varint();
            node.stat.device = devices_.varint();
        } else {
            node.stat.links = static_cast<std::uint32_t>(std::min<std::uint64_t>(links_.varint(), UINT32_MAX));
            node.type = typeOfName(node.name);
        }
        // More than any filesystem can hold is damage.
        constexpr std::uint64_t mostBlocks = std::uint64_t{1} << 54;
        return !failed() && node.stat.blocks < mostBlocks && node.stat.size <= INT64_MAX;
    }

    ColumnReader names_, kinds_, children_, sizes_, blocks_, modified_, modifiedNs_, inodes_, owners_, devices_, links_;
    std::uint64_t previousModified_ = 0;
    std::uint64_t previousInode_ = 0;
};

} // namespace

Result<SnapshotInfo> readSnapshotInfo(const std::string& path)
{
    auto file = FileBytes::open(path);
    if (!file)
        return file.error();
    return readHeader(*file, path);
}

Result<Snapshot> readSnapshot(const std::string& path)
{
    auto file = FileBytes::open(path);
    if (!file)
        return file.error();
    auto info = readHeader(*file, path);
    if (!info)
        return info.error();
    Columns columns;
    auto read = readColumns(*file, path, columns);
    if (!read)
        return read.error();
    auto store = TreeReader(columns).build();
    if (!store)
        return damaged(path, "its columns do not fit together.");
    return Snapshot{*info, std::make_shared<FileTree>(std::move(store))};
}

} // namespace kurvo
