// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/moves.h"

#include <xxhash.h>

#include <algorithm>
#include <map>

namespace kurvo {
namespace {

constexpr std::size_t sampled = 1000; ///< files of a folder that are looked up to find out where it was

std::uint64_t keyOf(std::uint64_t a, std::uint64_t b, std::uint64_t c, std::uint64_t d)
{
    const std::uint64_t all[] = {a, b, c, d};
    return XXH3_64bits(all, sizeof all);
}

} // namespace

MoveFinder::Key MoveFinder::inodeKey(const FileTree& tree, NodeId node)
{
    const auto& s = tree.store();
    return keyOf(s.inode(node), static_cast<std::uint64_t>(s.modified(node)),
                 std::uint64_t{s.modifiedNs(node)} << 3 | static_cast<std::uint64_t>(s.kind(node)), s.ownApparent(node));
}

MoveFinder::Key MoveFinder::nameKey(const FileTree& tree, NodeId node)
{
    const auto& s = tree.store();
    const auto name = tree.name(node);
    return keyOf(XXH3_64bits(name.data(), name.size()), static_cast<std::uint64_t>(s.modified(node)),
                 static_cast<std::uint64_t>(s.kind(node)), s.ownApparent(node));
}

void MoveFinder::index(const std::vector<NodeId>& vanished)
{
    for (const auto top : vanished)
        before_.forEachBelow(top, [this](NodeId node) {
            if (before_.isFolder(node)) {
                folders_.emplace_back(before_.store().inode(node), node);
                return;
            }
            if (sameDrive_)
                byInode_.emplace_back(inodeKey(before_, node), node);
            if (before_.store().ownApparent(node) > 0) // an empty file of the same name says nothing
                byName_.emplace_back(nameKey(before_, node), node);
        });
    for (auto* all : {&byInode_, &byName_, &folders_})
        std::sort(all->begin(), all->end());
}

template <typename Visit>
void MoveFinder::forEachWith(const Index& index, Key key, Visit&& visit) const
{
    for (auto at = std::lower_bound(index.begin(), index.end(), std::pair<Key, NodeId>{key, 0});
         at != index.end() && at->first == key; ++at)
        if (later_[at->second] == noNode && !visit(at->second))
            return;
}

bool MoveFinder::isSameFile(NodeId now, NodeId before) const
{
    const auto& a = now_.store();
    const auto& b = before_.store();
    if (a.kind(now) != b.kind(before) || a.ownApparent(now) != b.ownApparent(before) ||
        a.modified(now) != b.modified(before))
        return false;
    return (sameDrive_ && a.inode(now) == b.inode(before)) || now_.name(now) == before_.name(before);
}

NodeId MoveFinder::movedFolder(NodeId folder) const
{
    constexpr int mostCandidates = 8; // of one name, size and time
    std::map<NodeId, std::size_t> votes;
    std::size_t looked = 0;
    // The files in it, nearest first, and how deep below it they are.
    std::vector<std::pair<NodeId, unsigned>> pending{{folder, 0}};
    for (std::size_t i = 0; i < pending.size() && looked < sampled; ++i) {
        const auto [at, depth] = pending[i];
        now_.forEachChild(at, [&, at = at, depth = depth](NodeId child) {
            if (now_.isFolder(child)) {
                if (pending.size() < sampled)
                    pending.emplace_back(child, depth + 1);
                return;
            }
            if (looked >= sampled)
                return;
            ++looked;
            int tried = 0;
            bool found = false;
            // The folder that lies as far above the one as `folder` above the other, by the same names.
            const auto vote = [&](NodeId there) {
                if (before_.name(there) == now_.name(child) && isSameFile(child, there)) {
                    NodeId up = before_.parent(there), here = at;
                    for (unsigned d = depth; d > 0 && up != noNode && before_.name(up) == now_.name(here); --d)
                        up = before_.parent(up), here = now_.parent(here);
                    found = here == folder && up != noNode && up != rootNode && later_[up] == noNode;
                    if (found)
                        ++votes[up];
                }
                return !found && ++tried < mostCandidates;
            };
            if (sameDrive_)
                forEachWith(byInode_, inodeKey(now_, child), vote);
            if (!found && now_.store().ownApparent(child) > 0)
                forEachWith(byName_, nameKey(now_, child), vote);
        });
    }
    NodeId best = noNode;
    for (const auto& [candidate, count] : votes)
        if (best == noNode || count > votes[best])
            best = candidate;
    const auto files = now_.files(folder);
    if (best != noNode && votes[best] * 2 >= looked && files * 2 >= before_.files(best) &&
        before_.files(best) * 2 >= files)
        return best;
    // An empty one, or one whose files were all written since.
    if (sameDrive_) {
        NodeId same = noNode;
        forEachWith(folders_, now_.store().inode(folder), [&](NodeId there) {
            const auto& a = now_.store();
            const auto& b = before_.store();
            if (a.modified(folder) == b.modified(there) && a.modifiedNs(folder) == b.modifiedNs(there))
                same = there;
            return same == noNode;
        });
        return same;
    }
    return noNode;
}

void MoveFinder::pairFolders(NodeId folder, NodeId then, std::vector<NodeId>& pending)
{
    ChildMatcher children(now_, before_);
    std::vector<std::pair<NodeId, NodeId>> below{{folder, then}};
    earlier_[folder] = then;
    later_[then] = folder;
    while (!below.empty()) {
        const auto [here, there] = below.back();
        below.pop_back();
        children.match(here, there, [&](NodeId a, NodeId b) {
            if (earlier_[a] != noNode || later_[b] != noNode)
                return;
            earlier_[a] = b;
            later_[b] = a;
            if (now_.isFolder(a))
                below.emplace_back(a, b);
        });
        now_.forEachChild(here, [&](NodeId child) {
            if (now_.isFolder(child) && earlier_[child] == noNode)
                pending.push_back(child); // new in a folder that moved
        });
    }
}

NodeId MoveFinder::movedFile(NodeId file) const
{
    NodeId found = noNode;
    if (sameDrive_)
        forEachWith(byInode_, inodeKey(now_, file), [&](NodeId there) {
            if (isSameFile(file, there))
                found = there;
            return found == noNode;
        });
    if (found != noNode || now_.store().ownApparent(file) == 0)
        return found;
    // Of several with its name, rather the one from a folder of the same name.
    const auto folder = now_.name(now_.parent(file));
    forEachWith(byName_, nameKey(now_, file), [&](NodeId there) {
        if (!isSameFile(file, there))
            return true;
        const bool alike = before_.name(before_.parent(there)) == folder;
        if (found == noNode || alike)
            found = there;
        return !alike;
    });
    return found;
}

void MoveFinder::findReplaced(const std::vector<NodeId>& replaced, std::vector<NodeId>& appeared,
                              std::vector<NodeId>& vanished)
{
    Index gone;
    for (const auto node : replaced)
        gone.emplace_back(inodeKey(before_, earlier_[node]), earlier_[node]);
    std::sort(gone.begin(), gone.end());
    std::vector<std::pair<NodeId, NodeId>> moved;
    const auto look = [&](NodeId node) {
        if (now_.isFolder(node))
            return;
        const auto key = inodeKey(now_, node);
        const auto at = std::lower_bound(gone.begin(), gone.end(), std::pair<Key, NodeId>{key, 0});
        if (at != gone.end() && at->first == key && now_.store().inode(node) == before_.store().inode(at->second))
            moved.emplace_back(node, at->second);
    };
    std::for_each(replaced.begin(), replaced.end(), look);
    std::for_each(appeared.begin(), appeared.end(), look);
    for (const auto& [node, then] : moved) {
        if (later_[then] != noNode && now_.store().inode(later_[then]) == before_.store().inode(then))
            continue; // another link to it was met first
        const auto old = earlier_[node], other = later_[then];
        if (old != noNode && later_[old] == node) {
            later_[old] = noNode;
            vanished.push_back(old);
        }
        if (other != noNode && earlier_[other] == then) {
            earlier_[other] = noNode;
            appeared.push_back(other);
        }
        earlier_[node] = then;
        later_[then] = node;
    }
    const auto matched = [](const std::vector<NodeId>& other) {
        return [&other](NodeId node) { return other[node] != noNode; };
    };
    std::erase_if(appeared, matched(earlier_));
    std::erase_if(vanished, matched(later_));
}

void MoveFinder::find(const std::vector<NodeId>& appeared, const std::vector<NodeId>& vanished, std::stop_token stop)
{
    if (appeared.empty() || vanished.empty())
        return;
    index(vanished);
    std::vector<NodeId> pending;
    for (const auto top : appeared)
        if (now_.isFolder(top))
            pending.push_back(top);
    // pairFolders() adds to the end: what is new in a folder that moved may have moved there from elsewhere.
    for (std::size_t i = 0; i < pending.size() && !stop.stop_requested(); ++i) {
        const auto folder = pending[i];
        if (const auto then = movedFolder(folder); then != noNode) {
            pairFolders(folder, then, pending);
            continue;
        }
        now_.forEachChild(folder, [&](NodeId child) {
            if (now_.isFolder(child))
                pending.push_back(child);
        });
    }
    const auto file = [&](NodeId node) {
        if (earlier_[node] != noNode || now_.isFolder(node))
            return;
        if (const auto then = movedFile(node); then != noNode) {
            earlier_[node] = then;
            later_[then] = node;
        }
    };
    for (const auto top : appeared) {
        if (stop.stop_requested())
            return;
        now_.forEachBelow(top, file);
    }
}

} // namespace kurvo
