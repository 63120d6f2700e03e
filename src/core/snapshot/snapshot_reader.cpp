// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include "core/base/text.h"
#include "core/snapshot/blocks.h"
#include "core/snapshot/figures_index.h"
#include "core/snapshot/header.h"
#include "core/snapshot/snapshot.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

/// Builds the tree from the columns; false when they do not fit together.
class TreeReader {
public:
    TreeReader(const Columns& c, std::uint32_t version)
        : version_(version), names_(at(c, Column::Names)), kinds_(at(c, Column::Kinds)), children_(at(c, Column::Children)),
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
        node.stat.blocks = version_ == 1 ? blocks_.varint() : blocks_.difference(usualBlocks(node.stat.size));
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

    std::uint32_t version_;
    ColumnReader names_, kinds_, children_, sizes_, blocks_, modified_, modifiedNs_, inodes_, owners_, devices_, links_;
    std::uint64_t previousModified_ = 0;
    std::uint64_t previousInode_ = 0;
};

bool readNotRead(const std::string& column, std::vector<Unreadable>& out)
{
    ColumnReader reader(column);
    while (!reader.atEnd() && !reader.failed()) {
        const auto error = static_cast<int>(std::min<std::uint64_t>(reader.varint(), 4096));
        out.push_back({std::string(reader.text()), error});
    }
    return !reader.failed();
}

} // namespace

Result<SnapshotInfo> readSnapshotInfo(const std::string& path)
{
    const auto file = SnapshotFile::open(path);
    if (!file)
        return file.error();
    return file->header().info;
}

Result<Snapshot> readSnapshot(const std::string& path)
{
    auto file = SnapshotFile::open(path);
    if (!file)
        return file.error();
    auto info = file->header().info;
    Columns columns;
    {
        std::optional<Base> base;
        if (!info.baseId.empty()) {
            const auto found = findBase(path, info);
            if (!found)
                return found.error();
            auto read = readBase(*found);
            if (!read)
                return read.error();
            base = std::move(*read);
        }
        if (auto read = file->readColumns(columns, base ? &*base : nullptr); !read)
            return read.error();
    }
    auto store = TreeReader(columns, file->header().version).build();
    if (!store || !readNotRead(columns[static_cast<std::size_t>(Column::NotRead)], info.notRead))
        return Error{ErrorKind::Damaged, path, 0,
                     "The snapshot " + displayText(path) + " is damaged: its columns do not fit together."};
    return Snapshot{std::move(info), std::make_shared<FileTree>(std::move(store))};
}

Result<std::vector<std::optional<EntryFigures>>> readFigures(const std::string& path,
                                                             const std::vector<std::string>& paths)
{
    auto file = SnapshotFile::open(path);
    if (!file)
        return file.error();
    const auto& [version, info, index] = file->header();
    if (version == 1)
        return Error{ErrorKind::Unsupported, path, 0,
                     "The snapshot " + displayText(path) + " is of an older version and has no index."};
    std::vector<std::optional<EntryFigures>> figures(paths.size());
    // Which block has which of the paths.
    std::vector<std::pair<std::size_t, std::size_t>> wanted;
    std::vector<std::uint64_t> hashes(paths.size());
    for (std::size_t i = 0; i < paths.size(); ++i) {
        if (!isAtOrBelow(paths[i], info.place))
            continue;
        auto below = std::string_view(paths[i]).substr(info.place.size());
        while (below.starts_with('/'))
            below.remove_prefix(1);
        hashes[i] = indexHash(below);
        const auto after = std::upper_bound(index.begin(), index.end(), hashes[i]);
        if (after != index.begin())
            wanted.emplace_back(static_cast<std::size_t>(after - index.begin()) - 1, i);
    }
    std::sort(wanted.begin(), wanted.end());
    std::vector<std::size_t> numbers;
    for (const auto& [block, i] : wanted)
        if (numbers.empty() || numbers.back() != block)
            numbers.push_back(block);
    std::optional<SnapshotFile> base;
    const auto prefix = [&](std::uint64_t start, std::uint32_t length) -> Result<std::string> {
        if (!base) {
            const auto found = findBase(path, info);
            if (!found)
                return found.error();
            auto opened = SnapshotFile::open(*found);
            if (!opened)
                return opened.error();
            base = std::move(*opened);
        }
        return base->readIndexStretch(start, length);
    };
    const auto blocks = file->readIndexBlocks(numbers, prefix);
    if (!blocks)
        return blocks.error();
    for (const auto& [block, i] : wanted) {
        const auto at = std::lower_bound(numbers.begin(), numbers.end(), block) - numbers.begin();
        figures[i] = findInBlock((*blocks)[static_cast<std::size_t>(at)], hashes[i]);
    }
    return figures;
}

} // namespace kurvo
