// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/snapshot/blocks.h"
#include "core/snapshot/figures_index.h"
#include "core/snapshot/header.h"
#include "core/snapshot/node_source.h"
#include "core/snapshot/snapshot.h"
#include "core/tree/matching.h"

namespace kurvo {
namespace {

/// Writes node after node: in full, or as steps over the nodes of a base.
class NodeWriter {
public:
    NodeWriter(BlockWriter& out, const FileTree& tree, const Matching* matching)
        : sink_(out, tree.store()), tree_(tree), store_(tree.store()), matching_(matching)
    {
    }
    void write(const std::vector<NodeId>& nodes)
    {
        for (std::size_t i = 0; i < nodes.size(); ++i) {
            if (!matching_) {
                insert(nodes[i]);
                continue;
            }
            const auto base = matching_->earlier(nodes[i]);
            if (base == noNode || base < next_ || !isInOrder(nodes, i, base) || isOther(nodes[i], base)) {
                step(ChainStep::Insert);
                insert(nodes[i]);
                continue;
            }
            if (base > next_)
                step(ChainStep::Skip, base - next_);
            next_ = base + 1;
            if (isSame(nodes[i], base)) {
                step(ChainStep::Copy);
            } else {
                step(ChainStep::Patch);
                patch(nodes[i], base);
            }
        }
        close();
    }

private:
    void insert(NodeId node)
    {
        const bool isFolder = store_.isFolder(node);
        sink_.insert(node, isFolder ? tree_.countChildren(node) : 0, isFolder ? 0 : store_.linksOf(node));
    }
    void patch(NodeId node, NodeId base)
    {
        const auto& was = matching_->before().store();
        sink_.put(Column::Sizes, store_.ownApparent(node));
        sink_.difference(Column::Blocks, store_.ownDisk(node) / 512, usualBlocks(store_.ownApparent(node)));
        sink_.difference(Column::Modified, static_cast<std::uint64_t>(store_.modified(node)),
                         static_cast<std::uint64_t>(was.modified(base)));
        sink_.put(Column::ModifiedNs, store_.modifiedNs(node));
        sink_.difference(Column::Inodes, store_.inode(node), was.inode(base));
        if (store_.isFolder(node))
            sink_.put(Column::Children, tree_.countChildren(node));
    }

    /// More changed than a patch has.
    bool isOther(NodeId node, NodeId base) const
    {
        const auto& before = matching_->before();
        const auto& was = before.store();
        const bool isFolder = store_.isFolder(node);
        return (store_.flags(node) & writtenFlags) != (was.flags(base) & writtenFlags) ||
               store_.owner(node) != was.owner(base) ||
               (isFolder ? store_.device(node) != was.device(base) : store_.linksOf(node) != was.linksOf(base)) ||
               (node == rootNode && tree_.name(node) != before.name(base));
    }
    bool isSame(NodeId node, NodeId base) const
    {
        const auto& was = matching_->before().store();
        return store_.ownApparent(node) == was.ownApparent(base) && store_.ownDisk(node) == was.ownDisk(base) &&
               store_.modified(node) == was.modified(base) && store_.modifiedNs(node) == was.modifiedNs(base) &&
               store_.inode(node) == was.inode(base) &&
               (!store_.isFolder(node) || tree_.countChildren(node) == was.childCount(base));
    }
    /// One that comes much earlier than it did would leave all between to be written in full.
    bool isInOrder(const std::vector<NodeId>& nodes, std::size_t i, NodeId base) const
    {
        constexpr NodeId near = 64;
        constexpr std::size_t ahead = 8;
        if (base - next_ < near)
            return true;
        std::size_t after = 0, before = 0;
        for (auto k = i + 1; k < std::min(nodes.size(), i + 1 + ahead); ++k)
            if (const auto other = matching_->earlier(nodes[k]); other != noNode)
                ++(other > base ? after : before);
        return after >= before;
    }

