// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/carry_out.h"

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/scan/scanner.h"

namespace kurvo {
namespace {

Error changed(const PlanItem& item, const std::string& what)
{
    return {ErrorKind::Changed, item.path, 0,
            displayText(item.path) + " " + what +
                " since it was scanned. It was left alone; scan again to see it as it is."};
}

} // namespace

Result<Done> checkContent(const PlanItem& item, const ContentSummary& then, const std::string& at, std::stop_token stop)
{
    if (item.kind != EntryKind::Folder)
        return Done{};
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
    const auto fresh = summarize(*now->tree, rootNode);
    if (fresh.entries > then.entries)
        return changed(item, "has gained " + formatItems(fresh.entries - then.entries, "entry", "entries"));
    if (fresh.entries < then.entries)
        return changed(item, "has lost " + formatItems(then.entries - fresh.entries, "entry", "entries"));
    if (fresh != then)
        return changed(item, "has had files in it written to");
    return Done{};
}

Result<EntryStat> checkItem(const PlanItem& item, const FileTree& tree, std::stop_token stop)
{
    auto parent = openParent(item.path);
    if (!parent)
        return parent.error();
    EntryStat now;
    if (const int error = statEntry(parent->folder.get(), parent->name.c_str(), now, StatSync::Fresh); error != 0)
        return error == ENOENT
                   ? Error{ErrorKind::NotFound, item.path, error, displayText(item.path) + " is no longer there."}
                   : systemError("check", item.path, error);
    if (now.device != item.device || now.inode != item.inode || now.kind != item.kind)
        return changed(item, "was replaced by something else");
    if (item.kind == EntryKind::Folder) {
        auto same = checkContent(item, summarize(tree, item.node), item.path, std::move(stop));
        if (!same)
            return same.error();
    } else {
        const bool sized = item.kind == EntryKind::File || item.kind == EntryKind::SymbolicLink;
        if (sized && now.size != item.size)
            return changed(item, "has another size, " + formatBytes(now.size) + " instead of " +
                                     formatBytes(item.size) + ",");
        if (now.modified != item.modified || now.modifiedNs != item.modifiedNs)
            return changed(item, "was written to");
    }
    return now;
}

Result<EntryStat> checkForTrash(const PlanItem& item, const FileTree& tree, const UserFolders& user,
                                std::stop_token stop)
{
    auto now = checkItem(item, tree, std::move(stop));
    if (!now)
        return now;
    auto folder = trashFolderFor(item.path, user);
    if (!folder)
        return folder.error();
    return now;
}

std::vector<StepResult> carryOut(const std::vector<PlanItem>& items, const FileTree& tree, const UserFolders& user,
                                 std::stop_token stop, const std::function<void(const StepProgress&)>& onProgress)
{
    StepProgress progress;
    progress.of = items.size();
    for (const auto& item : items)
        progress.bytesOf += item.disk;
    std::vector<StepResult> results;
    for (const auto& item : items) {
        progress.path = item.path;
        onProgress(progress);
        if (stop.stop_requested()) {
            results.push_back({item, Error{ErrorKind::Cancelled, item.path, 0,
                                           "Stopped before " + displayText(item.path) + "; it is still on the plan."}});
            continue;
        }
        const auto checked = checkItem(item, tree, stop);
        if (checked)
            results.push_back({item, moveToTrash(item.path, *checked, user)});
        else
            results.push_back({item, checked.error()});
        ++progress.done;
        progress.bytesDone += item.disk;
    }
    onProgress(progress);
    return results;
}

std::vector<UndoResult> takeBack(const std::vector<TrashedItem>& items,
                                 const std::function<void(const StepProgress&)>& onProgress)
{
    StepProgress progress;
    progress.of = items.size();
    std::vector<UndoResult> results;
    for (auto item = items.rbegin(); item != items.rend(); ++item) {
        progress.path = item->originalPath;
        onProgress(progress);
        results.push_back({*item, restoreFromTrash(*item)});
        ++progress.done;
    }
    onProgress(progress);
    return results;
}

} // namespace kurvo
