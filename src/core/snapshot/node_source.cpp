// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/node_source.h"

#include <algorithm>

#include "core/types/file_types.h"

namespace kurvo {
namespace {

std::string_view at(const Columns& columns, Column column)
{
    return columns[static_cast<std::size_t>(column)];
}

} // namespace

bool isValid(const RawNode& node)
{
    // More than any filesystem can hold is damage.
    constexpr std::uint64_t mostBlocks = std::uint64_t{1} << 54;
    return (node.kind & 7) <= static_cast<std::uint16_t>(EntryKind::CharacterDevice) && !node.name.empty() &&
           node.modifiedNs < 1000000000 && node.blocks < mostBlocks && node.size <= INT64_MAX;
}

bool isRootName(std::string_view name)
{
    return !name.empty() && !name.starts_with(NodeStore::togetherMark);
}

NewNode nodeOf(const RawNode& raw, std::uint64_t parentDevice)
{
    NewNode node;
    node.name = raw.name;
    node.stat.kind = static_cast<EntryKind>(raw.kind & 7);
    node.flags = raw.kind & (FlagDoor | FlagUnreadable | FlagUnfinished);
    node.stat.size = raw.size;
    node.stat.blocks = raw.blocks;
    node.stat.modified = raw.modified;
    node.stat.modifiedNs = static_cast<std::uint32_t>(raw.modifiedNs);
    node.stat.inode = raw.inode;
    node.stat.uid = static_cast<std::uint32_t>(raw.owner);
    node.stat.device = raw.isFolder() ? raw.device : parentDevice;
    node.stat.links = static_cast<std::uint32_t>(std::min<std::uint64_t>(raw.links, UINT32_MAX));
    if (!raw.isFolder())
        node.type = typeOfName(raw.name);
    return node;
}

NodeSource::NodeSource(const Columns& c, std::uint32_t version)
    : steps_(at(c, Column::Steps)), version_(version), names_(at(c, Column::Names)), kinds_(at(c, Column::Kinds)),
      children_(at(c, Column::Children)), sizes_(at(c, Column::Sizes)), blocks_(at(c, Column::Blocks)),
      modified_(at(c, Column::Modified)), modifiedNs_(at(c, Column::ModifiedNs)), inodes_(at(c, Column::Inodes)),
      owners_(at(c, Column::Owners)), devices_(at(c, Column::Devices)), links_(at(c, Column::Links))
{
}

bool NodeSource::next(RawNode& node)
{
    if (kinds_.atEnd())
        return false;
    node.name = names_.text();
    node.kind = kinds_.u16();
    node.size = sizes_.varint();
    node.blocks = version_ == 1 ? blocks_.varint() : blocks_.difference(usualBlocks(node.size));
    previousModified_ = modified_.difference(previousModified_);
    node.modified = static_cast<std::int64_t>(previousModified_);
    node.modifiedNs = modifiedNs_.varint();
    previousInode_ = inodes_.difference(previousInode_);
    node.inode = previousInode_;
    node.owner = owners_.varint();
    node.children = 0;
    node.links = 1;
    node.device = 0;
    if (node.isFolder()) {
        node.children = children_.varint();
        node.device = devices_.varint();
    } else {
        node.links = links_.varint();
    }
    return !NodeSource::failed();
}

void NodeSource::patch(RawNode& node)
{
    node.size = sizes_.varint();
    node.blocks = blocks_.difference(usualBlocks(node.size));
    node.modified = static_cast<std::int64_t>(modified_.difference(static_cast<std::uint64_t>(node.modified)));
    node.modifiedNs = modifiedNs_.varint();
    node.inode = inodes_.difference(node.inode);
    if (node.isFolder())
        node.children = children_.varint();
}

bool NodeSource::atEnd() const
{
    return kinds_.atEnd() && names_.atEnd() && sizes_.atEnd() && modified_.atEnd() && steps_.atEnd();
}

bool NodeSource::failed() const
{
    return names_.failed() || kinds_.failed() || children_.failed() || sizes_.failed() || blocks_.failed() ||
           modified_.failed() || modifiedNs_.failed() || inodes_.failed() || owners_.failed() || devices_.failed() ||
           links_.failed();
}

ChainedSource::ChainedSource(const Columns& columns, std::uint32_t version, NodeSource& base)
    : NodeSource(columns, version), base_(base)
{
}

bool ChainedSource::next(RawNode& node)
{
    while (count_ == 0 && !steps_.atEnd() && !failed()) {
        const auto step = steps_.varint();
        step_ = static_cast<ChainStep>(step & 3);
        count_ = step >> 2;
        if (step_ == ChainStep::Skip)
            for (; count_ > 0; --count_)
                if (!base_.next(node)) {
                    failed_ = true;
                    return false;
                }
    }
    if (count_ == 0 || failed())
        return false;
    --count_;
    if (step_ == ChainStep::Insert) {
        failed_ = !NodeSource::next(node);
        return !failed_;
    }
    failed_ = !base_.next(node);
    if (!failed_ && step_ == ChainStep::Patch)
        patch(node);
    return !failed();
}

bool ChainedSource::atEnd() const
{
    // What the base has beyond is not needed.
    return count_ == 0 && NodeSource::atEnd();
}

bool ChainedSource::failed() const
{
    return failed_ || steps_.failed() || NodeSource::failed() || base_.failed();
}

std::size_t ChainedSource::left() const
{
    return base_.left() + NodeSource::left();
}

} // namespace kurvo
