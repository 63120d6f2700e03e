// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/row_stream.h"

#include <zstd.h>

#include <algorithm>
#include <new>

#include "core/snapshot/node_source.h"

namespace kurvo {
namespace {

constexpr NodeId mostRows = 1 << 15;
constexpr std::size_t mostNameBytes = 1 << 20, mostBytes = 16 << 20;
constexpr std::uint32_t rowColumns = static_cast<std::uint32_t>(Column::Links); ///< and all before it
constexpr std::uint16_t flagsSince = FlagUnreadable | FlagUnfinished;

std::string packed(std::string_view raw)
{
    const std::unique_ptr<ZSTD_CCtx, decltype(&ZSTD_freeCCtx)> context(ZSTD_createCCtx(), ZSTD_freeCCtx);
    if (!context)
        throw std::bad_alloc();
    ZSTD_CCtx_setParameter(context.get(), ZSTD_c_compressionLevel, 1);
    ZSTD_CCtx_setParameter(context.get(), ZSTD_c_checksumFlag, 1);
    std::string out(ZSTD_compressBound(raw.size()), '\0');
    out.resize(ZSTD_compress2(context.get(), out.data(), out.size(), raw.data(), raw.size())); // cannot fail
    return out;
}

/// Nothing where it is no frame, or says that it is larger than a packet is.
std::optional<ColumnBytes> unpacked(std::string_view packet)
{
    const auto size = ZSTD_getFrameContentSize(packet.data(), packet.size());
    if (size > mostBytes) // what is not known is very large
        return std::nullopt;
    ColumnBytes raw(size);
    if (ZSTD_decompress(raw.data(), size, packet.data(), packet.size()) != size)
        return std::nullopt;
    return raw;
}

struct RowColumns {
    std::array<ColumnWriter, rowColumns + 1> columns;
    ColumnWriter& column(Column c) { return columns[static_cast<std::size_t>(c)]; }
    void item(Column) { }
};

Error wrong()
{
    return {ErrorKind::WrongFormat, {}, 0, "What came is not what a scan sends. Nothing of it was used."};
}

} // namespace

std::string RowPacker::rows()
{
    const auto end = store_->published().nodes;
    if (next_ == end)
        return {};
    const NodeId first = next_;
    RowColumns out;
    NodeSink sink(out, *store_);
    ColumnWriter groups;
    NodeId previous = 0;
    NodeId folder = noNode;
    for (; next_ < end && next_ - first < mostRows && out.column(Column::Names).bytes().size() < mostNameBytes;
         ++next_) {
        const bool isFolder = store_->isFolder(next_);
        sink.insert(next_, 0, isFolder ? 0 : store_->linksOf(next_));
        const NodeId parent = store_->parent(next_);
        if (parent == noNode || (folder == parent && next_ != first))
            continue;
        folder = parent;
        const auto children = store_->children(parent);
        if (children.first != next_) // they go on from the packet before
            continue;
        groups.difference(parent, previous);
        groups.varint(children.count);
        previous = parent;
    }
    ColumnWriter raw;
    raw.varint(first);
    std::string bytes = raw.bytes();
    for (std::uint32_t c = 1; c <= rowColumns; ++c) {
        ColumnWriter length;
        length.varint(out.columns[c].bytes().size());
        bytes += length.bytes();
        bytes += out.columns[c].bytes();
    }
    return packed(bytes += groups.bytes());
}

std::string RowPacker::flags()
{
    ColumnWriter raw;
    NodeId previous = 0;
    for (const NodeId end = store_->size(); nextFlag_ < end && raw.bytes().size() < mostNameBytes; ++nextFlag_)
        if (const auto given = store_->flags(nextFlag_) & flagsSince; given != 0) {
            raw.varint(nextFlag_ - previous);
            raw.u16(static_cast<std::uint16_t>(given));
            previous = nextFlag_;
        }
    return raw.bytes().empty() ? std::string() : packed(raw.bytes());
}

bool RowTaker::endGroup()
{
    if (names_ && store_->append(group_.folder, pending_, *names_).first == noNode)
        return false;
    pending_.clear();
    held_.clear();
    group_ = {};
    return true;
}

Result<Done> RowTaker::rows(std::string_view packet)
{
    const auto raw = unpacked(packet);
    if (!raw)
        return wrong();
    ColumnReader in(*raw);
    const auto first = in.varint();
    Columns columns;
    for (std::uint32_t c = 1; c <= rowColumns; ++c) {
        const auto length = in.varint();
        if (in.failed() || length > in.left())
            return wrong();
        columns[c] = ColumnBytes(in.bytes(length));
    }
    NodeSource source(columns, snapshotVersion);
    RawNode row;
    if (first == 0) {
        if (!source.next(row) || !isValid(row) || !row.isFolder() || !isRootName(row.name))
            return wrong();
        pending_.clear();
        group_ = {};
        names_.reset();
        store_ = std::make_shared<NodeStore>(row.name);
        names_ = std::make_unique<NodeStore::NameWriter>(*store_);
        store_->setRoot(nodeOf(row, row.device).stat, *names_);
    } else if (!store_ || first != std::uint64_t{store_->size()} + pending_.size()) {
        return wrong();
    }
    std::uint64_t previous = 0, device = group_.folder != noNode ? store_->device(group_.folder) : 0;
    const auto before = pending_.size();
    auto fresh = before; // from here on their names are in this packet
    while (source.next(row)) {
        if (group_.folder == noNode) {
            previous = in.difference(previous);
            group_ = {static_cast<NodeId>(previous), in.varint()};
            if (in.failed() || previous >= store_->size() || group_.count == 0 || !store_->isFolder(group_.folder) ||
                store_->childCount(group_.folder) != 0)
                return wrong();
            device = store_->device(group_.folder);
        }
        if (!isValid(row) || row.name.find('/') != std::string_view::npos)
            return wrong();
        pending_.push_back(nodeOf(row, device));
        if (pending_.size() == group_.count) {
            if (!endGroup())
                return wrong();
            fresh = 0;
        }
    }
    if (!source.atEnd() || !in.atEnd())
        return wrong();
    // The rest of their folder comes in the next packet.
    std::size_t bytes = 0;
    for (auto i = fresh; i < pending_.size(); ++i)
        bytes += pending_[i].name.size();
    if (bytes > 0) {
        auto& held = held_.emplace_back();
        held.reserve(bytes);
        for (auto i = fresh; i < pending_.size(); ++i) {
            const auto at = held.size();
            held += pending_[i].name;
            pending_[i].name = std::string_view(held).substr(at);
        }
    }
    return Done{};
}

Result<Done> RowTaker::flags(std::string_view packet)
{
    const auto raw = unpacked(packet);
    if (!raw || !store_)
        return wrong();
    ColumnReader in(*raw);
    for (std::uint64_t node = 0; !in.atEnd();) {
        node += in.varint();
        const auto given = in.u16();
        if (in.failed() || node >= store_->size() || (given & ~flagsSince) != 0 ||
            !store_->isFolder(static_cast<NodeId>(node)))
            return wrong();
        store_->addFlags(static_cast<NodeId>(node), given);
    }
    return Done{};
}

Result<std::shared_ptr<const FileTree>> RowTaker::finish()
{
    if (!store_ || group_.folder != noNode)
        return wrong();
    names_.reset();
    store_->seal();
    return std::make_shared<const FileTree>(std::exchange(store_, nullptr));
}

} // namespace kurvo
