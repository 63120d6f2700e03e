// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/plan_run.h"

#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <map>

#include "core/act/manifest.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/drives.h"

namespace kurvo {
namespace {

std::uint64_t freeOf(const std::string& path)
{
    const auto capacity = readCapacity(path);
    return capacity ? capacity->free : 0;
}

/// What is left free of each drive that items lie on, as a share; the fullest drive is helped first.
class Fullness {
public:
    double freeShare(const PlanItem& item)
    {
        const auto known = shares_.find(item.device);
        if (known != shares_.end())
            return known->second;
        const auto capacity = readCapacity(std::string(parentPath(item.path)));
        const double share = !capacity || capacity->total == 0
                                 ? 1.0
                                 : static_cast<double>(capacity->free) / static_cast<double>(capacity->total);
        return shares_[item.device] = share;
    }

private:
    std::map<std::uint64_t, double> shares_;
};

std::vector<PlannedItem> inOrder(const PlanFile& plan)
{
    Fullness fullness;
    std::vector<std::pair<double, const PlannedItem*>> order;
    for (const auto& planned : plan.items)
        order.emplace_back(fullness.freeShare(planned.item), &planned);
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
        const auto &x = a.second->item, &y = b.second->item;
        if (a.first != b.first)
            return a.first < b.first;
        return rankOf(x.action) != rankOf(y.action) ? rankOf(x.action) < rankOf(y.action) : x.disk > y.disk;
    });
    std::vector<PlannedItem> items;
    for (const auto& [share, planned] : order)
        items.push_back(*planned);
    return items;
}

LoggedStep stepOf(const PlannedItem& planned, std::int64_t run)
{
    LoggedStep step;
    step.run = run;
    step.action = planned.item.action;
    step.path = planned.item.path;
    step.disk = planned.item.disk;
    step.frees = planned.frees;
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
    return step;
}

/// Progress of one run, told and paused at the same places.
class Reporter {
public:
    explicit Reporter(const RunOptions& options) : options_(options) { }

    RunProgress progress;

    void tell() const
    {
        if (options_.onProgress)
            options_.onProgress(progress);
    }
    void begin(const std::string& path)
    {
        progress.path = path;
        progress.movedNow = 0;
        tell();
        if (options_.pause)
            options_.pause->pass(options_.stop);
    }
    ActOptions acting()
    {
        ActOptions acting;
        acting.user = options_.guard.user;
        acting.stop = options_.stop;
        acting.onBytes = [this](std::uint64_t bytes) {
            progress.movedNow += bytes;
            tell();
            if (options_.pause)
                options_.pause->pass(options_.stop);
        };
        return acting;
    }
    void end()
    {
        progress.path.clear();
        progress.movedNow = 0;
        tell();
    }

private:
    const RunOptions& options_;
};

} // namespace

double RunProgress::share() const
{
    // Written once and read back once; what is not moved takes no time worth speaking of.
    const auto now = std::min(movedNow / 2, bytesOf - std::min(bytesOf, bytesDone));
    if (bytesOf > 0)
        return static_cast<double>(bytesDone + now) / static_cast<double>(bytesOf);
    return of > 0 ? static_cast<double>(done) / static_cast<double>(of) : 0;
}

std::size_t RunResult::done() const
{
    return static_cast<std::size_t>(std::count_if(
        steps.begin(), steps.end(), [](const LoggedStep& step) { return step.state == StepState::Done; }));
}

