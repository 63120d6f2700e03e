// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan.h"

#include <algorithm>
#include <array>
#include <string_view>

#include "core/base/figures.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

// Whole trees that belong to the system, its kernel or its package manager.
constexpr std::array systemTrees{
    std::string_view("/bin"),          std::string_view("/boot"),        std::string_view("/dev"),
    std::string_view("/etc"),          std::string_view("/lib"),         std::string_view("/lib32"),
    std::string_view("/lib64"),        std::string_view("/libx32"),      std::string_view("/proc"),
    std::string_view("/run"),          std::string_view("/sbin"),        std::string_view("/sys"),
    std::string_view("/var/lib/dpkg"), std::string_view("/var/lib/rpm"), std::string_view("/var/lib/pacman"),
};

// Folders that must stay, though much of what is in them may go.
constexpr std::array systemFolders{
    std::string_view("/home"),      std::string_view("/media"),     std::string_view("/mnt"),
    std::string_view("/opt"),       std::string_view("/root"),      std::string_view("/srv"),
    std::string_view("/tmp"),       std::string_view("/usr/local"), std::string_view("/var"),
    std::string_view("/var/cache"), std::string_view("/var/lib"),   std::string_view("/var/log"),
    std::string_view("/var/spool"), std::string_view("/var/tmp"),   std::string_view("/var/mail"),
};

Error refused(const std::string& path, std::string sentence)
{
    return {ErrorKind::Unsupported, path, 0, std::move(sentence)};
}

} // namespace

std::optional<std::string> protectionOf(const std::string& path, const UserFolders& user, const std::string& ownData)
{
    const auto shown = displayText(path);
    for (const auto tree : systemTrees)
        if (isAtOrBelow(path, tree))
            return shown + " belongs to the system (" + std::string(tree) + "). Leave it to the system's own tools.";
    if (isAtOrBelow(path, "/usr") && !isAtOrBelow(path, "/usr/local"))
        return shown + " belongs to installed packages. Remove the package with the package manager instead.";
    if (path == "/" || std::find(systemFolders.begin(), systemFolders.end(), path) != systemFolders.end())
        return shown + " is a folder the system needs. Plan what is inside it instead.";
    if (path == user.home || parentPath(path) == "/home")
        return shown + " is somebody's whole home folder. Plan what is inside it instead.";
    if (!ownData.empty() && (isAtOrBelow(path, ownData) || isAtOrBelow(ownData, path)))
        return shown + " holds Kurvo's own snapshots and settings.";
    if (isAtOrBelow(joinPath(user.data, "Trash"), path))
        return shown + " is, or holds, the trash itself. Empty the trash instead.";
    return std::nullopt;
}

Result<Done> Plan::add(const FileTree& tree, NodeId node, const UserFolders& user, const std::string& ownData)
{
    const auto path = tree.path(node);
    if (node == rootNode)
        return refused(path, displayText(path) + " is the place that was scanned. Plan what is inside it instead.");
    if (tree.store().has(node, FlagDoor))
        return refused(path, displayText(path) + " is another mounted filesystem. Scan it as a place of its own.");
    if (const NodeId covering = coveringItem(tree, node); covering != noNode)
        return refused(path, covering == node ? displayText(path) + " is on the plan already."
                                              : displayText(path) + " is on the plan already, as part of " +
                                                    displayText(tree.path(covering)) + ".");
    if (auto reason = protectionOf(path, user, ownData))
        return refused(path, *reason);

    std::erase_if(items_, [&](const PlanItem& item) { return tree.isAtOrBelow(item.node, node); });
    const auto& store = tree.store();
    items_.push_back({node, path, store.kind(node), store.device(node), store.inode(node), store.ownApparent(node),
                      store.modified(node), store.modifiedNs(node), tree.disk(node)});
    std::sort(items_.begin(), items_.end(), [](const PlanItem& a, const PlanItem& b) {
        return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
    });
    return Done{};
}

bool Plan::remove(NodeId node)
{
    return std::erase_if(items_, [node](const PlanItem& item) { return item.node == node; }) > 0;
}

bool Plan::has(NodeId node) const
{
    return std::any_of(items_.begin(), items_.end(), [node](const PlanItem& item) { return item.node == node; });
}

NodeId Plan::coveringItem(const FileTree& tree, NodeId node) const
{
    for (const auto& item : items_)
        if (tree.isAtOrBelow(node, item.node))
            return item.node;
    return noNode;
}

std::uint64_t Plan::plannedBytes() const
{
    std::uint64_t sum = 0;
    for (const auto& item : items_)
        sum += item.disk;
    return sum;
}

std::uint64_t Plan::freedBytes(const FileTree& tree) const
{
    std::uint64_t sum = plannedBytes();
    if (items_.empty())
        return 0;
    const auto& store = tree.store();
    for (const auto& set : store.linkSets()) {
        const auto members = store.linkMembers(set);
        const NodeId counted = tree.countedAt(members.front());
        if (counted == noNode || coveringItem(tree, counted) == noNode)
            continue; // its bytes are not among those planned
        std::uint32_t planned = 0;
        for (const NodeId member : members)
            planned += tree.contains(member) && coveringItem(tree, member) != noNode ? 1 : 0;
        if (planned < set.links)
            sum -= store.ownDisk(counted);
    }
    return sum;
}

} // namespace kurvo
