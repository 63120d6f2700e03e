// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/node_store.h"

#include <sys/mman.h>

#include <algorithm>
#include <cstdlib>
#include <limits>
#include <new>
#include <string>

#include "core/base/text.h"

namespace kurvo {
namespace {

constexpr std::int64_t timeBias = std::int64_t{1} << 33; // packed dates reach from 1697 to 2242

bool timeFits(const EntryStat& stat)
{
    return stat.modified >= -timeBias && stat.modified < timeBias;
}

template <typename Table>
Table zeroed(std::size_t entries)
{
    using Entry = typename Table::element_type;
    const auto bytes = entries * sizeof(Entry);
    void* memory = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS | MAP_NORESERVE, -1, 0);
    if (memory == MAP_FAILED)
        throw std::bad_alloc();
    return Table(static_cast<Entry*>(memory), {bytes});
}

} // namespace

NodeStore::NodeStore(std::string_view rootPath)
    : chunks_(zeroed<Table<Chunk*>>(1u << (32 - chunkBits))),
      folders_(zeroed<Table<FolderChunk*>>(1u << (32 - folderChunkBits))),
      names_(zeroed<Table<char*>>(1u << (40 - nameChunkBits))), wide_(zeroed<Table<Wide*>>(1u << (32 - wideChunkBits))),
      ownerTable_(zeroed<Table<std::uint32_t>>(wideOwner)), devices_(zeroed<Table<std::uint64_t>>(mostDevices))
{
    NameWriter writer(*this);
    NewNode root;
    root.name = rootPath;
    root.stat.kind = EntryKind::Folder;
    append(noNode, {&root, 1}, writer);
}

void NodeStore::Unmap::operator()(void* table) const
{
    ::munmap(table, bytes);
}

NodeStore::~NodeStore()
{
    const auto release = [](const auto& table, std::size_t entries, const auto& drop) {
        for (std::size_t i = 0; i < entries && table[i]; ++i)
            drop(table[i]);
    };
    release(chunks_, 1u << (32 - chunkBits), [](Chunk* chunk) { std::free(chunk); });
    release(folders_, 1u << (32 - folderChunkBits), [](FolderChunk* chunk) { delete chunk; });
    release(wide_, 1u << (32 - wideChunkBits), [](Wide* records) { delete[] records; });
    release(names_, nameChunks_, [](char* names) { std::free(names); });
}

