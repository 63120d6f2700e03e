// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/node_store.h"

#include <algorithm>
#include <cstdlib>
#include <limits>
#include <new>
#include <string>

#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr std::int64_t timeBias = std::int64_t{1} << 33; // packed dates reach from 1697 to 2242

template <typename T>
T** zeroedTable(std::size_t entries)
{
    // calloc: pages of these tables that are never touched cost nothing.
    auto* table = static_cast<T**>(std::calloc(entries, sizeof(T*)));
    if (!table)
        throw std::bad_alloc();
    return table;
}

} // namespace

NodeStore::NodeStore(std::string_view rootPath)
    : chunks_(new Chunk*[1u << (32 - chunkBits)]()), folders_(new FolderRow*[1u << (32 - folderChunkBits)]()),
      names_(zeroedTable<char>(1u << (40 - nameChunkBits)))
{
    NameWriter writer(*this);
    NewNode root;
    root.name = rootPath;
    root.stat.kind = EntryKind::Folder;
    append(noNode, {&root, 1}, writer);
}

NodeStore::~NodeStore()
{
    for (std::uint32_t i = 0; i <= (size_ - 1) >> chunkBits; ++i)
        delete chunks_[i];
    for (std::uint32_t i = 0; i <= (folderCount_ - 1) >> folderChunkBits; ++i)
        delete[] folders_[i];
    for (std::uint32_t i = 0; i < nameChunks_; ++i)
        std::free(names_[i]);
}

std::uint64_t NodeStore::storeName(std::string_view name, NameWriter& writer)
{
    const auto needed = name.size() + 1;
    if (writer.left_ < needed) {
        const std::size_t chunkSize = std::size_t{1} << nameChunkBits;
        auto* memory = static_cast<char*>(std::malloc(chunkSize));
        if (!memory || needed > chunkSize)
            throw std::bad_alloc();
        const std::lock_guard lock(mutex_);
        writer.offset_ = std::uint64_t{nameChunks_} << nameChunkBits;
        names_[nameChunks_++] = memory;
        writer.at_ = memory;
        writer.left_ = chunkSize;
    }
    const auto offset = writer.offset_;
    std::memcpy(writer.at_, name.data(), name.size());
    writer.at_[name.size()] = '\0';
    writer.at_ += needed;
    writer.left_ -= needed;
    writer.offset_ += needed;
    return offset;
}

std::uint16_t NodeStore::ownerIndex(std::uint32_t uid, NameWriter& writer)
{
    if (uid == writer.lastUid_)
        return writer.lastOwner_;
    const std::lock_guard lock(mutex_);
    const auto found = std::find(owners_.begin(), owners_.end(), uid);
    auto index = static_cast<std::size_t>(found - owners_.begin());
    if (found == owners_.end()) {
        if (owners_.size() >= wideOwner)
            index = wideOwner;
        else
            owners_.push_back(uid);
    }
    if (index != wideOwner) {
        writer.lastUid_ = uid;
        writer.lastOwner_ = static_cast<std::uint16_t>(index);
    }
    return static_cast<std::uint16_t>(index);
}

std::uint16_t NodeStore::deviceIndex(std::uint64_t device)
{
    const auto found = std::find(devices_.begin(), devices_.end(), device);
    if (found != devices_.end())
        return static_cast<std::uint16_t>(found - devices_.begin());
    if (devices_.size() == std::numeric_limits<std::uint16_t>::max())
        return 0; // more filesystems than a kernel can mount at once
    devices_.push_back(device);
    return static_cast<std::uint16_t>(devices_.size() - 1);
}

void NodeStore::put(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder, NameWriter& writer)
{
    const auto& stat = entry.stat;
    auto& c = chunk(node);
    const auto r = row(node);
    auto flags = static_cast<std::uint16_t>(entry.flags | static_cast<std::uint16_t>(stat.kind));
    if (parent != noNode && (has(parent, FlagHidden) || entry.name.starts_with('.')))
        flags |= FlagHidden;
    const bool isFolder = stat.kind == EntryKind::Folder;
    if (!isFolder && stat.links > 1)
        flags |= FlagLinked;

    const auto offset = storeName(entry.name, writer);
    const bool timeFits = stat.modified >= -timeBias && stat.modified < timeBias;
    const auto owner = ownerIndex(stat.uid, writer);
    constexpr std::uint64_t narrow = std::numeric_limits<std::uint32_t>::max();
    if (stat.size > narrow || stat.blocks > narrow || !timeFits || owner == wideOwner)
        flags |= FlagWide;

    c.inode[r] = stat.inode;
    c.modified[r] = timeFits ? (static_cast<std::uint64_t>(stat.modified + timeBias) << 30) | stat.modifiedNs : 0;
    c.parent[r] = parent;
    c.extra[r] = isFolder ? folder : 0;
    c.nameLow[r] = static_cast<std::uint32_t>(offset);
    c.nameHigh[r] = static_cast<std::uint8_t>(offset >> 32);
    c.size[r] = static_cast<std::uint32_t>(stat.size);
    c.blocks[r] = static_cast<std::uint32_t>(stat.blocks);
    c.flags[r] = flags;
    c.type[r] = entry.type;
    c.owner[r] = owner;
    if ((flags & (FlagWide | FlagLinked)) != 0) {
        const std::lock_guard lock(mutex_);
        if ((flags & FlagWide) != 0)
            wide_[node] = {stat.size, stat.blocks, stat.modified, stat.modifiedNs, stat.uid};
        if ((flags & FlagLinked) != 0)
            candidates_.push_back({stat.device, stat.inode, stat.links, node});
    }
}