Result<RunResult> runPlan(Logbook& logbook, const PlanFile& plan, const RunOptions& options)
{
    const auto turn = logbook.takeTurn();
    if (!turn)
        return turn.error();
    const auto ordered = inOrder(plan);
    RunResult result;
    result.run.began = options.now != 0 ? options.now : currentTime();
    result.run.rule = options.rule;
    result.run.place = plan.place;
    result.run.host = plan.host;
    result.run.freeBefore = freeOf(plan.place);
    if (auto begun = logbook.begin(result.run); !begun)
        return begun.error();
    Reporter reporter(options);
    reporter.progress.of = ordered.size();
    for (const auto& planned : ordered) {
        result.steps.push_back(stepOf(planned, result.run.id));
        reporter.progress.bytesOf += planned.item.disk;
    }
    if (auto added = logbook.add(result.steps); !added)
        return added.error();
    CheckContext context(plan, options.guard, options.stop);
    for (std::size_t i = 0; i < ordered.size(); ++i) {
        auto& step = result.steps[i];
        reporter.begin(step.path);
        context.room = {}; // what went there before is there by now
        if (options.leaveOpen)
            context.open.forget();
        ItemFinding finding;
        std::int64_t checked = 0;
        if (options.stop.stop_requested()) {
            finding.blocked = true;
            finding.sentence = "Stopped before " + displayText(step.path) + "; it is still on the plan.";
        } else {
            checked = momentNow();
            finding = checkItem(ordered[i], context);
            finding.blocked |= options.leaveOpen && finding.inUse;
        }
        if (finding.blocked) {
            step.state = StepState::Failed;
            step.note = finding.sentence;
            if (auto noted = logbook.update(step); !noted)
                return noted.error();
        } else {
            step.stat = finding.stat;
            step.heldOpen = finding.inUse;
            auto acting = reporter.acting();
            acting.contentIsSame = [&](const ContentSummary& now) {
                return compareContent(ordered[i].item, ordered[i].content, now);
            };
            acting.checkedSince = checked;
            acting.accepted = finding.losses;
            if (const auto carried = execute(logbook, step, acting); !carried) { // the step says what came of it
                finding.blocked = true;
                finding.needsRights = carried.error().kind == ErrorKind::NoPermission && ::geteuid() != 0;
                finding.sentence = carried.error().sentence;
            }
        }
        result.findings.push_back(std::move(finding));
        ++reporter.progress.done;
        reporter.progress.bytesDone += step.disk;
    }
    reporter.end();
    result.run.ended = options.now != 0 ? options.now : currentTime();
    result.run.freeAfter = freeOf(plan.place);
    if (auto ended = logbook.end(result.run); !ended)
        return ended.error();
    return result;
}

Result<std::vector<UndoneStep>> undoRun(Logbook& logbook, std::int64_t run, const std::vector<std::int64_t>& only,
                                        const RunOptions& options)
{
    const auto turn = logbook.takeTurn();
    if (!turn)
        return turn.error();
    auto steps = logbook.steps(run);
    if (!steps)
        return steps.error();
    if (steps->empty())
        return Error{ErrorKind::NotFound, "", 0, "There is no run " + std::to_string(run) + " in the logbook."};
    const auto runs = logbook.runs();
    if (!runs)
        return runs.error();
    std::erase_if(*steps, [&](const LoggedStep& step) {
        return step.state != StepState::Done ||
               (!only.empty() && std::find(only.begin(), only.end(), step.id) == only.end());
    });
    LoggedRun undoing; // moves back are steps of their own; what comes out of the trash is not
    undoing.began = currentTime();
    bool isCopy = false; // of what the helper with rights did, which nothing is taken back from
    for (const auto& known : *runs)
        if (known.id == run) {
            undoing.place = known.place;
            undoing.host = known.host;
            isCopy = known.rightsRun != 0;
        }
    undoing.freeBefore = freeOf(undoing.place);
    std::vector<UndoneStep> undone;
    Reporter reporter(options);
    reporter.progress.of = steps->size();
    for (const auto& step : *steps)
        reporter.progress.bytesOf += step.disk;
    for (auto step = steps->rbegin(); step != steps->rend(); ++step) {
        reporter.begin(step->path);
        if (options.stop.stop_requested()) {
            undone.push_back(
                {*step, Error{ErrorKind::Cancelled, step->path, 0, "Stopped before " + displayText(step->path) + "."}});
            continue;
        }
        if (isCopy && !isForGood(step->action)) {
            undone.push_back({*step, Error{ErrorKind::NoPermission, step->path, EPERM,
                                           displayText(step->path) + " was changed with administrator rights and can "
                                                                     "only be undone with them."}});
            continue;
        }
        const auto acting = reporter.acting();
        std::vector<LoggedStep> back;
        if (step->action == Action::Move) {
            if (undoing.id == 0)
                if (auto begun = logbook.begin(undoing); !begun)
                    return begun.error();
            back.push_back(undoingStep(*step, undoing.id));
            if (auto added = logbook.add(back); !added)
                return added.error();
        }
        auto outcome = undo(logbook, *step, back.empty() ? nullptr : &back.front(), acting);
        undone.push_back({*step, std::move(outcome)});
        ++reporter.progress.done;
        reporter.progress.bytesDone += step->disk;
    }
    reporter.end();
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