std::uint64_t NodeStore::storeName(std::string_view name, NameWriter& writer)
{
    const auto needed = name.size() + 1;
    if (writer.left_ < needed) {
        const std::size_t chunkSize = std::size_t{1} << nameChunkBits;
        auto* memory = static_cast<char*>(std::malloc(chunkSize));
        if (!memory || needed > chunkSize)
            throw std::bad_alloc();
        const Lock lock(mutex_);
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

std::uint32_t NodeStore::ownerIndex(std::uint32_t uid, NameWriter& writer)
{
    if (uid == writer.lastUid_ && writer.lastOwner_ != wideOwner)
        return writer.lastOwner_;
    const Lock lock(mutex_);
    const auto* end = ownerTable_.get() + ownerCount_;
    const auto* found = std::find(static_cast<const std::uint32_t*>(ownerTable_.get()), end, uid);
    if (found == end) {
        if (ownerCount_ == wideOwner)
            return wideOwner;
        ownerTable_[ownerCount_++] = uid;
    }
    writer.lastUid_ = uid;
    writer.lastOwner_ = static_cast<std::uint32_t>(found - ownerTable_.get());
    return writer.lastOwner_;
}

std::uint16_t NodeStore::deviceIndex(std::uint64_t device)
{
    // From the back: the children of a folder mostly lie on the device that was met last.
    for (auto i = deviceCount_; i-- > 0;)
        if (devices_[i] == device)
            return static_cast<std::uint16_t>(i);
    if (deviceCount_ == mostDevices)
        return 0; // more filesystems than a kernel can mount at once
    devices_[deviceCount_] = device;
    return static_cast<std::uint16_t>(deviceCount_++);
}

void NodeStore::prepare(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder, Prepared& prepared)
{
    const auto& stat = entry.stat;
    auto& flags = prepared.flags;
    flags = entry.flags | static_cast<std::uint32_t>(stat.kind);
    if (parent != noNode && (has(parent, FlagHidden) || entry.name.starts_with('.')))
        flags |= FlagHidden;
    const bool isFolder = stat.kind == EntryKind::Folder;
    if (!isFolder && stat.links > 1) {
        flags |= FlagLinked;
        const auto [place, isNew] =
            linkIndex_.try_emplace({stat.device, stat.inode}, static_cast<std::uint32_t>(linkSets_.size()));
        if (isNew)
            linkSets_.push_back({});
        else
            flags |= FlagLinkedAgain;
        // Links made or removed during the scan: trust the larger number, which frees less.
        auto& set = linkSets_[place->second];
        set.links = std::max(set.links, stat.links);
        linkPairs_.emplace_back(place->second, node);
    }
    constexpr std::uint64_t narrow = std::numeric_limits<std::uint32_t>::max();
    const auto base = chunk(node).nameBase;
    const bool nameFits = prepared.name >= base && prepared.name - base <= narrow;
    if ((!isFolder && stat.size > narrow) || stat.blocks > narrow || stat.inode >> 40 != 0 || !timeFits(stat) ||
        !nameFits || prepared.owner == wideOwner) {
        flags |= FlagWide;
        auto*& records = wide_[wideCount_ >> wideChunkBits];
        if (!records)
            records = new Wide[1u << wideChunkBits];
        prepared.wide = wideCount_++;
        wideAt(prepared.wide) = {stat.size,     stat.blocks,     stat.inode, prepared.name,
                                 stat.modified, stat.modifiedNs, stat.uid,   folder};
    }
}

std::uint64_t NodeStore::put(NodeId node, NodeId parent, const NewNode& entry, FolderIndex folder,
                             const Prepared& prepared)
{
    const auto& stat = entry.stat;
    auto& c = chunk(node);
    const auto r = row(node);
    const bool isWide = (prepared.flags & FlagWide) != 0;
    c.modified[r] = timeFits(stat) ? (static_cast<std::uint64_t>(stat.modified + timeBias) << 30) | stat.modifiedNs : 0;
    c.parent[r] = parent;
    c.nameLow[r] = static_cast<std::uint32_t>(prepared.name - c.nameBase);
    c.inodeLow[r] = static_cast<std::uint32_t>(stat.inode);
    c.inodeHigh[r] = static_cast<std::uint8_t>(stat.inode >> 32);
    c.size[r] = isWide                           ? prepared.wide
                : stat.kind == EntryKind::Folder ? folder
                                                 : static_cast<std::uint32_t>(stat.size);
    c.blocks[r] = static_cast<std::uint32_t>(stat.blocks);
    c.facts[r] = prepared.flags | (entry.type & typeMask) << flagBits | prepared.owner << ownerShift;
    return (prepared.flags & (FlagDoor | FlagLinkedAgain)) != 0 ? 0 : stat.blocks * 512;
}

/// Not zeroed: rows that are never used are never touched. Those of a store that is large already will be used, and
/// take their memory in large pages, which saves some hundred faults each.
NodeStore::Chunk* NodeStore::makeChunk(bool isFirst)
{
    constexpr std::size_t largePage = 2 << 20;
    void* memory = nullptr;
    if (isFirst)
        memory = std::malloc(sizeof(Chunk));
    else if (::posix_memalign(&memory, largePage, sizeof(Chunk)) == 0)
        ::madvise(memory, largePage, MADV_HUGEPAGE);
    if (!memory)
        throw std::bad_alloc();
    return static_cast<Chunk*>(memory);
}

/// With the lock held: chunks for so many more rows.
void NodeStore::makeRoom(std::uint32_t nodes, std::uint32_t folders)
{
    for (auto i = size_ >> chunkBits; nodes > 0 && i <= (size_ + nodes - 1) >> chunkBits; ++i)
        if (!chunks_[i]) {
            chunks_[i] = makeChunk(i == 0);
            // Threads write names into chunks of their own, of which some are older: half the reach is for them.
            const auto now = std::uint64_t{nameChunks_} << nameChunkBits;
            constexpr auto back = std::uint64_t{1} << 31;
            chunks_[i]->nameBase = now > back ? now - back : 0;
        }
    for (auto i = folderCount_ >> folderChunkBits; folders > 0 && i <= (folderCount_ + folders - 1) >> folderChunkBits;
         ++i)
        if (!folders_[i])
            folders_[i] = new FolderChunk;
}

NodeStore::Appended NodeStore::append(NodeId folder, std::span<const NewNode> children, NameWriter& writer)
{
    const auto count = static_cast<std::uint32_t>(children.size());
    const auto folders = static_cast<std::uint32_t>(std::count_if(
        children.begin(), children.end(), [](const NewNode& n) { return n.stat.kind == EntryKind::Folder; }));
    auto& prepared = writer.prepared_;
    constexpr std::size_t ordinary = 8192;
    if (prepared.capacity() > ordinary)
        prepared = {};
    prepared.assign(count, {});
    for (std::uint32_t i = 0; i < count; ++i) {
        prepared[i].name = storeName(children[i].name, writer);
        prepared[i].owner = ownerIndex(children[i].stat.uid, writer);
    }

    // Everything that needs memory comes before the rows are taken: either all children are there, or none.
    NodeId first = 0;
    FolderIndex nextFolder = 0;
    {
        const Lock lock(mutex_);
        if (children.size() >= noNode - size_)
            return {};
        first = size_;
        nextFolder = folderCount_;
        const auto wideBefore = wideCount_;
        const auto pairsBefore = linkPairs_.size();
        const auto setsBefore = linkSets_.size();
        try {
            makeRoom(count, folders);
            inFlight_.reserve(inFlight_.size() + 1);
            FolderIndex at = nextFolder;
            for (std::uint32_t i = 0; i < count; ++i) {
                const bool isFolder = children[i].stat.kind == EntryKind::Folder;
                prepare(first + i, folder, children[i], at, prepared[i]);
                at += isFolder ? 1 : 0;
            }
        } catch (...) {
            wideCount_ = wideBefore;
            linkPairs_.resize(pairsBefore);
            std::erase_if(linkIndex_, [setsBefore](const auto& link) { return link.second >= setsBefore; });
            linkSets_.resize(setsBefore);
            throw;
        }
        FolderIndex at = nextFolder;
        for (const auto& child : children)
            if (child.stat.kind == EntryKind::Folder) {
                childrenRow(at) = 0;
                deviceRow(at++) = deviceIndex(child.stat.device);
            }
        inFlight_.push_back(first);
        size_ += count;
        folderCount_ += folders;
    }
    Appended done{first, 0};
    for (std::uint32_t i = 0; i < count; ++i) {
        done.diskBytes += put(first + i, folder, children[i], nextFolder, prepared[i]);
        nextFolder += children[i].stat.kind == EntryKind::Folder ? 1 : 0;
    }
    if (folder != noNode)
        __atomic_store_n(&childrenRow(folderIndex(folder)), std::uint64_t{first} << 32 | count, __ATOMIC_RELAXED);
    const Lock lock(mutex_);
    inFlight_.erase(std::find(inFlight_.begin(), inFlight_.end(), first));
    return done;
}

StoreExtent NodeStore::published() const
{
    const Lock lock(mutex_);
    const auto open = std::min_element(inFlight_.begin(), inFlight_.end());
    return {open == inFlight_.end() ? size_ : *open, folderCount_};
}

void NodeStore::setRoot(const EntryStat& stat, NameWriter& writer)
{
    NewNode root;
    const std::string path(name(rootNode));
    root.name = path;
    root.stat = stat;
    root.stat.kind = EntryKind::Folder;
    Prepared prepared;
    prepared.name = storeName(path, writer);
    prepared.owner = ownerIndex(stat.uid, writer);
    const Lock lock(mutex_);
    prepare(rootNode, noNode, root, 0, prepared);
    put(rootNode, noNode, root, 0, prepared);
    deviceRow(0) = deviceIndex(stat.device);
}

void NodeStore::seal()
{
    const Lock lock(mutex_); // somebody may still ask for links
    std::sort(linkPairs_.begin(), linkPairs_.end(), [this](const auto& a, const auto& b) {
        return a.first != b.first ? a.first < b.first : comparePaths(a.second, b.second) < 0;
    });
    linkMembers_.reserve(linkPairs_.size());
    for (const auto& [set, member] : linkPairs_) {
        const bool first = linkSets_[set].count++ == 0;
        if (first)
            linkSets_[set].first = static_cast<std::uint32_t>(linkMembers_.size());
        linkMembers_.push_back(member);
        auto& facts = chunk(member).facts[row(member)];
        if (first)
            __atomic_fetch_and(&facts, ~std::uint32_t{FlagLinkedAgain}, __ATOMIC_RELAXED);
        else
            addFlags(member, FlagLinkedAgain);
    }
    std::sort(linkPairs_.begin(), linkPairs_.end(), [](const auto& a, const auto& b) { return a.second < b.second; });
    linkPairs_.shrink_to_fit();
    linkIndex_ = {};
}

std::uint32_t NodeStore::linkSetOf(NodeId node) const
{
    const auto at = std::lower_bound(linkPairs_.begin(), linkPairs_.end(), node,
                                     [](const auto& pair, NodeId wanted) { return pair.second < wanted; });
    return at->first;
}

std::uint32_t NodeStore::linksOf(NodeId node) const
{
    if (!has(node, FlagLinked))
        return 1;
    const Lock lock(mutex_); // while it grows they are by member already, for ids only grow
    return linkSets_[linkSetOf(node)].links;
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
    const auto index = facts(node) >> ownerShift;
    return index == wideOwner ? wide(node).uid : ownerTable_[index];
}

std::uint64_t NodeStore::device(NodeId node) const
{
    const auto folder = isFolder(node) ? node : parent(node);
    return devices_[deviceRow(folderIndex(folder))];
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
    std::string out;
    if (chain.empty() || !isTogether())
        out = name(rootNode);
    for (auto at = chain.rbegin(); at != chain.rend(); ++at) {
        if (!out.empty() ? out.back() != '/' : !isTogether())
            out += '/';
        out += name(*at);
    }
    return out;
}

} // namespace kurvo
