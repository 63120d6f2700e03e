// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/advice/guard.h"

#include <algorithm>
#include <array>
#include <string_view>

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
    std::string_view("/home"),     std::string_view("/media"),     std::string_view("/mnt"),
    std::string_view("/opt"),      std::string_view("/root"),      std::string_view("/srv"),
    std::string_view("/tmp"),      std::string_view("/usr"),       std::string_view("/usr/local"),
    std::string_view("/var"),      std::string_view("/var/cache"), std::string_view("/var/lib"),
    std::string_view("/var/log"),  std::string_view("/var/spool"), std::string_view("/var/tmp"),
    std::string_view("/var/mail"),
};

} // namespace

bool isSystemPath(std::string_view path)
{
    return isAtOrBelow(path, "/usr") ||
           std::any_of(systemTrees.begin(), systemTrees.end(), [path](auto tree) { return isAtOrBelow(path, tree); });
}

std::optional<Protection> protectionOf(const std::string& path, const GuardFacts& facts)
{
    const auto shown = displayText(path);
    if (path == "/" || std::find(systemFolders.begin(), systemFolders.end(), path) != systemFolders.end())
        return Protection{shown + " is a folder the system needs. Plan what is inside it instead.", false};
    if (path == facts.user.home)
        return Protection{shown + " is your whole home folder. Plan what is inside it instead.", false};
    if (isAtOrBelow(joinPath(facts.user.data, "Trash"), path))
        return Protection{shown + " is, or holds, the trash itself. Empty the trash instead.", false};
    if (!facts.ownData.empty() && isAtOrBelow(facts.ownData, path) && path != facts.ownData)
        return Protection{shown + " holds Kurvo's own snapshots and settings.", false};
    if (!facts.ownData.empty() && isAtOrBelow(path, facts.ownData))
        return Protection{shown + " is Kurvo's own: snapshots, marks and settings.", true, true};
    for (const auto tree : systemTrees)
        if (isAtOrBelow(path, tree))
            return Protection{shown + " belongs to the system (" + std::string(tree) +
                                  "). Leave it to the system's own tools.",
                              path != tree, true};
    if (facts.packages)
        if (const auto* package = facts.packages->ownerWithin(path)) {
            const bool itself = facts.packages->owner(path) == package;
            return Protection{shown + (itself ? " belongs to" : " holds files of") + " the package " + package->name +
                                  ". Remove the package instead: " +
                                  facts.packages->removeCommand(package->name.substr(0, package->name.find(':'))),
                              true, itself};
        }
    if (isAtOrBelow(path, "/usr") && !isAtOrBelow(path, "/usr/local"))
        return Protection{
            shown + " belongs to installed packages. Remove the package with the package manager instead.", true, true};
    if (parentPath(path) == "/home")
        return Protection{shown + " is somebody's whole home folder. Plan what is inside it instead."};
    return std::nullopt;
}

} // namespace kurvo
