// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/check.h"

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <optional>

#include "core/act/manifest.h"
#include "core/act/tree_walk.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/drives.h"
#include "core/platform/file_content.h"
#include "core/platform/filesystem_limits.h"
#include "core/platform/running_system.h"
#include "core/platform/trash.h"
#include "core/scan/scanner.h"

namespace kurvo {
namespace {

ItemFinding blocked(std::string sentence)
{
    ItemFinding finding;
    finding.blocked = true;
    finding.sentence = std::move(sentence);
    return finding;
}

ItemFinding blocked(const Error& error)
{
    auto finding = blocked(error.sentence);
    finding.needsRights = error.kind == ErrorKind::NoPermission && ::geteuid() != 0;
    return finding;
}

Error changedItem(const PlanItem& item, const std::string& what)
{
    return {ErrorKind::Changed, item.path, 0,
            displayText(item.path) + " " + what +
                " since it was planned. It was left alone; read it again to see it as it is."};
}

/// "24.1 MiB instead of 24.0 MiB"; in bytes where they would read the same.
std::string differentSizes(std::uint64_t now, std::uint64_t then)
{
    if (formatBytes(now) != formatBytes(then))
        return formatBytes(now) + " instead of " + formatBytes(then);
    return formatCount(now) + " bytes instead of " + formatCount(then);
}

/// The identity, size and time of the item itself.
Result<EntryStat> compareItem(const PlanItem& item, bool sameBoot)
{
    const auto parent = openParent(item.path);
    if (!parent)
        return parent.error();
    EntryStat now;
    if (const int error = statEntry(parent->folder.get(), parent->name.c_str(), now, StatSync::Fresh); error != 0)
        return error == ENOENT
                   ? Error{ErrorKind::NotFound, item.path, error, displayText(item.path) + " is no longer there."}
                   : systemError("check", item.path, error);
    if ((sameBoot && now.device != item.device) || now.inode != item.inode || now.kind != item.kind)
        return changedItem(item, "was replaced by something else");
    if (item.kind == EntryKind::Folder)
        return now;
    if (item.kind == EntryKind::File && now.size != item.size)
        return changedItem(item, "has another size, " + differentSizes(now.size, item.size) + ",");
    if (now.modified != item.modified || now.modifiedNs != item.modifiedNs)
        return changedItem(item, "was written to");
    return now;
}

/// What the destination cannot hold of an item and all that is in it.
std::string refusalOf(const PlanItem& item, const FilesystemLimits& limits, std::stop_token stop)
{
    auto refusal = limits.refusal(fileName(item.path), item.kind, item.size);
    constexpr std::uint64_t anyName = 255; // bytes: Linux has no longer ones
    if (item.kind != EntryKind::Folder || !refusal.empty() || (!limits.plainOnly && limits.longestName >= anyName))
        return refusal;
    const auto parent = openParent(item.path);
    if (!parent)
        return parent.error().sentence;
    const auto walked =
        walkTree(parent->folder.get(), parent->name, item.path,
                 [&](int, const std::string& name, const EntryStat& stat, const std::string& shown) -> Result<Done> {
                     if (stop.stop_requested())
                         return cancelled(shown);
                     if (refusal.empty())
                         refusal = limits.refusal(name, stat.kind, stat.size);
                     return Done{};
                 });
    return walked ? refusal : walked.error().sentence;
}

ItemFinding checkDestination(const PlanItem& item, const EntryStat& stat, DestinationRoom& room, std::stop_token stop)
{
    const auto shown = displayText(item.destination);
    const auto folder = openFolder(item.destination);
    if (!folder)
        return blocked("The destination cannot be used: " + folder.error().sentence);
    EntryStat there;
    if (statEntry(folder->get(), "", there, StatSync::Fresh) != 0)
        return blocked("The destination " + shown + " cannot be read.");
    if (there.device == stat.device)
        return blocked(shown + " is on the same drive: nothing would come free.");
    if (::faccessat(folder->get(), ".", W_OK | X_OK, AT_EACCESS) != 0)
        return errno == EROFS ? blocked("The drive of the destination " + shown + " is mounted read-only.")
                              : blocked(Error{ErrorKind::NoPermission, item.destination, errno,
                                              "You may not write to the destination " + shown + "."});
    EntryStat taken;
    if (statEntry(folder->get(), std::string(fileName(item.path)).c_str(), taken, StatSync::Fresh) == 0)
        return blocked("Something named " + displayText(fileName(item.path)) + " stands in " + shown +
                       " already. It is not replaced.");
    if (const auto refusal = refusalOf(item, filesystemLimits(item.destination), stop); !refusal.empty())
        return blocked(refusal);
    const auto capacity = readCapacity(item.destination);
    if (capacity && !room.take(there.device, item.disk, capacity->free))
        return blocked(shown + " has " + formatBytes(capacity->free) + " free, which is too little for " +
                       formatBytes(item.disk) + " beside what else goes there.");
    const auto parent = openParent(item.path);
    if (!parent)
        return blocked(parent.error());
    const auto losses = expectedLosses(parent->folder.get(), parent->name, item.path, folder->get(), stop);
    if (!losses)
        return blocked(losses.error());
    ItemFinding finding;
    finding.losses = *losses;
    if (capacity)
        finding.sentence = "room for it: " + formatBytes(capacity->free) + " free at the destination";
    if (losses->any())
        finding.sentence += (finding.sentence.empty() ? "" : ". ") + losses->sentence();
    return finding;
}

/// Whether the folder that the item is in, and for a folder what is in it, may be changed.
std::optional<ItemFinding> checkPermission(const PlanItem& item, const EntryStat& stat)
{
    const auto parent = openParent(item.path);
    if (!parent)
        return blocked(parent.error());
    if (::faccessat(parent->folder.get(), ".", W_OK | X_OK, AT_EACCESS) != 0) {
        if (errno == EROFS)
            return blocked("The drive of " + displayText(item.path) + " is mounted read-only.");
        return blocked(Error{ErrorKind::NoPermission, item.path, errno,
                             "You may not change the folder that " + displayText(item.path) +
                                 " is in. Administrator rights are needed."});
    }
    EntryStat above;
    const auto user = ::geteuid();
    // A sticky folder such as /tmp lets only owners take things out (inode(7)).
    if (user != 0 && statEntry(parent->folder.get(), "", above, StatSync::Fresh) == 0 && (above.mode & 01000u) != 0 &&
        above.uid != user && stat.uid != user)
        return blocked(
            Error{ErrorKind::NoPermission, item.path, EPERM,
                  displayText(item.path) + " belongs to " + userName(stat.uid) +
                      ", and its folder lets only owners take things out. Administrator rights are needed."});
    if (user != 0 && stat.kind == EntryKind::Folder && stat.uid != user && item.action == Action::Trash &&
        ::faccessat(parent->folder.get(), parent->name.c_str(), W_OK, AT_EACCESS | AT_SYMLINK_NOFOLLOW) != 0)
        // Moving a folder into another changes its "..", which takes the right to write to it (rename(2)).
        return blocked(Error{ErrorKind::NoPermission, item.path, EACCES,
                             displayText(item.path) + " belongs to " + userName(stat.uid) +
                                 " and may not be changed by you. Administrator rights are needed."});
    if (stat.fixed)
        return blocked(displayText(item.path) + " is marked immutable (chattr +i). It cannot be moved or removed until "
                                                "that is taken off.");
    return std::nullopt;
}

} // namespace

Result<PlannedItem> readPlannedItem(const std::string& path, const Intent& intent, std::stop_token stop)
{
    const auto parent = openParent(path);
    if (!parent)
        return parent.error();
    EntryStat stat;
    if (const int error = statEntry(parent->folder.get(), parent->name.c_str(), stat, StatSync::Fresh); error != 0)
        return systemError("find", path, error);
    PlannedItem planned;
    auto& item = planned.item;
    item.path = path;
    item.kind = stat.kind;
    item.device = stat.device;
    item.inode = stat.inode;
    item.size = stat.size;
    item.modified = stat.modified;
    item.modifiedNs = stat.modifiedNs;
    item.disk = stat.blocks * 512;
    item.action = intent.action;
    item.destination = intent.destination;
    item.leaveLink = intent.leaveLink;
    planned.content.entries = 1;
    planned.frees = stat.kind == EntryKind::Folder || stat.links < 2 ? item.disk : 0;
    if (stat.kind == EntryKind::Folder) {
        const auto found = scan(path, {}, stop);
        if (!found)
            return found.error();
        if (found->stopped)
            return Error{ErrorKind::Cancelled, path, ECANCELED, "Stopped."};
        planned.content = summarize(*found->tree, rootNode);
        item.disk = found->tree->disk(rootNode);
        planned.frees = Plan::freedBytes(*found->tree, rootNode);
    }
    item.content = planned.content;
    return planned;
}

std::string targetOf(const PlanItem& item)
{
    return joinPath(item.destination, fileName(item.path));
}

bool DestinationRoom::take(std::uint64_t device, std::uint64_t bytes, std::uint64_t free)
{
    constexpr std::uint64_t kept = 1 << 20;
    auto& sum = taken_[device];
    const auto wanted = sum + bytes;
    if (wanted + wanted / 100 + kept > free)
        return false;
    sum = wanted;
    return true;
}

Result<Done> checkContent(const PlanItem& item, const ContentSummary& then, const std::string& at, std::stop_token stop)
{
    if (item.kind != EntryKind::Folder)
        return Done{};
    if (::geteuid() == 0) { // root follows no path that its owner could change meanwhile
        const auto parent = openParent(at);
        if (!parent)
            return parent.error();
        const auto read = Manifest::read(parent->folder.get(), parent->name, at, Manifest::For::Looking, stop);
        return read ? compareContent(item, then, read->summary()) : read.error();
    }
    auto now = scan(at, {}, stop);
    if (!now)
        return now.error();
    if (now->stopped)
        return Error{ErrorKind::Cancelled, item.path, 0, "Stopped before " + displayText(item.path) + " was checked."};
    std::string mounted;
    now->tree->forEachBelow(rootNode, [&](NodeId node) {
        if (now->tree->store().has(node, FlagDoor))
            mounted = now->tree->path(node);
    });
    if (!mounted.empty())
        return Error{ErrorKind::Unsupported, item.path, 0,
                     displayText(item.path) + " was left alone: another filesystem is mounted inside it, at " +
                         displayText(mounted) + "."};
    return compareContent(item, then, summarize(*now->tree, rootNode));
}

Result<Done> compareContent(const PlanItem& item, const ContentSummary& then, const ContentSummary& fresh)
{
    if (item.kind != EntryKind::Folder)
        return Done{};
    if (fresh.entries > then.entries)
        return changedItem(item, "has gained " + formatItems(fresh.entries - then.entries, "entry", "entries"));
    if (fresh.entries < then.entries)
        return changedItem(item, "has lost " + formatItems(then.entries - fresh.entries, "entry", "entries"));
    if (fresh != then)
        return changedItem(item, "has had files in it written to");
    return Done{};
}

namespace {

/// Byte by byte, whatever their times say; no link is followed on the way to them.
Result<bool> sameBytes(const PlanItem& a, const PlanItem& b, const std::stop_token& stop)
{
    const auto folderA = openParent(a.path), folderB = openParent(b.path);
    if (!folderA || !folderB)
        return folderA ? folderB.error() : folderA.error();
    const auto within = [](const OpenParent& parent) {
        return "/proc/self/fd/" + std::to_string(parent.folder.get()) + "/" + parent.name;
    };
    const auto seen = [](const PlanItem& item) {
        return SeenFile{item.inode, item.size, item.modified, item.modifiedNs};
    };
    return sameContent(within(*folderA), seen(a), within(*folderB), seen(b), stop);
}

/// An item that goes because the same stays elsewhere: whether it does. `now`: what the item is.
std::optional<ItemFinding> checkTwin(const PlanItem& item, const EntryStat& now, const CheckContext& context)
{
    if (!item.twin)
        return std::nullopt;
    const auto& twin = *item.twin;
    const auto leftFor = [&](const std::string& why) {
        return displayText(item.path) + " was left alone, as the copy that was to stay " + why + ": " +
               displayText(twin.path) + ".";
    };
    for (std::string_view above = twin.path; above.size() > 1; above = parentPath(above))
        if (context.planned.contains(above))
            return blocked(leftFor("is planned as well"));
    PlanItem other;
    other.path = twin.path;
    other.kind = item.kind;
    other.device = twin.device;
    other.inode = twin.inode;
    other.size = twin.size;
    other.modified = twin.modified;
    other.modifiedNs = twin.modifiedNs;
    const auto stat = compareItem(other, context.seenAt >= bootTime());
    auto same = stat ? checkContent(other, twin.content, twin.path, context.stop) : Result<Done>(stat.error());
    // A program may write and put the time back. The time of change then tells that something was done.
    if (same && item.kind == EntryKind::File && std::max(now.changed, stat->changed) >= context.seenAt) {
        const auto bytes = sameBytes(item, other, context.stop);
        if (bytes && !*bytes)
            return blocked(leftFor("is no longer the same"));
        if (!bytes)
            same = bytes.error();
    }
    if (same)
        return std::nullopt;
    switch (same.error().kind) {
    case ErrorKind::NotFound:
        return blocked(leftFor("is no longer there"));
    case ErrorKind::Changed:
        return blocked(leftFor("is no longer what it was"));
    case ErrorKind::Cancelled:
        return blocked(same.error());
    default:
        auto why = same.error();
        why.sentence = leftFor("could not be checked");
        return blocked(why);
    }
}

} // namespace

CheckContext::CheckContext(const PlanFile& plan, const GuardFacts& facts, std::stop_token token)
    : guard(facts), seenAt(plan.written), stop(std::move(token))
{
    for (const auto& item : plan.items)
        planned.insert(item.item.path);
}

ItemFinding checkItem(const PlannedItem& planned, CheckContext& context)
{
    const auto& item = planned.item;
    const auto& guard = context.guard;
    const bool emptying = item.action == Action::EmptyTrash; // that it is a trash folder is seen below
    if (const auto protection = emptying ? std::nullopt : protectionOf(item.path, guard);
        protection && !(item.guardLifted && protection->canBeLifted))
        return blocked(protection->reason);
    const auto stat = compareItem(item, context.seenAt >= bootTime());
    if (!stat)
        return blocked(stat.error());
    if (auto finding = checkPermission(item, *stat))
        return *finding;
    if (auto same = checkContent(item, planned.content, item.path, context.stop); !same)
        return blocked(same.error());
    if (auto finding = checkTwin(item, *stat, context))
        return *finding;
    if (emptying) {
        const auto trashes = existingTrashFolders(item.path, guard.user);
        if (std::none_of(trashes.begin(), trashes.end(), [&](const TrashFolder& t) { return t.path == item.path; }))
            return blocked(displayText(item.path) + " is no trash folder of yours. Nothing in it is touched.");
    }
    if (item.action == Action::Trash)
        if (const auto folder = trashFolderFor(item.path, guard.user); !folder)
            return blocked(folder.error().sentence);
    ItemFinding finding;
    if (item.action == Action::Move)
        finding = checkDestination(item, *stat, context.room, context.stop);
    if (finding.blocked)
        return finding;
    finding.stat = *stat;
    if (const auto holders = context.open.holdersOf(item.path).holders; !holders.empty()) {
        finding.inUse = true;
        finding.sentence = "In use by " + displayText(holders.front().program) + " (" +
                           std::to_string(holders.front().pid) + ")." +
                           (item.action == Action::Trash ? "" : " Its space comes free when that ends.");
    }
    return finding;
}

std::vector<ItemFinding> checkPlan(const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                                   const std::function<void(std::size_t done)>& onItem,
                                   const std::vector<std::string>& alsoPlanned)
{
    std::vector<ItemFinding> findings;
    CheckContext context(plan, guard, stop);
    context.planned.insert(alsoPlanned.begin(), alsoPlanned.end());
    for (const auto& planned : plan.items) {
        if (onItem)
            onItem(findings.size());
        findings.push_back(stop.stop_requested() ? blocked("not checked: the check was stopped")
                                                 : checkItem(planned, context));
    }
    return findings;
}

} // namespace kurvo
