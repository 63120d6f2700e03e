// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/plan_run.h"

#include <fcntl.h>
#include <linux/magic.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <map>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/plan/carry_out.h"
#include "core/platform/drives.h"
#include "core/platform/open_files.h"
#include "core/scan/scanner.h"

namespace kurvo {
namespace {

ItemFinding blocked(std::string sentence)
{
    return {true, std::move(sentence)};
}

Error changed(const PlanItem& item, const std::string& what)
{
    return {ErrorKind::Changed, item.path, 0,
            displayText(item.path) + " " + what + " since it was planned. It was left alone."};
}

/// The identity, size and time of the item itself.
Result<EntryStat> compareItem(const PlanItem& item)
{
    const auto parent = openParent(item.path);
    if (!parent)
        return parent.error();
    EntryStat now;
    if (const int error = statEntry(parent->folder.get(), parent->name.c_str(), now, StatSync::Fresh); error != 0)
        return error == ENOENT
                   ? Error{ErrorKind::NotFound, item.path, error, displayText(item.path) + " is no longer there."}
                   : systemError("check", item.path, error);
    if (now.device != item.device || now.inode != item.inode || now.kind != item.kind)
        return changed(item, "was replaced by something else");
    if (item.kind == EntryKind::Folder)
        return now;
    if (item.kind == EntryKind::File && now.size != item.size)
        return changed(item,
                       "has another size, " + formatBytes(now.size) + " instead of " + formatBytes(item.size) + ",");
    if (now.modified != item.modified || now.modifiedNs != item.modifiedNs)
        return changed(item, "was written to");
    return now;
}

/// Why a FAT filesystem cannot hold an entry; empty where it can.
std::string fatRefusal(std::string_view name, EntryKind kind, std::uint64_t size)
{
    if (kind == EntryKind::File && size > 0xFFFFFFFFull)
        return displayText(name) + " is over 4 GiB, which the destination (FAT) cannot hold.";
    if (kind != EntryKind::File && kind != EntryKind::Folder)
        return displayText(name) + " is no ordinary file, and the destination (FAT) can hold nothing else.";
    if (name.find_first_of("\\:*?\"<>|") != name.npos || name.ends_with(' ') || name.ends_with('.') ||
        std::any_of(name.begin(), name.end(), [](char c) { return c > 0 && c < 32; }))
        return "The destination (FAT) takes no name such as " + displayText(name) + ".";
    return {};
}

std::string fatRefusal(const PlanItem& item)
{
    auto refusal = fatRefusal(fileName(item.path), item.kind, item.size);
    if (item.kind != EntryKind::Folder || !refusal.empty())
        return refusal;
    const auto tree = scan(item.path, {}, {});
    if (!tree)
        return tree.error().sentence;
    const auto& store = tree->tree->store();
    for (NodeId node = 1; node < store.size() && refusal.empty(); ++node)
        refusal = fatRefusal(store.name(node), store.kind(node), store.ownApparent(node));
    return refusal;
}

ItemFinding checkDestination(const PlanItem& item, const EntryStat& stat, std::map<std::string, std::uint64_t>& wanted)
{
    const auto shown = displayText(item.destination);
    const auto folder = openFolder(item.destination);
    if (!folder)
        return blocked("The destination cannot be used: " + folder.error().sentence);
    EntryStat there;
    if (statEntry(folder->get(), "", there, StatSync::Fresh) != 0)
        return blocked("The destination " + shown + " cannot be looked at.");
    if (there.device == stat.device)
        return blocked(shown + " is on the same drive: nothing would come free.");
    if (::faccessat(folder->get(), ".", W_OK | X_OK, AT_EACCESS) != 0)
        return blocked("You may not write to the destination " + shown + ".");
    EntryStat taken;
    if (statEntry(folder->get(), std::string(fileName(item.path)).c_str(), taken, StatSync::Fresh) == 0)
        return blocked("Something named " + displayText(fileName(item.path)) + " stands in " + shown +
                       " already. It is not replaced.");
    const auto capacity = readCapacity(item.destination);
    auto& sum = wanted[std::to_string(there.device)];
    sum += item.disk;
    if (capacity && sum + sum / 100 > capacity->free) {
        sum -= item.disk;
        return blocked(shown + " has " + formatBytes(capacity->free) + " free, which is too little for " +
                       formatBytes(item.disk) + " beside what else goes there.");
    }
    struct statfs kind { };
    if (::statfs(item.destination.c_str(), &kind) == 0 && kind.f_type == MSDOS_SUPER_MAGIC)
        if (const auto refusal = fatRefusal(item); !refusal.empty())
            return blocked(refusal);
    return {};
}

ItemFinding checkItem(const PlannedItem& planned, const GuardFacts& guard, std::map<std::string, std::uint64_t>& wanted,
                      std::stop_token stop)
{
    const auto& item = planned.item;
    if (const auto protection = protectionOf(item.path, guard);
        protection && !(item.guardLifted && protection->canBeLifted))
        return blocked(protection->reason);
    const auto stat = compareItem(item);
    if (!stat)
        return blocked(stat.error().sentence);
    const auto parent = openParent(item.path);
    if (!parent)
        return blocked(parent.error().sentence);
    if (::faccessat(parent->folder.get(), ".", W_OK | X_OK, AT_EACCESS) != 0)
        return blocked(errno == EROFS ? "The drive of " + displayText(item.path) + " is mounted read-only."
                                      : "You may not change the folder that " + displayText(item.path) +
                                            " is in. Administrator rights are needed.");
    if (auto same = checkContent(item, planned.content, item.path, stop); !same)
        return blocked(same.error().sentence);
    if (item.action == Action::Trash)
        if (const auto folder = trashFolderFor(item.path, guard.user); !folder)
            return blocked(folder.error().sentence);
    if (item.action == Action::Move)
        if (auto finding = checkDestination(item, *stat, wanted); finding.blocked)
            return finding;
    if (const auto holders = readHolders(item.path); holders && !holders->holders.empty())
        return {false, "In use by " + displayText(holders->holders.front().program) + " (" +
                           std::to_string(holders->holders.front().pid) + ")." +
                           (item.action == Action::Trash ? "" : " Its space comes free when that ends.")};
    return {};
}

int rank(Action action)
{
    return action == Action::Delete ? 0 : action == Action::Move ? 1 : 2;
}

std::uint64_t freeOf(const std::string& path)
{
    const auto capacity = readCapacity(path);
    return capacity ? capacity->free : 0;
}

} // namespace

std::string targetOf(const PlanItem& item)
{
    return joinPath(item.destination, fileName(item.path));
}

std::size_t RunResult::done() const
{
    return static_cast<std::size_t>(std::count_if(
        steps.begin(), steps.end(), [](const LoggedStep& step) { return step.state == StepState::Done; }));
}

std::vector<ItemFinding> checkPlan(const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                                   const std::function<void(std::size_t done)>& onItem)
{
    std::vector<ItemFinding> findings;
    std::map<std::string, std::uint64_t> wanted;
    for (const auto& planned : plan.items) {
        if (onItem)
            onItem(findings.size());
        findings.push_back(stop.stop_requested() ? blocked("not checked: the check was stopped")
                                                 : checkItem(planned, guard, wanted, stop));
    }
    return findings;
}

Result<RunResult> runPlan(Logbook& logbook, const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                          const std::function<void(const RunProgress&)>& onProgress)
{
    const auto turn = logbook.takeTurn();
    if (!turn)
        return turn.error();
    auto ordered = plan.items;
    std::stable_sort(ordered.begin(), ordered.end(), [](const PlannedItem& a, const PlannedItem& b) {
        return rank(a.item.action) != rank(b.item.action) ? rank(a.item.action) < rank(b.item.action)
                                                          : a.item.disk > b.item.disk;
    });
    RunResult result;
    result.run.began = currentTime();
    result.run.place = plan.place;
    result.run.host = plan.host;
    result.run.freeBefore = freeOf(plan.place);
    if (auto begun = logbook.begin(result.run); !begun)
        return begun.error();
    RunProgress progress;
    progress.of = ordered.size();
    for (const auto& planned : ordered) {
        LoggedStep step;
        step.run = result.run.id;
        step.action = planned.item.action;
        step.path = planned.item.path;
        step.disk = planned.item.disk;
        step.token = freshToken();
        step.stat.kind = planned.item.kind;
        step.stat.device = planned.item.device;
        step.stat.inode = planned.item.inode;
        step.stat.size = planned.item.size;
        step.stat.modified = planned.item.modified;
        step.stat.modifiedNs = planned.item.modifiedNs;
        if (step.action == Action::Move) {
            step.target = targetOf(planned.item);
            step.leaveLink = planned.item.leaveLink;
        }
        progress.bytesOf += step.disk;
        result.steps.push_back(std::move(step));
    }
    if (auto added = logbook.add(result.steps); !added)
        return added.error();
    std::map<std::string, std::uint64_t> nothingElse;
    for (std::size_t i = 0; i < ordered.size(); ++i) {
        auto& step = result.steps[i];
        progress.path = step.path;
        progress.movedNow = 0;
        if (onProgress)
            onProgress(progress);
        ItemFinding finding = stop.stop_requested()
                                  ? blocked("Stopped before " + displayText(step.path) + "; it is still on the plan.")
                                  : checkItem(ordered[i], guard, nothingElse, stop);
        nothingElse.clear(); // what went there before is there by now
        if (finding.blocked) {
            step.state = StepState::Failed;
            step.note = finding.sentence;
            if (auto noted = logbook.update(step); !noted)
                return noted.error();
            continue;
        }
        ActOptions options;
        options.user = guard.user;
        options.stop = stop;
        options.onBytes = [&](std::uint64_t bytes) {
            progress.movedNow += bytes;
            if (onProgress)
                onProgress(progress);
        };
        options.contentIsSame = [&](const std::string& path) {
            return checkContent(ordered[i].item, ordered[i].content, path);
        };
        (void)execute(logbook, step, options); // the step has what came of it
        ++progress.done;
        progress.bytesDone += step.disk;
    }
    progress.path.clear();
    progress.movedNow = 0;
    if (onProgress)
        onProgress(progress);
    result.run.ended = currentTime();
    result.run.freeAfter = freeOf(plan.place);
    if (auto ended = logbook.end(result.run); !ended)
        return ended.error();
    return result;
}

Result<std::vector<UndoneStep>> undoRun(Logbook& logbook, std::int64_t run, const UserFolders& user,
                                        std::stop_token stop, const std::function<void(const RunProgress&)>& onProgress)
{
    const auto turn = logbook.takeTurn();
    if (!turn)
        return turn.error();
    auto steps = logbook.steps(run);
    if (!steps)
        return steps.error();
    if (steps->empty())
        return Error{ErrorKind::NotFound, "", 0, "There is no run " + std::to_string(run) + " in the logbook."};
    std::vector<UndoneStep> undone;
    LoggedRun undoing;
    undoing.began = currentTime();
    for (const auto& known : logbook.runs() ? *logbook.runs() : std::vector<LoggedRun>{})
        if (known.id == run) {
            undoing.place = known.place;
            undoing.host = known.host;
        }
    undoing.freeBefore = freeOf(undoing.place);
    RunProgress progress;
    progress.of = static_cast<std::size_t>(std::count_if(
        steps->begin(), steps->end(), [](const LoggedStep& step) { return step.state == StepState::Done; }));
    for (auto step = steps->rbegin(); step != steps->rend(); ++step) {
        if (step->state != StepState::Done)
            continue;
        progress.path = step->path;
        progress.movedNow = 0;
        if (onProgress)
            onProgress(progress);
        if (stop.stop_requested()) {
            undone.push_back(
                {*step, Error{ErrorKind::Cancelled, step->path, 0, "Stopped before " + displayText(step->path) + "."}});
            continue;
        }
        ActOptions options;
        options.user = user;
        options.stop = stop;
        options.onBytes = [&](std::uint64_t bytes) {
            progress.movedNow += bytes;
            if (onProgress)
                onProgress(progress);
        };
        std::vector<LoggedStep> back;
        if (step->action == Action::Move) {
            if (undoing.id == 0)
                if (auto begun = logbook.begin(undoing); !begun)
                    return begun.error();
            back.push_back(undoingStep(*step, undoing.id));
            if (auto added = logbook.add(back); !added)
                return added.error();
        }
        auto outcome = undo(logbook, *step, back.empty() ? nullptr : &back.front(), options);
        undone.push_back({*step, std::move(outcome)});
        ++progress.done;
    }
    if (undoing.id != 0) {
        undoing.ended = currentTime();
        undoing.freeAfter = freeOf(undoing.place);
        if (auto ended = logbook.end(undoing); !ended)
            return ended.error();
    }
    return undone;
}

Result<std::vector<RecoveredStep>> recoverAll(Logbook& logbook, const UserFolders& user, std::stop_token stop)
{
    std::vector<RecoveredStep> recovered;
    auto left = logbook.unfinished();
    if (!left)
        return left.error();
    if (left->empty())
        return recovered;
    const auto turn = logbook.takeTurn();
    if (!turn)
        return turn.error();
    left = logbook.unfinished(); // who had the turn before may have ended some
    if (!left)
        return left.error();
    ActOptions options;
    options.user = user;
    options.stop = stop;
    for (auto& step : *left) {
        auto outcome = recover(logbook, step, options);
        recovered.push_back({step, std::move(outcome)});
    }
    return recovered;
}

} // namespace kurvo
