// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <condition_variable>
#include <deque>
#include <exception>
#include <mutex>
#include <span>
#include <thread>

#include "core/base/locks.h"
#include "core/base/text.h"
#include "core/snapshot/blocks.h"
#include "core/snapshot/figures_index.h"
#include "core/snapshot/header.h"
#include "core/snapshot/node_source.h"
#include "core/snapshot/snapshot.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

/// Nodes on their way from the columns into the tree, in whole groups of children.
struct Batch {
    std::vector<NewNode> nodes;
    std::vector<std::uint32_t> groups; ///< how many of them each next folder has
};

/// Hands batches from the thread that unpacks nodes to the one that builds the tree.
class BatchQueue {
public:
    /// False when nobody wants any more.
    bool put(Batch batch)
    {
        Lock lock(mutex_);
        while (waiting_.size() >= most && !over_)
            changed_.wait(lock.forWaiting());
        if (over_)
            return false;
        waiting_.push_back(std::move(batch));
        changed_.notify_all();
        return true;
    }
    /// Nothing when there are no more.
    std::optional<Batch> take()
    {
        Lock lock(mutex_);
        while (waiting_.empty() && !over_)
            changed_.wait(lock.forWaiting());
        if (waiting_.empty())
            return std::nullopt;
        auto batch = std::move(waiting_.front());
        waiting_.pop_front();
        changed_.notify_all();
        return batch;
    }
    void end()
    {
        const Lock lock(mutex_);
        over_ = true;
        changed_.notify_all();
    }

private:
    static constexpr std::size_t most = 16;
    Mutex mutex_;
    std::condition_variable changed_;
    std::deque<Batch> waiting_ KURVO_GUARDED_BY(mutex_);
    bool over_ KURVO_GUARDED_BY(mutex_) = false;
};

/// Unpacks all nodes below the root, breadth first: the children of node after node follow each other in the file.
/// False when they do not fit together.
bool unpackNodes(NodeSource& source, const RawNode& root, BatchQueue& queue)
{
    constexpr std::size_t batchSize = 1024; // stays in the cache on its way
    struct Folder {
        std::uint64_t children, device;
    };
    std::deque<Folder> folders{{root.children, root.device}};
    Batch batch;
    batch.nodes.reserve(2 * batchSize);
    RawNode raw;
    for (; !folders.empty(); folders.pop_front()) {
        const auto [count, device] = folders.front();
        if (count > source.left())
            return false;
        for (std::uint64_t k = 0; k < count; ++k) {
            if (!source.next(raw) || !isValid(raw) || raw.name.find('/') != std::string_view::npos)
                return false;
            batch.nodes.push_back(nodeOf(raw, device));
            if (raw.isFolder())
                folders.push_back({raw.children, raw.device});
        }
        batch.groups.push_back(static_cast<std::uint32_t>(count));
        if (batch.nodes.size() >= batchSize) {
            if (!queue.put(std::exchange(batch, {})))
                return false;
            batch.nodes.reserve(2 * batchSize);
        }
    }
    return queue.put(std::move(batch)) && source.atEnd() && !source.failed();
}

/// Builds the tree from its nodes; null when they do not fit together.
std::shared_ptr<NodeStore> build(NodeSource& source)
{
    RawNode raw;
    if (!source.next(raw) || !isValid(raw) || !raw.isFolder() || !isRootName(raw.name))
        return nullptr;
    auto store = std::make_shared<NodeStore>(raw.name);
    NodeStore::NameWriter names(*store);
    const auto root = nodeOf(raw, 0);
    store->setRoot(root.stat, names);
    store->addFlags(rootNode, root.flags);

    BatchQueue queue;
    bool good = false;
    std::exception_ptr failure;
    {
        const std::jthread unpacker([&] {
            try {
                good = unpackNodes(source, raw, queue);
            } catch (...) { // for want of memory
                failure = std::current_exception();
            }
            queue.end();
        });
        std::deque<NodeId> folders{rootNode};
        try {
            while (auto batch = queue.take()) {
                std::span<NewNode> left(batch->nodes);
                for (const auto count : batch->groups) {
                    const auto group = left.first(count);
                    left = left.subspan(count);
                    if (holdsPrograms(store->name(folders.front())))
                        for (auto& node : group)
                            if (node.type == 0 && node.stat.kind != EntryKind::Folder)
                                node.type = typeAmongPrograms(node.name);
                    const auto first = store->append(folders.front(), group, names).first;
                    folders.pop_front();
                    if (first == noNode && count > 0)
                        throw std::bad_alloc(); // more than 32-bit ids can tell apart
                    for (std::uint32_t k = 0; k < count; ++k)
                        if (group[k].stat.kind == EntryKind::Folder)
                            folders.push_back(first + k);
                }
            }
        } catch (...) {
            queue.end(); // else the other waits for ever
            throw;
        }
    }
    if (failure)
        std::rethrow_exception(failure);
    if (!good)
        return nullptr;
    store->seal();
    return store;
}

bool readNotRead(std::string_view column, std::vector<Unreadable>& out)
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
    if (auto read = file->readColumns(columns); !read)
        return read.error();
    std::shared_ptr<NodeStore> store;
    if (info.baseId.empty()) {
        NodeSource source(columns, file->header().version);
        store = build(source);
    } else {
        const auto found = findBase(path, info);
        if (!found)
            return found.error();
        const auto base = readBase(*found);
        if (!base)
            return base.error();
        NodeSource baseSource(base->columns, base->header.version);
        ChainedSource source(columns, file->header().version, baseSource);
        store = build(source);
    }
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
    const auto& header = file->header();
    const auto& info = header.info;
    const auto& index = header.index;
    if (header.version == 1)
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
