// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/advice/evidence.h"

#include <fcntl.h>

#include <algorithm>
#include <fstream>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/entry_stat.h"
#include "core/platform/open_files.h"
#include "core/platform/running_system.h"

namespace kurvo {
namespace {

std::string bareName(const InstalledPackage& package)
{
    return package.name.substr(0, package.name.find(':'));
}

void addPackage(const std::string& path, const PackageDatabase& packages, std::vector<Evidence>& found)
{
    if (const auto* owner = packages.owner(path))
        found.push_back({Evidence::Kind::Package, AdviceLevel::OwnTool,
                         "Belongs to the package " + owner->name + " " + owner->version +
                             (owner->automatic ? ", which another one pulled in" : "") + "."});
    else if (const auto* within = packages.ownerWithin(path))
        found.push_back({Evidence::Kind::Package, AdviceLevel::OwnTool,
                         "Files of installed packages lie in it, of " + bareName(*within) + " for one."});
}

void addHolders(const std::string& path, std::vector<Evidence>& found)
{
    const auto open = OpenPaths::read();
    if (!open)
        return;
    const auto holders = open->holdersOf(path);
    if (!holders.holders.empty()) {
        constexpr std::size_t shown = 3;
        std::string names;
        for (std::size_t i = 0; i < std::min(shown, holders.holders.size()); ++i)
            names += (i == 0 ? "" : ", ") + displayText(holders.holders[i].program) + " (" +
                     std::to_string(holders.holders[i].pid) + ")";
        if (holders.holders.size() > shown)
            names += " and " + formatItems(holders.holders.size() - shown, "more program");
        found.push_back({Evidence::Kind::Open, AdviceLevel::YourCall,
                         "In use by " + names + ". Deleting it frees nothing until that ends."});
    } else if (holders.notLookedInto > 0) {
        found.push_back({Evidence::Kind::NotKnown, AdviceLevel::UsuallySafe,
                         "Whether " + formatItems(holders.notLookedInto, "program") +
                             " of other users have it open cannot be seen without administrator rights."});
    }
}

bool isActiveSwap(const std::string& path)
{
    std::ifstream swaps("/proc/swaps");
    std::string line;
    while (std::getline(swaps, line))
        if (line.starts_with(path + " ") || line.starts_with(path + "\t"))
            return true;
    return false;
}

} // namespace

std::vector<Evidence> gatherEvidence(const std::string& path, const PackageDatabase* packages, std::int64_t now)
{
    std::vector<Evidence> found;
    EntryStat stat;
    if (statEntry(AT_FDCWD, path.c_str(), stat) != 0)
        return found; // it is gone: who shows it says so
    const auto release = runningKernel();
    const bool kernelPlace =
        isAtOrBelow(path, "/boot") || isAtOrBelow(path, "/lib/modules") || isAtOrBelow(path, "/usr/lib/modules");
    if (kernelPlace && !release.empty() && path.find(release) != std::string::npos)
        found.push_back({Evidence::Kind::RunningKernel, AdviceLevel::LeaveAlone,
                         "It belongs to the kernel that runs now (" + release + ")."});
    if (isActiveSwap(path))
        found.push_back({Evidence::Kind::ActiveSwap, AdviceLevel::LeaveAlone, "It is in use as swap space now."});
    EntryStat above;
    if (stat.kind == EntryKind::Folder && path != "/" &&
        statEntry(AT_FDCWD, std::string(parentPath(path)).c_str(), above) == 0 &&
        (stat.mountId != above.mountId || stat.device != above.device))
        found.push_back({Evidence::Kind::Mount, AdviceLevel::LeaveAlone, "Another filesystem is mounted here."});
    if (packages)
        addPackage(path, *packages, found);
    // True of each folder that a drive is mounted at, and so of no use: the kernel's threads work in "/".
    const bool isMountRoot = path == "/" || (!found.empty() && found.back().kind == Evidence::Kind::Mount);
    if (!isMountRoot)
        addHolders(path, found);
    constexpr std::int64_t recent = 15 * 60;
    if (const auto age = now - stat.modified; age >= 0 && age < recent)
        found.push_back({Evidence::Kind::JustChanged, AdviceLevel::YourCall,
                         "It changed " +
                             (age < 60 ? std::string("just now")
                                       : formatItems(static_cast<std::uint64_t>(age / 60), "minute") + " ago") +
                             ": something works with it."});
    if (stat.kind == EntryKind::File && stat.links > 1)
        found.push_back({Evidence::Kind::OtherLinks, AdviceLevel::UsuallySafe,
                         "It has " + formatItems(stat.links - 1, "other path") +
                             ": its space comes free only when the last one goes."});
    return found;
}

Advice adviceFor(const std::string& path, bool isFolder, const RuleBook& book, std::vector<Evidence> evidence)
{
    Advice advice;
    if (const auto* rule = book.find(path)) {
        advice.level = rule->level;
        advice.what = rule->what;
        advice.action = rule->action;
        advice.command = rule->command;
        advice.rule = rule->id;
        if (const auto at = advice.command.find("FILE"); at != std::string::npos)
            advice.command.replace(at, 4, shellQuoted(path));
    } else if (path == "/") {
        advice.level = AdviceLevel::LeaveAlone;
        advice.what = "The whole system lies in it.";
        advice.action = "Look at what is in it; it is no item itself.";
    } else {
        advice.what = isFolder ? "Nothing is known of this folder." : "Nothing is known of this file.";
        advice.action = "See what it is, whose it is and when it was changed last. Ask before it goes.";
    }
    for (const auto& each : evidence)
        advice.level = std::min(advice.level, each.atMost);
    advice.evidence = std::move(evidence);
    return advice;
}

} // namespace kurvo
