// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/duplicates.h"

#include <algorithm>
#include <functional>
#include <limits>
#include <mutex>
#include <optional>
#include <system_error>
#include <thread>
#include <tuple>
#include <unordered_map>
#include <unordered_set>

#include "core/base/team.h"
#include "core/base/text.h"
#include "core/find/duplicate_folders.h"
#include "core/find/questions.h"
#include "core/platform/file_content.h"

namespace kurvo {
namespace {

using Trees = std::vector<std::shared_ptr<const FileTree>>;

/// A file of which another one has the size. 56 bytes.
struct Candidate {
    enum class State : std::uint8_t { Unknown, Blocks, Whole, Dropped };
    std::uint64_t size = 0;
    std::uint64_t device = 0;
    std::uint64_t inode = 0;
    ContentHash hash;
    NodeId node = noNode;
    std::uint32_t tree = 0;
    State state = State::Unknown;
    bool small = false; ///< read only for the folder it lies in
};

bool sameKey(const Candidate& a, const Candidate& b)
{
    return a.size == b.size && a.hash == b.hash;
}

class Search {
public:
    Search(const Trees& trees, const DuplicateOptions& options, DuplicateProgress& progress, std::stop_token stop)
        : trees_(trees), options_(options), progress_(progress), stop_(std::move(stop))
    {
    }

    Duplicates run()
    {
        gather();
        progress_.stage = DuplicateProgress::Stage::Blocks;
        readBlocks();
        progress_.stage = DuplicateProgress::Stage::Contents;
        readContents();
        collect();
        if (folders_)
            addFolders();
        found_.stopped = stop_.stop_requested();
        found_.changed = changed_;
        found_.unreadable = unreadable_;
        found_.bytesRead = progress_.bytesDone;
        progress_.stage = DuplicateProgress::Stage::Done;
        return std::move(found_);
    }

private:
    void gather();
    void readBlocks();
    void readContents();
    void collect();
    void addFolders();
    void dropAlone();
    void markLeftOut();
    bool isLeftOut(std::uint32_t tree, NodeId node) const { return !leftOut_[tree].empty() && leftOut_[tree][node]; }

    std::string pathOf(const Candidate& c) const { return trees_[c.tree]->path(c.node); }
    SeenFile seen(const Candidate& c) const
    {
        const auto& store = trees_[c.tree]->store();
        return {c.inode, c.size, store.modified(c.node), store.modifiedNs(c.node)};
    }
    void drop(Candidate& c, const Error& error)
    {
        c.state = Candidate::State::Dropped;
        if (error.kind == ErrorKind::Changed || error.kind == ErrorKind::NotFound)
            ++changed_;
        else if (error.kind != ErrorKind::Cancelled)
            ++unreadable_;
    }

    /// Calls `work(candidate, buffer)` for each of these by several threads, in the order in which they are given.
    void forEach(const std::vector<std::uint32_t>& order,
                 const std::function<void(Candidate&, std::vector<char>&)>& work);

