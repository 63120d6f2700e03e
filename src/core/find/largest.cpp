// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/largest.h"

#include <algorithm>
#include <cstring>
#include <utility>

#include "core/tree/stretches.h"

namespace kurvo {
namespace {

using Sized = std::pair<std::uint64_t, NodeId>;

/// True when the paths of `a`, or of what lies in it if it is a folder, come before those of its sibling `b`.
bool comesBefore(const FileTree& tree, NodeId a, NodeId b)
{
    const auto nameA = tree.name(a), nameB = tree.name(b);
    const auto common = std::min(nameA.size(), nameB.size());
    if (const int order = std::memcmp(nameA.data(), nameB.data(), common); order != 0)
        return order < 0;
    const auto next = [&tree, common](NodeId node, std::string_view name) {
        return name.size() > common ? static_cast<unsigned char>(name[common]) : tree.isFolder(node) ? int{'/'} : 0;
    };
    return next(a, nameA) < next(b, nameB);
}

/// The first `count` of `files` (all below `top`) by path. Walks down in the order of the paths and enters only folders
/// that hold some, so that no path has to be built or compared as a whole: a million equal files are common (empty
/// ones).
void appendFirstByPath(const FileTree& tree, NodeId top, const std::vector<NodeId>& files, std::size_t count,
                       std::vector<NodeId>& out)
{
    const auto& store = tree.store();
    std::vector<bool> wanted(tree.extent().nodes);
    for (NodeId node : files)
        for (; node != noNode && !wanted[node]; node = store.parent(node))
            wanted[node] = true;
    std::vector<NodeId> pending{top}; // the next one at the end
    std::vector<NodeId> inside;
    while (!pending.empty() && count > 0) {
        const NodeId node = pending.back();
        pending.pop_back();
        if (!tree.isFolder(node)) {
            out.push_back(node);
            --count;
            continue;
        }
        inside.clear();
        tree.forEachChild(node, [&](NodeId child) {
            if (wanted[child])
                inside.push_back(child);
        });
        std::sort(inside.begin(), inside.end(), [&tree](NodeId a, NodeId b) { return comesBefore(tree, b, a); });
        pending.insert(pending.end(), inside.begin(), inside.end());
    }
}

/// Takes files and lets go of those that are certainly not among the `count` largest.
class Largest {
public:
    explicit Largest(std::size_t count) : count_(std::max<std::size_t>(count, 1)), room_(8 * count_ + 4096) { }
    void take(std::uint64_t size, NodeId node)
    {
        if (size < floor_)
            return;
        if (kept.size() == room_)
            drop();
        kept.emplace_back(size, node);
    }
    std::vector<Sized> kept;

private:
    void drop()
    {
        const auto last = kept.begin() + static_cast<std::ptrdiff_t>(count_) - 1;
        std::nth_element(kept.begin(), last, kept.end(),
                         [](const Sized& a, const Sized& b) { return a.first > b.first; });
        floor_ = last->first;
        std::erase_if(kept, [this](const Sized& s) { return s.first < floor_; });
        room_ = std::max(room_, 2 * kept.size()); // many are equal
    }
    std::size_t count_;
    std::size_t room_;
    std::uint64_t floor_ = 0;
};

/// The first `count` of `all`, largest first; equal ones by path.
std::vector<NodeId> firstOf(const FileTree& tree, std::vector<Sized> all, std::size_t count, NodeId top)
{
    count = std::min(count, all.size());
    std::vector<NodeId> best;
    if (count == 0)
        return best;
    const auto larger = [](const Sized& a, const Sized& b) { return a.first > b.first; };
    const auto last = all.begin() + static_cast<std::ptrdiff_t>(count) - 1;
    std::nth_element(all.begin(), last, all.end(), larger);
    const auto smallest = last->first;
    all.erase(std::partition(all.begin(), all.end(), [smallest](const Sized& s) { return s.first >= smallest; }),
              all.end());
    std::sort(all.begin(), all.end(), larger);
    best.reserve(count);
    std::vector<NodeId> equal;
    for (std::size_t begin = 0; best.size() < count;) {
        equal.clear();
        auto end = begin;
        for (; end < all.size() && all[end].first == all[begin].first; ++end)
            equal.push_back(all[end].second);
        constexpr std::size_t few = 64; // below, comparing paths costs less than marking the way to them
        if (equal.size() <= few) {
            std::sort(equal.begin(), equal.end(),
                      [&tree](NodeId a, NodeId b) { return tree.store().comparePaths(a, b) < 0; });
            const auto take = std::min(equal.size(), count - best.size());
            best.insert(best.end(), equal.begin(), equal.begin() + static_cast<std::ptrdiff_t>(take));
        } else {
            appendFirstByPath(tree, top, equal, count - best.size(), best);
        }
        begin = end;
    }
    return best;
}

} // namespace

std::vector<NodeId> largestFiles(const FileTree& tree, std::size_t count, NodeId top)
{
    if (top != rootNode || tree.isGrowing() || !tree.removed().empty()) {
        Largest largest(count);
        tree.forEachBelow(top, [&](NodeId node) {
            if (!tree.isFolder(node))
                largest.take(tree.disk(node), node);
        });
        return firstOf(tree, std::move(largest.kept), count, top);
    }
    const auto bounds = stretchesOf(tree.store(), tree.extent().nodes);
    std::vector<Largest> parts(bounds.size() - 1, Largest(count));
    forEachStretch(bounds, [&](std::size_t part, NodeId from, NodeId to) {
        for (NodeId node = from; node < to; ++node)
            if (!tree.isFolder(node))
                parts[part].take(tree.disk(node), node);
    });
    std::vector<Sized> all;
    for (const auto& part : parts)
        all.insert(all.end(), part.kept.begin(), part.kept.end());
    return firstOf(tree, std::move(all), count, top);
}

std::vector<NodeId> largestAmong(const FileTree& tree, const std::vector<NodeId>& files, std::size_t count, NodeId top)
{
    std::vector<Sized> all;
    all.reserve(files.size());
    for (const NodeId node : files)
        all.emplace_back(tree.disk(node), node);
    return firstOf(tree, std::move(all), count, top);
}

NodeId largestHiddenFile(const FileTree& tree, NodeId top)
{
    NodeId found = noNode;
    std::uint64_t size = 0;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node) || !tree.isHidden(node) || tree.disk(node) <= size)
            return;
        found = node;
        size = tree.disk(node);
    });
    return found;
}

} // namespace kurvo