    void step(ChainStep step, std::uint64_t count = 1)
    {
        if (step == step_) {
            count_ += count;
            return;
        }
        close();
        step_ = step;
        count_ = count;
    }
    void close()
    {
        if (count_ > 0)
            sink_.put(Column::Steps, count_ << 2 | static_cast<std::uint64_t>(step_));
        count_ = 0;
    }

    NodeSink<BlockWriter> sink_;
    const FileTree& tree_;
    const NodeStore& store_;
    const Matching* matching_;
    NodeId next_ = 0; ///< of the base
    ChainStep step_ = ChainStep::Copy;
    std::uint64_t count_ = 0;
};

std::vector<NodeId> breadthFirst(const FileTree& tree)
{
    std::vector<NodeId> nodes{rootNode};
    nodes.reserve(std::size_t{tree.sums(rootNode).files} + tree.sums(rootNode).folders + 1);
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (tree.isFolder(nodes[i]))
            tree.forEachChild(nodes[i], [&nodes](NodeId child) { nodes.push_back(child); });
    return nodes;
}

/// The stretch of the base's index that has the hashes of a block: whole blocks of it.
std::pair<std::uint64_t, std::uint32_t> likeIndexBlock(const Base& base, std::uint64_t first, std::uint64_t next)
{
    std::uint64_t start = 0, at = 0;
    std::uint64_t end = 0;
    const auto& firsts = base.header.index;
    for (std::size_t i = 0; i < firsts.size() && i < base.indexSizes.size(); ++i) {
        if (firsts[i] <= first)
            start = at;
        at += base.indexSizes[i];
        if (firsts[i] < next)
            end = at;
    }
    return {start, static_cast<std::uint32_t>(std::min<std::uint64_t>(end > start ? end - start : 0, longestPrefix))};
}

void writeIndex(BlockWriter& out, const FiguresIndex& index, const Base* base)
{
    for (std::size_t i = 0; i < index.blocks.size(); ++i) {
        const auto next = i + 1 < index.first.size() ? index.first[i + 1] : UINT64_MAX;
        if (!base) {
            out.put(Column::Index, index.blocks[i], index.items[i]);
            continue;
        }
        const auto [start, length] = likeIndexBlock(*base, index.first[i], next);
        out.put(Column::Index, index.blocks[i], index.items[i], start,
                std::string_view(base->columns[static_cast<std::size_t>(Column::Index)]).substr(start, length));
    }
}

std::string freshId()
{
    unsigned char random[16];
    if (::getrandom(random, sizeof random, 0) != sizeof random)
        throw std::bad_alloc();
    std::string id;
    for (const auto byte : random) {
        id += "0123456789abcdef"[byte >> 4];
        id += "0123456789abcdef"[byte & 15];
    }
    return id;
}

/// What a snapshot can be packed against.
struct KeptBase {
    Base base;
    std::shared_ptr<const FileTree> tree; ///< its ids are places in its breadth-first order
    std::string file;                     ///< its name
};

SnapshotInfo writeBlocks(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree, const KeptBase* kept)
{
    const auto* base = kept ? &kept->base : nullptr;
    SnapshotHeader header;
    header.info = info;
    auto& complete = header.info;
    complete.place = tree.path(rootNode);
    complete.entries = std::uint64_t{tree.sums(rootNode).files} + tree.sums(rootNode).folders;
    complete.diskBytes = tree.disk(rootNode);
    complete.id = freshId();
    complete.baseId = base ? base->header.info.id : std::string();
    complete.baseFile = kept ? kept->file : std::string();
    const auto index = makeIndex(tree);
    header.index = index.first;

    const auto encoded = encodeHeader(header);
    std::string preamble(snapshotMagic);
    putU32(preamble, snapshotVersion);
    putU32(preamble, static_cast<std::uint32_t>(encoded.size()));
    putU64(preamble, XXH3_64bits(encoded.data(), encoded.size()));
    write(preamble.data(), preamble.size());
    write(encoded.data(), encoded.size());

    BlockWriter out(write);
    writeIndex(out, index, base);
    std::optional<Matching> matching;
    if (kept)
        matching.emplace(std::shared_ptr<const FileTree>(std::shared_ptr<void>(), &tree), kept->tree);
    NodeWriter(out, tree, matching ? &*matching : nullptr).write(breadthFirst(tree));
    for (const auto& one : info.notRead) {
        out.column(Column::NotRead).varint(static_cast<std::uint64_t>(one.sysError));
        out.column(Column::NotRead).text(one.path);
        out.item(Column::NotRead);
    }
    out.finish();
    return complete;
}

/// A whole snapshot of this version, kept in ".bases" from now on. Nothing where that cannot be done: then one is
/// written whole.
std::optional<KeptBase> keepBase(const std::string& path, const std::string& candidate)
{
    auto opened = SnapshotFile::open(candidate);
    if (!opened || opened->header().version < 2)
        return std::nullopt;
    auto source = candidate;
    auto info = opened->header().info;
    if (!info.baseId.empty()) { // packed itself: against the same
        const auto found = findBase(candidate, info);
        if (!found)
            return std::nullopt;
        source = *found;
        const auto whole = readSnapshotInfo(source);
        if (!whole)
            return std::nullopt;
        info.baseFile = opened->header().info.baseFile;
        info.id = whole->id;
    } else {
        info.baseFile = std::string(fileName(candidate));
    }
    auto base = readBase(source);
    if (!base)
        return std::nullopt;
    const auto folder = joinPath(parentPath(path), ".bases");
    const auto kept = joinPath(folder, base->header.info.id + snapshotSuffix);
    if (::mkdir(folder.c_str(), 0700) != 0 && errno != EEXIST)
        return std::nullopt;
    if (::link(source.c_str(), kept.c_str()) != 0 && errno != EEXIST)
        return std::nullopt;
    auto read = readSnapshot(kept);
    if (!read)
        return std::nullopt;
    return KeptBase{std::move(*base), std::move(read->tree), info.baseFile};
}

Result<SnapshotInfo> writeFile(const std::string& path, const SnapshotInfo& info, const FileTree& tree,
                               const KeptBase* kept, std::uint64_t& size, AtomicFile::Existing existing)
{
    auto file = AtomicFile::create(path, AtomicFile::Readers::OwnerOnly, existing);
    if (!file)
        return file.error();
    size = 0;
    auto complete = writeBlocks(
        [&file, &size](const char* bytes, std::size_t n) {
            file->write(bytes, n);
            size += n;
        },
        info, tree, kept);
    // One that saves little is not worth that two files are needed for it.
    if (kept) {
        struct stat s { };
        const auto base = joinPath(joinPath(parentPath(path), ".bases"), complete.baseId + snapshotSuffix);
        if (::stat(base.c_str(), &s) != 0 || size > static_cast<std::uint64_t>(s.st_size) / 3)
            return Error{ErrorKind::Unsupported, path, 0, {}};
    }
    if (auto done = file->commit(); !done)
        return done.error();
    return complete;
}

} // namespace

SnapshotInfo writeSnapshot(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree)
{
    return writeBlocks(write, info, tree, nullptr);
}

Result<SnapshotInfo> writeSnapshot(const std::string& path, const SnapshotInfo& info, const FileTree& tree,
                                   const std::string& base, AtomicFile::Existing existing)
{
    std::uint64_t size = 0;
    if (!base.empty())
        if (const auto kept = keepBase(path, base)) {
            auto written = writeFile(path, info, tree, &*kept, size, existing);
            // Another Kurvo may have removed the base meanwhile: then it is written whole after all.
            if (written ? static_cast<bool>(findBase(path, *written)) : written.error().kind != ErrorKind::Unsupported)
                return written;
        }
    return writeFile(path, info, tree, nullptr, size, existing);
}

bool beginsAsSnapshot(std::string_view begin)
{
    return begin.starts_with(snapshotMagic);
}

} // namespace kurvo