    const Trees& trees_;
    const DuplicateOptions& options_;
    DuplicateProgress& progress_;
    std::stop_token stop_;
    std::vector<std::vector<bool>> leftOut_;
    std::vector<Candidate> candidates_;
    std::optional<DuplicateFolderFinder> folders_;
    std::atomic<std::uint64_t> changed_ = 0, unreadable_ = 0;
    Duplicates found_;
};

void Search::markLeftOut()
{
    leftOut_.resize(trees_.size());
    for (std::uint32_t t = 0; t < trees_.size(); ++t) {
        const auto& tree = *trees_[t];
        const auto leaveOut = [&](NodeId top) {
            leftOut_[t].resize(tree.extent().nodes);
            tree.forEachBelow(top, [&](NodeId node) { leftOut_[t][node] = true; });
        };
        for (const auto& path : options_.leaveOut)
            if (const auto top = tree.find(path))
                leaveOut(*top);
        tree.forEachBelow(rootNode, [&](NodeId node) {
            if (tree.isFolder(node) && isTrashFolder(tree, node))
                leaveOut(node);
        });
    }
}

void Search::gather()
{
    markLeftOut();
    const auto smallest = std::max<std::uint64_t>(options_.smallest, 1);
    if (options_.folders)
        folders_.emplace(trees_, smallest, [this](std::uint32_t t, NodeId node) { return isLeftOut(t, node); });
    const auto forEachCandidate = [&](const auto& visit) {
        for (std::uint32_t t = 0; t < trees_.size(); ++t) {
            const auto& tree = *trees_[t];
            const auto& store = tree.store();
            tree.forEachBelow(rootNode, [&](NodeId node) {
                if (store.kind(node) != EntryKind::File || tree.countedAt(node) != node || isLeftOut(t, node))
                    return;
                const auto size = store.ownApparent(node);
                const bool small = size < smallest;
                if (size != 0 && (!small || (folders_ && folders_->mustRead(t, node))))
                    visit(t, node, size, small);
            });
        }
    };
    // Counted first: a list that doubles takes its memory three times.
    std::size_t count = 0;
    forEachCandidate([&](std::uint32_t, NodeId, std::uint64_t, bool) { ++count; });
    candidates_.reserve(count);
    forEachCandidate([&](std::uint32_t t, NodeId node, std::uint64_t size, bool small) {
        const auto& store = trees_[t]->store();
        candidates_.push_back(
            {size, store.device(node), store.inode(node), {}, node, t, Candidate::State::Unknown, small});
    });
    if (trees_.size() > 1) { // a file that is in two of them is one file
        std::sort(candidates_.begin(), candidates_.end(), [](const Candidate& a, const Candidate& b) {
            return std::tie(a.device, a.inode, a.tree) < std::tie(b.device, b.inode, b.tree);
        });
        candidates_.erase(std::unique(candidates_.begin(), candidates_.end(),
                                      [](const Candidate& a, const Candidate& b) {
                                          return a.device == b.device && a.inode == b.inode;
                                      }),
                          candidates_.end());
    }
    dropAlone();
}

/// Takes those out that nothing else has the size and hash of.
void Search::dropAlone()
{
    std::erase_if(candidates_, [](const Candidate& c) { return c.state == Candidate::State::Dropped; });
    std::sort(candidates_.begin(), candidates_.end(), [](const Candidate& a, const Candidate& b) {
        return std::tie(a.size, a.hash, a.tree, a.node) < std::tie(b.size, b.hash, b.tree, b.node);
    });
    std::size_t kept = 0;
    for (std::size_t i = 0; i < candidates_.size();) {
        std::size_t end = i + 1;
        while (end < candidates_.size() && sameKey(candidates_[i], candidates_[end]))
            ++end;
        for (std::size_t k = i; k < end && end - i > 1; ++k)
            candidates_[kept++] = candidates_[k];
        i = end;
    }
    candidates_.resize(kept);
}

void Search::forEach(const std::vector<std::uint32_t>& order,
                     const std::function<void(Candidate&, std::vector<char>&)>& work)
{
    std::atomic<std::size_t> next = 0;
    inTeam(std::min<std::size_t>(std::max(options_.threads, 1u), order.size()), [&] {
        std::vector<char> buffer(1 << 19);
        for (auto i = next++; i < order.size() && !stop_.stop_requested(); i = next++)
            work(candidates_[order[i]], buffer);
    });
}

void Search::readBlocks()
{
    std::vector<std::uint32_t> order(candidates_.size());
    for (std::uint32_t i = 0; i < order.size(); ++i)
        order[i] = i;
    // In the order of inodes, which is about the order on the disk.
    std::sort(order.begin(), order.end(), [this](std::uint32_t a, std::uint32_t b) {
        return std::tie(candidates_[a].device, candidates_[a].inode) <
               std::tie(candidates_[b].device, candidates_[b].inode);
    });
    progress_.filesOf = order.size();
    forEach(order, [this](Candidate& c, std::vector<char>&) {
        const bool whole = c.size <= 2 * FileContent::blockSize;
        auto file = FileContent::open(pathOf(c), seen(c));
        auto hash = file ? file->hashEnds() : Result<ContentHash>(file.error());
        if (hash && whole)
            if (const auto still = file->verify(); !still)
                hash = still.error();
        ++progress_.filesDone;
        if (!hash)
            return drop(c, hash.error());
        c.hash = *hash;
        c.state = whole ? Candidate::State::Whole : Candidate::State::Blocks;
    });
    found_.compared = progress_.filesDone;
    std::erase_if(candidates_, [](const Candidate& c) { return c.state == Candidate::State::Unknown; }); // stopped
    dropAlone();
}

void Search::readContents()
{
    // Groups that would free most come first, so that a search that is stopped has found what matters; a batch of them
    // is read in the order on the disk.
    struct Range {
        std::size_t begin, end;
        std::uint64_t bytes;
    };
    std::vector<Range> ranges;
    std::uint64_t all = 0;
    for (std::size_t i = 0; i < candidates_.size();) {
        std::size_t end = i + 1;
        while (end < candidates_.size() && sameKey(candidates_[i], candidates_[end]))
            ++end;
        if (candidates_[i].state == Candidate::State::Blocks) {
            ranges.push_back({i, end, candidates_[i].size * (end - i)});
            all += ranges.back().bytes;
        }
        i = end;
    }
    progress_.bytesOf = all;
    std::sort(ranges.begin(), ranges.end(), [this](const Range& a, const Range& b) {
        return a.bytes != b.bytes ? a.bytes > b.bytes : candidates_[a.begin].size > candidates_[b.begin].size;
    });
    constexpr std::uint64_t batch = 1 << 30;
    for (std::size_t r = 0; r < ranges.size() && !stop_.stop_requested();) {
        std::vector<std::uint32_t> order;
        for (std::uint64_t bytes = 0; r < ranges.size() && bytes < batch; ++r) {
            bytes += ranges[r].bytes;
            for (auto i = ranges[r].begin; i < ranges[r].end; ++i)
                order.push_back(static_cast<std::uint32_t>(i));
        }
        std::sort(order.begin(), order.end(), [this](std::uint32_t a, std::uint32_t b) {
            return std::tie(candidates_[a].device, candidates_[a].inode) <
                   std::tie(candidates_[b].device, candidates_[b].inode);
        });
        forEach(order, [this](Candidate& c, std::vector<char>& buffer) {
            std::uint64_t read = 0;
            auto file = FileContent::open(pathOf(c), seen(c));
            auto hash = file ? file->hashWhole(buffer, stop_,
                                               [&](std::uint64_t more) {
                                                   read += more;
                                                   progress_.bytesDone += more;
                                               })
                             : Result<ContentHash>(file.error());
            if (hash)
                if (const auto still = file->verify(); !still)
                    hash = still.error();
            if (hash) {
                c.hash = *hash;
                c.state = Candidate::State::Whole;
            } else {
                progress_.bytesOf -= c.size - read; // not to be read any more
                drop(c, hash.error());
            }
        });
    }
    std::erase_if(candidates_, [](const Candidate& c) { return c.state != Candidate::State::Whole; });
    dropAlone();
}

void Search::collect()
{
    for (std::size_t i = 0; i < candidates_.size();) {
        std::size_t end = i + 1;
        while (end < candidates_.size() && sameKey(candidates_[i], candidates_[end]))
            ++end;
        // A small file read for its folder is the same as others of its size: they are all small.
        if (!candidates_[i].small) {
            DuplicateGroup group;
            group.bytesEach = candidates_[i].size;
            std::unordered_map<std::uint64_t, std::uint64_t> sharing; // bytes of the files that share blocks
            std::uint64_t all = 0, most = 0;
            for (auto k = i; k < end; ++k) {
                const auto& c = candidates_[k];
                const auto& store = trees_[c.tree]->store();
                DuplicateFile file{c.node, c.tree, 0, false};
                if (store.has(c.node, FlagLinked)) {
                    const auto& set = store.linkSets()[store.linkSetOf(c.node)];
                    file.otherLinks = set.count < set.links;
                }
                if (const auto open = FileContent::open(pathOf(c), seen(c)))
                    file.sharedBlocks = open->sharedBlocks();
                auto disk = file.otherLinks ? 0 : store.ownDisk(c.node);
                if (file.sharedBlocks != 0 && std::exchange(sharing[file.sharedBlocks], disk) != 0)
                    disk = 0; // counted with the one it shares with
                all += disk;
                most = std::max(most, disk);
                group.files.push_back(file);
            }
            // Of files that share blocks all but one can go without freeing anything.
            group.freeable = all - most;
            std::sort(group.files.begin(), group.files.end(), [this](const DuplicateFile& a, const DuplicateFile& b) {
                return trees_[a.tree]->path(a.node) < trees_[b.tree]->path(b.node);
            });
            found_.freeable += group.freeable;
            found_.groups.push_back(std::move(group));
        }
        i = end;
    }
    std::stable_sort(found_.groups.begin(), found_.groups.end(), [](const DuplicateGroup& a, const DuplicateGroup& b) {
        return a.freeable != b.freeable ? a.freeable > b.freeable : a.bytesEach > b.bytesEach;
    });
}

void Search::addFolders()
{
    std::unordered_map<std::uint64_t, const ContentHash*> hashes;
    const auto key = [](std::uint32_t tree, NodeId node) { return std::uint64_t{tree} << 32 | node; };
    for (const auto& c : candidates_)
        hashes.emplace(key(c.tree, c.node), &c.hash);
    found_.folders = folders_->find([&](std::uint32_t t, NodeId node) -> const ContentHash* {
        const auto counted = trees_[t]->countedAt(node);
        const auto found = hashes.find(key(t, counted));
        return found == hashes.end() ? nullptr : found->second;
    });
    std::unordered_map<std::uint64_t, std::size_t> within;
    for (auto& group : found_.folders) {
        std::sort(group.folders.begin(), group.folders.end(), [this](const DuplicateFile& a, const DuplicateFile& b) {
            return trees_[a.tree]->path(a.node) < trees_[b.tree]->path(b.node);
        });
    }
    std::stable_sort(found_.folders.begin(), found_.folders.end(),
                     [](const DuplicateFolders& a, const DuplicateFolders& b) { return a.freeable > b.freeable; });
    for (std::size_t g = 0; g < found_.folders.size(); ++g)
        for (const auto& folder : found_.folders[g].folders)
            within.emplace(key(folder.tree, folder.node), g);
    constexpr auto none = std::numeric_limits<std::size_t>::max();
    for (auto& group : found_.groups) {
        auto common = none;
        group.inFolders = !within.empty();
        for (const auto& file : group.files) {
            auto in = none;
            for (auto above = trees_[file.tree]->parent(file.node); above != noNode && in == none;
                 above = trees_[file.tree]->parent(above))
                if (const auto at = within.find(key(file.tree, above)); at != within.end())
                    in = at->second;
            group.inFolders &= in != none && (common == none || common == in);
            common = in;
        }
    }
}

} // namespace

std::size_t Duplicates::listed() const
{
    const auto apart =
        std::count_if(groups.begin(), groups.end(), [](const DuplicateGroup& group) { return !group.inFolders; });
    return folders.size() + static_cast<std::size_t>(apart);
}

Duplicates findDuplicates(const Trees& trees, const DuplicateOptions& options, DuplicateProgress& progress,
                          std::stop_token stop)
{
    return Search(trees, options, progress, std::move(stop)).run();
}

std::vector<DuplicateFile> chooseToRemove(const std::vector<DuplicateFile>& files, const Trees& trees, Keep keep,
                                          const std::string& folder)
{
    if (files.size() < 2)
        return {};
    std::vector<std::string> paths;
    for (const auto& file : files)
        paths.push_back(trees[file.tree]->path(file.node));
    // What a program may throw away by itself is not what stays, as long as another one is elsewhere.
    std::vector<bool> fleeting(files.size());
    for (std::size_t i = 0; i < files.size(); ++i) {
        const auto& tree = *trees[files[i].tree];
        for (auto above = files[i].node; above != noNode && !fleeting[i]; above = tree.parent(above))
            fleeting[i] = tree.isFolder(above) && isCacheFolder(tree, above);
    }
    std::vector<bool> kept(files.size());
    if (keep == Keep::InFolder) {
        for (std::size_t i = 0; i < files.size(); ++i)
            kept[i] = isAtOrBelow(paths[i], folder);
        if (std::none_of(kept.begin(), kept.end(), [](bool k) { return k; }))
            return {};
    } else {
        const auto worth = [&](std::size_t i) -> std::int64_t {
            const auto changed = trees[files[i].tree]->newest(files[i].node);
            return keep == Keep::Oldest   ? changed
                   : keep == Keep::Newest ? -changed
                                          : static_cast<std::int64_t>(paths[i].size());
        };
        std::size_t best = 0;
        for (std::size_t i = 1; i < files.size(); ++i)
            if (std::tuple(fleeting[i], worth(i), std::string_view(paths[i])) <
                std::tuple(fleeting[best], worth(best), std::string_view(paths[best])))
                best = i;
        kept[best] = true;
    }
    std::vector<DuplicateFile> chosen;
    for (std::size_t i = 0; i < files.size(); ++i)
        if (!kept[i])
            chosen.push_back(files[i]);
    return chosen;
}

} // namespace kurvo
