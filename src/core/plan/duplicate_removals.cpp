// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/duplicate_removals.h"

#include <algorithm>
#include <optional>
#include <unordered_set>

#include "core/platform/file_content.h"

namespace kurvo {
namespace {

SeenFile seenOf(const FileTree& tree, NodeId node)
{
    const auto& store = tree.store();
    return {store.inode(node), store.ownApparent(node), store.modified(node), store.modifiedNs(node)};
}

Result<bool> sameThing(const FileTree& tree, NodeId a, NodeId b, std::atomic<std::uint64_t>& bytesDone,
                       const std::stop_token& stop)
{
    const auto& store = tree.store();
    if (store.kind(a) != store.kind(b))
        return false;
    if (store.kind(a) == EntryKind::File) {
        const bool oneFile = tree.countedAt(a) == tree.countedAt(b); // links of it
        auto same = oneFile ? Result<bool>(true)
                            : sameContent(tree.path(a), seenOf(tree, a), tree.path(b), seenOf(tree, b), stop);
        bytesDone += store.ownApparent(a);
        return same;
    }
    if (!tree.isFolder(a))
        return true; // links were compared by the search; nothing else is in folders that are the same
    if (tree.countChildren(a) != tree.countChildren(b))
        return false;
    std::optional<Result<bool>> answer;
    tree.forEachChild(a, [&](NodeId child) {
        if (answer)
            return;
        const auto other = tree.findChild(b, tree.name(child));
        auto same = other ? sameThing(tree, child, *other, bytesDone, stop) : Result<bool>(false);
        if (!same || !*same)
            answer.emplace(std::move(same));
    });
    return answer ? *answer : Result<bool>(true);
}

} // namespace

std::vector<DuplicateRemoval> allButOne(const std::vector<DuplicateFile>& files,
                                        const std::shared_ptr<const FileTree>& tree, Keep keep,
                                        const std::string& folder)
{
    const auto go = chooseToRemove(files, {tree}, keep, folder);
    std::unordered_set<NodeId> going;
    for (const auto& file : go)
        going.insert(file.node);
    std::vector<DuplicateRemoval> removals;
    const auto stays =
        std::find_if(files.begin(), files.end(), [&](const DuplicateFile& file) { return !going.contains(file.node); });
    if (stays != files.end())
        for (const auto& file : go)
            removals.push_back({file.node, stays->node});
    return removals;
}

std::vector<DuplicateRemoval> consistentRemovals(const FileTree& tree, const std::vector<NodeId>& planned,
                                                 const std::vector<DuplicateRemoval>& wanted)
{
    auto removals = wanted;
    const auto& store = tree.store();
    for (const auto& removal : wanted)
        if (!tree.isFolder(removal.goes) && store.has(removal.goes, FlagLinked))
            for (const NodeId member : store.linkMembers(store.linkSets()[store.linkSetOf(removal.goes)]))
                if (member != removal.goes && tree.contains(member))
                    removals.push_back({member, removal.stays});
    std::unordered_set<NodeId> going(planned.begin(), planned.end());
    std::unordered_set<NodeId> staying, aboveStaying;
    const auto reaches = [&tree](NodeId node, const std::unordered_set<NodeId>& set) {
        for (; node != noNode; node = tree.parent(node))
            if (set.contains(node))
                return true;
        return false;
    };
    std::vector<DuplicateRemoval> kept;
    for (const auto& removal : removals) {
        if (removal.goes == removal.stays || reaches(removal.stays, going) || reaches(removal.goes, staying) ||
            aboveStaying.contains(removal.goes) || tree.isAtOrBelow(removal.stays, removal.goes))
            continue;
        going.insert(removal.goes);
        staying.insert(removal.stays);
        for (auto above = removal.stays; above != noNode; above = tree.parent(above))
            aboveStaying.insert(above);
        kept.push_back(removal);
    }
    return kept;
}

std::uint64_t bytesToCompare(const FileTree& tree, const std::vector<DuplicateRemoval>& removals)
{
    std::uint64_t bytes = 0;
    for (const auto& removal : removals)
        bytes += tree.apparent(removal.goes) + 1;
    return bytes;
}

std::vector<NodeId> ComparedRemovals::goes() const
{
    std::vector<NodeId> nodes;
    for (const auto& [node, stays] : same)
        nodes.push_back(node);
    std::sort(nodes.begin(), nodes.end());
    return nodes;
}

ComparedRemovals compareRemovals(const FileTree& tree, const std::vector<DuplicateRemoval>& removals,
                                 std::atomic<std::uint64_t>& bytesDone, const std::stop_token& stop)
{
    ComparedRemovals compared;
    for (const auto& [goes, stays] : removals) {
        const auto same = sameThing(tree, goes, stays, bytesDone, stop);
        if (stop.stop_requested()) {
            compared.stopped = true;
            break;
        }
        if (same && *same)
            compared.same[goes] = stays;
        else
            ++compared.different;
        if (!same && compared.problem.empty())
            compared.problem = same.error().sentence;
    }
    return compared;
}

} // namespace kurvo
