// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/file_tree.h"

#include <xxhash.h>

#include <algorithm>
#include <utility>

#include "core/base/text.h"
#include "core/tree/stretches.h"

namespace kurvo {

void FolderSums::addFile(const NodeStore& store, NodeId file, bool counts)
{
    const bool hidden = store.has(file, FlagHidden);
    const auto modified = store.modified(file);
    ++files;
    hiddenFiles += hidden ? 1 : 0;
    newest = std::max(newest, modified);
    oldest = std::min(oldest, modified);
    if (!counts)
        return;
    const auto own = store.ownDisk(file);
    apparent += store.ownApparent(file);
    disk += own;
    hiddenDisk += hidden ? own : 0;
}

void FolderSums::addSelf(const NodeStore& store, NodeId folder)
{
    unreadable += store.has(folder, FlagUnreadable) ? 1 : 0;
    if (store.has(folder, FlagDoor))
        return;
    disk += store.ownDisk(folder);
    hiddenDisk += store.has(folder, FlagHidden) ? store.ownDisk(folder) : 0;
}

void FolderSums::addFolder(const NodeStore& store, NodeId folder)
{
    ++folders;
    newest = std::max(newest, store.modified(folder));
}

void FolderSums::addBelow(const FolderSums& below)
{
    apparent += below.apparent;
    disk += below.disk;
    hiddenDisk += below.hiddenDisk;
    newest = std::max(newest, below.newest);
    oldest = std::min(oldest, below.oldest);
    files += below.files;
    folders += below.folders;
    hiddenFiles += below.hiddenFiles;
    unreadable += below.unreadable;
}

FileTree::FileTree(std::shared_ptr<const NodeStore> store, StoreExtent extent, std::vector<FolderSums> sums)
    : store_(std::move(store)), extent_(extent), growing_(true), sums_(std::move(sums))
{
}

FileTree::FileTree(std::shared_ptr<const NodeStore> store, std::vector<NodeId> removed)
    : store_(std::move(store)), extent_{store_->size(), store_->folderCount()}, removed_(std::move(removed))
{
    std::sort(removed_.begin(), removed_.end());
    removed_.erase(std::unique(removed_.begin(), removed_.end()), removed_.end());
    addUp();
}

FileTree::FileTree(const FileTree& whole, const std::vector<bool>& wanted)
    : store_(whole.store_), extent_(whole.extent_), narrowed_(true), counted_(whole.counted_)
{
    const auto& store = *store_;
    sums_.assign(extent_.folders, {});
    // Backwards, every folder is complete before it is asked whether anything in it is wanted.
    std::vector<bool> kept(extent_.nodes), gone;
    kept[rootNode] = true;
    if (!whole.removed_.empty()) {
        gone.resize(extent_.nodes);
        for (NodeId node = 1; node < extent_.nodes; ++node)
            gone[node] = gone[store.parent(node)] || whole.isRemoved(node);
    }
    for (NodeId node = extent_.nodes; node-- > 0;) {
        const NodeId above = store.parent(node);
        const bool isWanted = node < wanted.size() && wanted[node] && (gone.empty() || !gone[node]);
        if (!isWanted && !kept[node])
            continue;
        kept[node] = true;
        if (store.isFolder(node)) {
            auto& own = sums_[store.folderIndex(node)];
            if (isWanted)
                own.addSelf(store, node);
            if (above != noNode) {
                auto& sums = sums_[store.folderIndex(above)];
                sums.addBelow(own);
                sums.addFolder(store, node);
            }
        } else {
            sums_[store.folderIndex(above)].addFile(store, node, whole.countedAt(node) == node);
        }
        if (above != noNode)
            kept[above] = true;
    }
    // The topmost of what is left out.
    for (NodeId node = 1; node < extent_.nodes; ++node)
        if (!kept[node] && kept[store.parent(node)])
            removed_.push_back(node);
}

bool FileTree::isRemoved(NodeId node) const
{
    return std::binary_search(removed_.begin(), removed_.end(), node);
}

bool FileTree::contains(NodeId node) const
{
    if (node >= extent_.nodes)
        return false;
    for (; node != noNode; node = parent(node))
        if (isRemoved(node))
            return false;
    return true;
}

void FileTree::addUp()
{
    const auto& store = *store_;
    counted_.resize(store.linkSets().size(), noNode);
    for (std::size_t i = 0; i < counted_.size(); ++i)
        for (const NodeId member : store.linkMembers(store.linkSets()[i]))
            if (removed_.empty() || contains(member)) {
                counted_[i] = member;
                break;
            }

    sums_.assign(store.folderCount(), {});
    addFiles();
    // Children have larger ids than their folder: backwards, every folder is complete before it is added to its parent.
    for (NodeId node = store.size(); node-- > 0;) {
        if (!store.isFolder(node) || (!removed_.empty() && isRemoved(node)))
            continue;
        auto& own = sums_[store.folderIndex(node)];
        own.addSelf(store, node);
        if (const NodeId above = store.parent(node); above != noNode) {
            auto& sums = sums_[store.folderIndex(above)];
            sums.addBelow(own);
            sums.addFolder(store, node);
        }
    }
}

/// Adds the files to the folders they are in.
void FileTree::addFiles()
{
    const auto& store = *store_;
    forEachStretch(stretchesOf(store, store.size()), [this, &store](std::size_t, NodeId from, NodeId to) {
        NodeId folder = noNode;
        FolderSums* sums = nullptr;
        for (NodeId node = from; node < to; ++node) {
            if (store.isFolder(node) || (!removed_.empty() && isRemoved(node)))
                continue;
            if (store.parent(node) != folder) {
                folder = store.parent(node);
                sums = &sums_[store.folderIndex(folder)];
            }
            sums->addFile(store, node, !store.has(node, FlagLinked) || counted_[store.linkSetOf(node)] == node);
        }
    });
}

std::string_view FileTree::label(NodeId node) const
{
    return node == rootNode ? fileName(name(node)) : name(node);
}

std::uint64_t FileTree::disk(NodeId node) const
{
    if (isFolder(node))
        return sums(node).disk;
    return countedAt(node) == node ? store_->ownDisk(node) : 0;
}

std::uint64_t FileTree::apparent(NodeId node) const
{
    if (isFolder(node))
        return sums(node).apparent;
    return countedAt(node) == node ? store_->ownApparent(node) : 0;
}

std::uint64_t FileTree::measured(NodeId node, Measure measure) const
{
    switch (measure) {
    case Measure::Apparent:
        return apparent(node);
    case Measure::Files:
        return files(node);
    case Measure::Disk:
        break;
    }
    return disk(node);
}

std::int64_t FileTree::newest(NodeId node) const
{
    if (!isFolder(node) || sums(node).newest == INT64_MIN)
        return store_->modified(node);
    return sums(node).newest;
}

NodeId FileTree::countedAt(NodeId node) const
{
    if (isFolder(node) || !store_->has(node, FlagLinked))
        return node;
    if (growing_)
        return store_->has(node, FlagLinkedAgain) ? noNode : node;
    return counted_[store_->linkSetOf(node)];
}

std::uint32_t FileTree::countChildren(NodeId folder) const
{
    if (removed_.empty())
        return children(folder).count;
    std::uint32_t count = 0;
    forEachChild(folder, [&count](NodeId) { ++count; });
    return count;
}

std::vector<NodeId> FileTree::sortedChildren(NodeId folder, Measure measure) const
{
    std::vector<std::pair<std::uint64_t, NodeId>> keyed;
    keyed.reserve(children(folder).count);
    forEachChild(folder, [&](NodeId child) { keyed.emplace_back(measured(child, measure), child); });
    std::sort(keyed.begin(), keyed.end(), [this](const auto& a, const auto& b) {
        return a.first != b.first ? a.first > b.first : name(a.second) < name(b.second);
    });
    std::vector<NodeId> children;
    children.reserve(keyed.size());
    for (const auto& entry : keyed)
        children.push_back(entry.second);
    return children;
}

bool FileTree::isAtOrBelow(NodeId node, NodeId folder) const
{
    // A child's id is larger than its folder's, so the walk up can end early.
    for (; node != noNode && node >= folder; node = parent(node))
        if (node == folder)
            return true;
    return false;
}

std::optional<NodeId> FileTree::findChild(NodeId folder, std::string_view wanted) const
{
    std::optional<NodeId> found;
    forEachChild(folder, [&](NodeId child) {
        if (name(child) == wanted)
            found = child;
    });
    return found;
}

std::vector<NodeId> FileTree::places() const
{
    std::vector<NodeId> roots;
    if (isTogether())
        forEachChild(rootNode, [&roots](NodeId child) { roots.push_back(child); });
    else
        roots.push_back(rootNode);
    return roots;
}

std::optional<NodeId> FileTree::find(std::string_view path) const
{
    if (path == name(rootNode))
        return rootNode;
    NodeId at = noNode;
    for (const NodeId root : places())
        if (kurvo::isAtOrBelow(path, name(root)) && (at == noNode || name(root).size() > name(at).size()))
            at = root;
    if (at == noNode)
        return std::nullopt;
    path.remove_prefix(name(at).size());
    while (!path.empty()) {
        if (path.front() == '/') {
            path.remove_prefix(1);
            continue;
        }
        const auto component = path.substr(0, path.find('/'));
        if (!isFolder(at))
            return std::nullopt;
        const auto child = findChild(at, component);
        if (!child)
            return std::nullopt;
        at = *child;
        path.remove_prefix(component.size());
    }
    return at;
}

std::vector<NodeId> FileTree::chain(NodeId node) const
{
    std::vector<NodeId> up;
    for (; node != noNode; node = parent(node))
        up.push_back(node);
    std::reverse(up.begin(), up.end());
    return up;
}

NodeId followTheWeight(const FileTree& tree, NodeId folder, Measure measure, double threshold)
{
    for (;;) {
        NodeId heaviest = noNode;
        std::uint64_t weight = 0;
        tree.forEachChild(folder, [&](NodeId child) {
            const auto w = tree.measured(child, measure);
            if (tree.isFolder(child) && w > weight) {
                weight = w;
                heaviest = child;
            }
        });
        const auto whole = tree.measured(folder, measure);
        if (heaviest == noNode || static_cast<double>(weight) < threshold * static_cast<double>(whole))
            return folder;
        folder = heaviest;
    }
}

std::uint64_t entryFingerprint(EntryKind kind, std::uint64_t inode, std::uint64_t apparent, std::int64_t modified,
                               std::uint32_t modifiedNs)
{
    const std::uint64_t facts[4] = {static_cast<std::uint64_t>(kind), inode, apparent * 31 + modifiedNs,
                                    static_cast<std::uint64_t>(modified)};
    return XXH3_64bits(facts, sizeof facts);
}

ContentSummary summarize(const FileTree& tree, NodeId top)
{
    ContentSummary summary;
    const auto& store = tree.store();
    tree.forEachBelow(top, [&](NodeId node) {
        ++summary.entries;
        summary.apparent += store.ownApparent(node);
        summary.unreadable += store.has(node, FlagUnreadable) ? 1 : 0;
        summary.fingerprint += store.isFolder(node)
                                   ? entryFingerprint(store.kind(node), store.inode(node), 0, 0, 0)
                                   : entryFingerprint(store.kind(node), store.inode(node), store.ownApparent(node),
                                                      store.modified(node), store.modifiedNs(node));
    });
    return summary;
}

} // namespace kurvo
