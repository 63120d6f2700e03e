// SPDX-License-Identifier: GPL-3.0-or-later
#include <fcntl.h>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <deque>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/snapshot/blocks.h"
#include "core/snapshot/figures_index.h"
#include "core/snapshot/header.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {
namespace {

struct Previous {
    std::uint64_t modified = 0;
    std::uint64_t inode = 0;
};

void writeNode(BlockWriter& out, const FileTree& tree, NodeId node, Previous& previous)
{
    const auto& store = tree.store();
    const auto put = [&out](Column c, std::uint64_t value) {
        out.column(c).varint(value);
        out.item(c);
    };
    out.column(Column::Names).text(tree.name(node));
    out.item(Column::Names);
    constexpr std::uint16_t kept = 7 | FlagDoor | FlagUnreadable | FlagUnfinished;
    out.column(Column::Kinds).u16(store.flags(node) & kept);
    out.item(Column::Kinds);
    put(Column::Sizes, store.ownApparent(node));
    out.column(Column::Blocks).difference(store.ownDisk(node) / 512, usualBlocks(store.ownApparent(node)));
    out.item(Column::Blocks);
    const auto modified = static_cast<std::uint64_t>(store.modified(node));
    out.column(Column::Modified).difference(modified, previous.modified);
    out.item(Column::Modified);
    previous.modified = modified;
    put(Column::ModifiedNs, store.modifiedNs(node));
    out.column(Column::Inodes).difference(store.inode(node), previous.inode);
    out.item(Column::Inodes);
    previous.inode = store.inode(node);
    put(Column::Owners, store.owner(node));
    if (store.isFolder(node)) {
        put(Column::Children, tree.countChildren(node));
        put(Column::Devices, store.device(node));
    } else {
        const bool linked = store.has(node, FlagLinked);
        put(Column::Links, linked ? store.linkSets()[store.linkSetOf(node)].links : 1);
    }
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
        const auto [start, length] =
            base ? likeIndexBlock(*base, index.first[i], next) : std::pair<std::uint64_t, std::uint32_t>{0, 0};
        out.put(Column::Index, index.blocks[i], index.items[i], start, length);
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

SnapshotInfo writeBlocks(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree, const Base* base,
                         const std::string& baseFile)
{
    SnapshotHeader header;
    header.info = info;
    auto& complete = header.info;
    complete.place = tree.path(rootNode);
    complete.entries = std::uint64_t{tree.sums(rootNode).files} + tree.sums(rootNode).folders;
    complete.diskBytes = tree.disk(rootNode);
    complete.id = freshId();
    complete.baseId = base ? base->header.info.id : std::string();
    complete.baseFile = base ? baseFile : std::string();
    const auto index = makeIndex(tree);
    header.index = index.first;

    const auto encoded = encodeHeader(header);
    std::string preamble(snapshotMagic);
    putU32(preamble, snapshotVersion);
    putU32(preamble, static_cast<std::uint32_t>(encoded.size()));
    putU64(preamble, XXH3_64bits(encoded.data(), encoded.size()));
    write(preamble.data(), preamble.size());
    write(encoded.data(), encoded.size());

    const auto share = base ? static_cast<double>(base->header.info.entries + 1) / static_cast<double>(complete.entries + 1) : 1;
    BlockWriter out(write, base, share);
    writeIndex(out, index, base);
    Previous previous;
    std::deque<NodeId> folders{rootNode};
    writeNode(out, tree, rootNode, previous);
    while (!folders.empty()) {
        const auto folder = folders.front();
        folders.pop_front();
        tree.forEachChild(folder, [&](NodeId child) {
            writeNode(out, tree, child, previous);
            if (tree.isFolder(child))
                folders.push_back(child);
        });
    }
    for (const auto& one : info.notRead) {
        out.column(Column::NotRead).varint(static_cast<std::uint64_t>(one.sysError));
        out.column(Column::NotRead).text(one.path);
        out.item(Column::NotRead);
    }
    out.finish();
    return complete;
}

/// What a snapshot can be packed against: a whole one of this version, kept in ".bases" from now on. Nothing where that
/// cannot be done: then it is written whole.
struct KeptBase {
    Base base;
    std::string file; ///< its name
};
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
    return KeptBase{std::move(*base), info.baseFile};
}

Result<SnapshotInfo> writeFile(const std::string& path, const SnapshotInfo& info, const FileTree& tree,
                               const KeptBase* kept, std::uint64_t& size)
{
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    size = 0;
    auto complete = writeBlocks(
        [&file, &size](const char* bytes, std::size_t n) {
            file->write(bytes, n);
            size += n;
        },
        info, tree, kept ? &kept->base : nullptr, kept ? kept->file : std::string());
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
    return writeBlocks(write, info, tree, nullptr, {});
}

Result<SnapshotInfo> writeSnapshot(const std::string& path, const SnapshotInfo& info, const FileTree& tree,
                                   const std::string& base)
{
    std::uint64_t size = 0;
    if (!base.empty())
        if (const auto kept = keepBase(path, base)) {
            auto written = writeFile(path, info, tree, &*kept, size);
            if (written || written.error().kind != ErrorKind::Unsupported)
                return written;
        }
    return writeFile(path, info, tree, nullptr, size);
}

} // namespace kurvo