NodeId NodeStore::append(NodeId folder, std::span<const NewNode> children, NameWriter& writer)
{
    const auto count = static_cast<std::uint32_t>(children.size());
    const auto folders = static_cast<std::uint32_t>(std::count_if(
        children.begin(), children.end(), [](const NewNode& n) { return n.stat.kind == EntryKind::Folder; }));
    NodeId first = 0;
    FolderIndex nextFolder = 0;
    {
        const std::lock_guard lock(mutex_);
        if (children.size() >= noNode - size_)
            return noNode;
        first = size_;
        nextFolder = folderCount_;
        size_ += count;
        folderCount_ += folders;
        for (auto i = first >> chunkBits; count > 0 && i <= (size_ - 1) >> chunkBits; ++i)
            if (!chunks_[i])
                chunks_[i] = new Chunk; // not zeroed: rows that are never used are never touched
        for (auto i = nextFolder >> folderChunkBits; folders > 0 && i <= (folderCount_ - 1) >> folderChunkBits; ++i)
            if (!folders_[i])
                folders_[i] = new FolderRow[1u << folderChunkBits];
        FolderIndex at = nextFolder;
        for (const auto& child : children)
            if (child.stat.kind == EntryKind::Folder)
                folderRow(at++).device = deviceIndex(child.stat.device);
    }
    for (std::uint32_t i = 0; i < count; ++i) {
        const bool isFolder = children[i].stat.kind == EntryKind::Folder;
        put(first + i, folder, children[i], nextFolder, writer);
        nextFolder += isFolder ? 1 : 0;
    }
    if (folder != noNode) {
        auto& r = folderRow(folderIndex(folder));
        r.firstChild = first;
        r.childCount = count;
    }
    return first;
}

void NodeStore::setRoot(const EntryStat& stat, NameWriter& writer)
{
    NewNode root;
    const std::string path(name(rootNode));
    root.name = path;
    root.stat = stat;
    root.stat.kind = EntryKind::Folder;
    put(rootNode, noNode, root, 0, writer);
    const std::lock_guard lock(mutex_);
    folderRow(0).device = deviceIndex(stat.device);
}

void NodeStore::seal()
{
    std::sort(candidates_.begin(), candidates_.end(), [this](const LinkCandidate& a, const LinkCandidate& b) {
        if (a.device != b.device)
            return a.device < b.device;
        if (a.inode != b.inode)
            return a.inode < b.inode;
        return comparePaths(a.node, b.node) < 0;
    });
    linkMembers_.reserve(candidates_.size());
    for (std::size_t begin = 0; begin < candidates_.size();) {
        auto end = begin;
        LinkSet set{candidates_[begin].links, static_cast<std::uint32_t>(linkMembers_.size()), 0};
        while (end < candidates_.size() && candidates_[end].device == candidates_[begin].device &&
               candidates_[end].inode == candidates_[begin].inode) {
            const auto node = candidates_[end].node;
            chunk(node).extra[row(node)] = static_cast<std::uint32_t>(linkSets_.size());
            linkMembers_.push_back(node);
            // Links made or removed during the scan: trust the larger number, which frees less.
            set.links = std::max(set.links, candidates_[end].links);
            ++end;
        }
        set.count = static_cast<std::uint32_t>(end - begin);
        linkSets_.push_back(set);
        begin = end;
    }
    candidates_.clear();
    candidates_.shrink_to_fit();
}

std::int64_t NodeStore::modified(NodeId node) const
{
    if (has(node, FlagWide))
        return wide(node).modified;
    return static_cast<std::int64_t>(chunk(node).modified[row(node)] >> 30) - timeBias;
}

std::uint32_t NodeStore::modifiedNs(NodeId node) const
{
    if (has(node, FlagWide))
        return wide(node).modifiedNs;
    return static_cast<std::uint32_t>(chunk(node).modified[row(node)] & ((1u << 30) - 1));
}

std::uint32_t NodeStore::owner(NodeId node) const
{
    const auto index = chunk(node).owner[row(node)];
    return index == wideOwner ? wide(node).uid : owners_[index];
}

std::uint64_t NodeStore::device(NodeId node) const
{
    const auto folder = isFolder(node) ? node : parent(node);
    return devices_[folderRow(folderIndex(folder)).device];
}

int NodeStore::comparePaths(NodeId a, NodeId b) const
{
    if (a == b)
        return 0;
    const auto depth = [this](NodeId node) {
        unsigned d = 0;
        for (; parent(node) != noNode; node = parent(node))
            ++d;
        return d;
    };
    auto depthA = depth(a), depthB = depth(b);
    bool deeperA = false, deeperB = false; // whether a '/' follows the component being compared
    for (; depthA > depthB; --depthA, deeperA = true)
        a = parent(a);
    for (; depthB > depthA; --depthB, deeperB = true)
        b = parent(b);
    if (a == b)
        return deeperA ? 1 : -1;
    while (parent(a) != parent(b)) {
        a = parent(a);
        b = parent(b);
        deeperA = deeperB = true;
    }
    const auto nameA = name(a), nameB = name(b);
    const auto common = std::min(nameA.size(), nameB.size());
    if (const int order = std::memcmp(nameA.data(), nameB.data(), common); order != 0)
        return order;
    const auto following = [common](std::string_view n, bool deeper) {
        return n.size() > common ? static_cast<unsigned char>(n[common]) : deeper ? int{'/'} : 0;
    };
    return following(nameA, deeperA) - following(nameB, deeperB);
}

std::string NodeStore::path(NodeId node) const
{
    std::vector<NodeId> chain;
    for (; parent(node) != noNode; node = parent(node))
        chain.push_back(node);
    std::string out(name(rootNode));
    for (auto at = chain.rbegin(); at != chain.rend(); ++at) {
        if (out.empty() || out.back() != '/')
            out += '/';
        out += name(*at);
    }
    return out;
}

} // namespace kurvo
