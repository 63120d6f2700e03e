// SPDX-License-Identifier: GPL-3.0-or-later
// The plan, its check, what carries it out, and what undoes that.
#include <unistd.h>

#include <algorithm>
#include <cerrno>

#include <fmt/format.h>

#include "core/base/locks.h"
#include "terminal/desk.h"

namespace kurvo::terminal {

/// What is told of a run while it is at work; written by that, read for the screen.
struct Desk::RunLook {
    Mutex mutex;
    RunProgress progress KURVO_GUARDED_BY(mutex);
    void set(const RunProgress& now)
    {
        const Lock lock(mutex);
        progress = now;
    }
    RunProgress get()
    {
        const Lock lock(mutex);
        return progress;
    }
};

namespace {

PlanFile planFileFor(const Place& place)
{
    auto file = planFileOf(place.plan, *place.tree);
    file.host = place.info.host;
    file.place = place.info.place;
    file.written = place.info.taken;
    for (auto& planned : file.items)
        if (const auto* mark =
                place.marks && planned.item.node != noNode ? place.marks->of(planned.item.node).mark : nullptr) {
            planned.mark = mark->kind;
            planned.note = mark->note;
        }
    return file;
}

/// Where a step put something, and with `away` where it took it from.
std::vector<std::string> touchedBy(const std::vector<LoggedStep>& steps, bool away)
{
    std::vector<std::string> folders;
    for (const auto& step : steps) {
        if (!step.trashed.folder.path.empty())
            folders.push_back(step.trashed.folder.path);
        if (!step.target.empty())
            folders.emplace_back(parentPath(step.target));
        if (away)
            folders.emplace_back(parentPath(step.path));
    }
    return folders;
}

} // namespace

std::string Desk::keptPlanFile() const
{
    // As the window keeps it: a snapshot's plan is not that of the place itself.
    const auto key = place_.info.place + (place_.fromSnapshot ? '\n' + place_.source : std::string());
    return planPathFor(joinPath(wish_.data, "plans"), place_.info.host, key);
}

void Desk::readKeptPlan()
{
    struct Kept {
        Plan plan;
        std::size_t lost = 0;
        std::string problem;
    };
    work_.run(
        [file = keptPlanFile(), tree = place_.tree, guard = guard(), lore = lore_](const std::stop_token&) {
            Kept kept;
            auto plan = readPlanFile(file);
            if (plan) {
                kept.lost = restorePlan(*plan, *tree, guard, kept.plan);
            } else if (plan.error().kind != ErrorKind::NotFound) {
                kept.problem = plan.error().sentence;
                (void)::rename(file.c_str(), (file + ".damaged").c_str()); // the next one would be written over it
            }
            return kept;
        },
        [this, generation = generation_](Kept kept) {
            if (generation != generation_)
                return;
            planKnown_ = true;
            tell(kept.problem);
            if (!place_.plan.empty()) // something was planned meanwhile
                return keepPlan();
            if (kept.plan.empty())
                return;
            place_.plan = std::move(kept.plan);
            tell(kept.lost == 0 ? fmt::format("{} planned earlier.",
                                              formatItems(place_.plan.items().size(), "item was", "items were"))
                                : fmt::format("{} planned earlier; {} not as it was and came off.",
                                              formatItems(place_.plan.items().size(), "item was", "items were"),
                                              formatItems(kept.lost, "item is", "items are")));
            planChanged(nullptr);
        });
}

/// One at a time, each of what is planned then.
void Desk::keepPlan()
{
    if (!planKnown_ || !hasPlace())
        return;
    if (keeping_) {
        keepAgain_ = true;
        return;
    }
    keeping_ = true;
    work_.run(
        [file = keptPlanFile(), place = place_](const std::stop_token&) -> Result<Done> {
            if (place.plan.empty())
                return ::unlink(file.c_str()) == 0 || errno == ENOENT
                           ? Result<Done>(Done{})
                           : Result<Done>(systemError("remove", file, errno));
            if (auto made = makeFolders(std::string(parentPath(file))); !made)
                return made;
            return writePlanFile(file, planFileFor(place));
        },
        [this](const Result<Done>& written) {
            keeping_ = false;
            if (!written)
                tell("The plan is shown, but could not be saved: " + written.error().sentence);
            if (std::exchange(keepAgain_, false))
                keepPlan();
        },
        Work::AtEnd::Finish);
}

void Desk::planChanged(KeptState before)
{
    if (before) {
        constexpr std::size_t mostStates = 200;
        place_.undo.push_back(std::move(before));
        if (place_.undo.size() > mostStates)
            place_.undo.erase(place_.undo.begin());
        place_.redo.clear();
    }
    std::erase_if(place_.findings, [this](const auto& finding) { return !place_.plan.itemAt(finding.first); });
    work_.run([state = place_.plan.state(),
               tree = place_.tree](const std::stop_token&) { return Plan(state).freedBytes(*tree); },
              [this, state = place_.plan.state()](std::uint64_t freed) {
                  if (hasPlace() && place_.plan.state() == state) {
                      freed_ = freed;
                      changed();
                  }
              });
    keepPlan();
    if (changed)
        changed();
}

void Desk::planItems(const std::vector<NodeId>& nodes, const Intent& intent, const Twins& twins)
{
    if (!hasPlace() || nodes.empty())
        return;
    if (place_.growing)
        return tell("Planning waits until the scan has ended.");
    if (acting_)
        return tell("A plan is being carried out. Wait for its end, or stop it.");
    const auto before = place_.plan.state();
    const auto added = place_.plan.addAll(*place_.tree, nodes, guard(), intent, twins);
    tell(added.problem);
    if (added.count == 0 && added.off.empty())
        return;
    if (added.problem.empty())
        tell(fmt::format("{} planned.", formatItems(added.count, "item is", "items are")));
    planChanged(before);
}

void Desk::takeOff(const std::vector<std::string>& paths)
{
    if (acting_)
        return tell("A plan is being carried out. Wait for its end, or stop it.");
    const auto before = place_.plan.state();
    if (!place_.plan.removeAll(paths).empty())
        planChanged(before);
}

void Desk::clearPlan()
{
    if (acting_ || place_.plan.empty())
        return;
    const auto before = place_.plan.state();
    place_.plan.clear();
    planChanged(before);
}

void Desk::undoPlan()
{
    if (acting_ || place_.undo.empty())
        return tell(acting_ ? "A plan is being carried out." : "There is no change to the plan to undo.");
    place_.redo.push_back(place_.plan.state());
    auto state = std::move(place_.undo.back());
    place_.undo.pop_back();
    place_.plan.restore(std::move(state));
    planChanged(nullptr);
}

void Desk::redoPlan()
{
    if (acting_ || place_.redo.empty())
        return tell(acting_ ? "A plan is being carried out." : "There is no change to the plan to redo.");
    place_.undo.push_back(place_.plan.state());
    auto state = std::move(place_.redo.back());
    place_.redo.pop_back();
    place_.plan.restore(std::move(state));
    planChanged(nullptr);
}

void Desk::check()
{
    if (place_.plan.empty() || acting_)
        return;
    if (const auto reason = place_.foreignReason(); !reason.empty())
        return tell(reason);
    acting_ = true;
    runLook_ = std::make_shared<RunLook>();
    runPause_ = std::make_shared<PauseGate>();
    struct Checked {
        PlanFile plan;
        std::vector<ItemFinding> findings;
    };
    runStop_ = work_.run(
        [place = place_, guard = guard(), lore = lore_, look = runLook_](const std::stop_token& stop) {
            Checked checked{planFileFor(place), {}};
            checked.findings = checkPlan(checked.plan, guard, stop, [&](std::size_t done) {
                RunProgress progress;
                progress.done = done;
                progress.of = checked.plan.items.size();
                look->set(progress);
            });
            return checked;
        },
        [this](const Checked& checked) {
            acting_ = false;
            place_.findings.clear();
            for (std::size_t i = 0; i < checked.findings.size(); ++i)
                if (place_.plan.itemAt(checked.plan.items[i].item.path))
                    place_.findings[checked.plan.items[i].item.path] = checked.findings[i];
            const auto held = std::count_if(checked.findings.begin(), checked.findings.end(),
                                            [](const ItemFinding& finding) { return finding.blocked; });
            tell(held == 0 ? fmt::format("Checked: {} as when scanned.",
                                         formatItems(checked.findings.size(), "item is", "items are"))
                           : fmt::format("Checked: {} held back.",
                                         formatItems(static_cast<std::uint64_t>(held), "item is", "items are")));
            changed();
        });
    changed();
}

void Desk::carryOut()
{
    if (place_.plan.empty() || acting_)
        return;
    if (const auto reason = place_.foreignReason(); !reason.empty())
        return tell(reason);
    if (scanning_)
        return tell("Wait until the scan has ended.");
    acting_ = true;
    runLook_ = std::make_shared<RunLook>();
    runPause_ = std::make_shared<PauseGate>();
    runStop_ = work_.run(
        [place = place_, guard = guard(), lore = lore_, look = runLook_, pause = runPause_,
         file = joinPath(wish_.data, "logbook.db")](const std::stop_token& stop) {
            Logbook logbook(file);
            const auto recovered = recoverAll(logbook, guard.user, stop);
            auto run =
                recovered
                    ? runPlan(logbook, planFileFor(place),
                              {guard, stop, pause.get(), [look](const RunProgress& progress) { look->set(progress); }})
                    : Result<RunResult>(recovered.error());
            return std::pair(std::move(run), readHistory(logbook));
        },
        [this](std::pair<Result<RunResult>, Result<std::vector<RunRecord>>> done) {
            takeRuns(std::move(done.second));
            settleRun(std::move(done.first));
        },
        Work::AtEnd::Finish);
    changed();
}

void Desk::settleRun(Result<RunResult> result)
{
    acting_ = false;
    if (!result) {
        tell(result.error().sentence);
        return changed();
    }
    std::vector<std::string> done;
    std::vector<NodeId> gone;
    std::string firstProblem;
    for (std::size_t i = 0; i < result->steps.size(); ++i) {
        const auto& step = result->steps[i];
        if (step.state != StepState::Done) {
            if (firstProblem.empty())
                firstProblem = step.note;
            auto finding = i < result->findings.size() ? result->findings[i] : ItemFinding{};
            finding.blocked = true;
            finding.sentence = step.note;
            place_.findings[step.path] = finding;
            continue;
        }
        done.push_back(step.path);
        if (step.action != Action::EmptyTrash)
            if (const auto node = place_.tree->find(step.path))
                gone.push_back(*node);
    }
    place_.plan.removeAll(done);
    if (!done.empty()) {
        place_.undo.clear();
        place_.redo.clear();
    }
    const auto& run = result->run;
    if (done.empty())
        tell("Nothing was done. " + firstProblem);
    else
        tell(fmt::format("Run {}: {} of {} done; {} free before, {} after.{}", run.id, result->done(),
                         result->steps.size(), size(run.freeBefore), size(run.freeAfter),
                         firstProblem.empty() ? std::string() : " " + firstProblem));
    place_.info.capacity.free += run.freeAfter > run.freeBefore ? run.freeAfter - run.freeBefore : 0;
    planChanged(nullptr);
    takeOut(gone, touchedBy(result->steps, false));
}

void Desk::takeOut(const std::vector<NodeId>& gone, std::vector<std::string> touched)
{
    if (gone.empty())
        return reread(touched);
    auto removed = place_.tree->removed();
    removed.insert(removed.end(), gone.begin(), gone.end());
    std::sort(removed.begin(), removed.end());
    work_.run(
        [store = place_.tree->sharedStore(), removed = std::move(removed)](const std::stop_token&) mutable {
            return std::make_shared<const FileTree>(store, std::move(removed));
        },
        [this, generation = generation_, touched = std::move(touched)](std::shared_ptr<const FileTree> tree) {
            if (generation != generation_)
                return;
            ++generation_;
            const auto earlier = place_.earlier; // ids stay, and so does what was matched
            setTree(tree, [tree](NodeId node) { return tree->contains(node) ? node : noNode; });
            place_.earlier = earlier;
            readLeads();
            changed();
            reread(touched);
        });
}

/// Folders that something came into or went from are read again, where they lie in the place.
void Desk::reread(const std::vector<std::string>& paths)
{
    std::vector<NodeId> folders;
    for (auto path : paths) {
        auto node = place_.tree->find(path);
        while (!node && path.size() > 1 && isAtOrBelow(path, place_.info.place)) {
            path = parentPath(path);
            node = place_.tree->find(path);
        }
        if (node && place_.tree->isFolder(*node))
            folders.push_back(*node);
    }
    const auto all = folders;
    std::sort(folders.begin(), folders.end());
    folders.erase(std::unique(folders.begin(), folders.end()), folders.end());
    std::erase_if(folders, [&](NodeId node) {
        return std::any_of(all.begin(), all.end(),
                           [&](NodeId other) { return other != node && place_.tree->isAtOrBelow(node, other); });
    });
    if (!folders.empty() && !place_.fromSnapshot && !scanning_)
        regraft(std::move(folders), true);
}

void Desk::pauseRun()
{
    if (acting_ && runPause_)
        runPause_->setPaused(!runPause_->isPaused());
}

void Desk::stopRun()
{
    if (!acting_)
        return;
    runStop_.request_stop();
    if (runPause_)
        runPause_->setPaused(false);
}

std::string Desk::runLine() const
{
    if (!acting_ || !runLook_)
        return {};
    const auto progress = runLook_->get();
    return fmt::format(
        "{}{} of {}{}  {}", runPause_ && runPause_->isPaused() ? "Paused: " : "", progress.done, progress.of,
        progress.movedNow > 0 ? ", " + size(progress.movedNow) + " written and read back" : std::string(),
        progress.path);
}

double Desk::runShare() const
{
    return acting_ && runLook_ ? runLook_->get().share() : 0;
}

void Desk::readRuns()
{
    work_.run(
        [file = joinPath(wish_.data, "logbook.db")](const std::stop_token&) {
            Logbook logbook(file);
            return readHistory(logbook);
        },
        [this](Result<std::vector<RunRecord>> runs) {
            takeRuns(std::move(runs));
            if (changed)
                changed();
        });
}

void Desk::takeRuns(Result<std::vector<RunRecord>> runs)
{
    if (runs)
        runs_ = std::move(*runs);
    else
        tell(runs.error().sentence);
}

void Desk::undo(std::int64_t run)
{
    if (acting_)
        return tell("A plan is being carried out. Wait for its end, or stop it.");
    acting_ = true;
    runLook_ = std::make_shared<RunLook>();
    runPause_ = std::make_shared<PauseGate>();
    runStop_ = work_.run(
        [run, guard = guard(), lore = lore_, look = runLook_, pause = runPause_,
         file = joinPath(wish_.data, "logbook.db")](const std::stop_token& stop) {
            using Undone = Result<std::vector<UndoneStep>>;
            Logbook logbook(file);
            const auto recovered = recoverAll(logbook, guard.user, stop);
            auto undone =
                !recovered
                    ? Undone(recovered.error())
                    : undoRun(logbook, run, {},
                              {guard, stop, pause.get(), [look](const RunProgress& progress) { look->set(progress); }});
            return std::pair(std::move(undone), readHistory(logbook));
        },
        [this, run](std::pair<Result<std::vector<UndoneStep>>, Result<std::vector<RunRecord>>> done) {
            acting_ = false;
            takeRuns(std::move(done.second));
            const auto& undone = done.first;
            if (!undone) {
                tell(undone.error().sentence);
                return changed();
            }
            std::size_t back = 0;
            std::string problem;
            std::vector<LoggedStep> steps;
            for (const auto& [step, outcome] : *undone) {
                if (!outcome) {
                    if (problem.empty())
                        problem = outcome.error().sentence;
                    continue;
                }
                ++back;
                steps.push_back(step);
            }
            tell(undone->empty() ? fmt::format("Run {} has nothing left to undo.", run)
                                 : fmt::format("Run {}: {} of {} undone.{}", run, back, undone->size(),
                                               problem.empty() ? "" : " " + problem));
            if (hasPlace())
                reread(touchedBy(steps, true));
            changed();
        },
        Work::AtEnd::Finish);
    changed();
}

void Desk::writePlan(const std::string& file)
{
    work_.run(
        [file, place = place_](const std::stop_token&) -> Result<Done> {
            return writePlanFile(file, planFileFor(place), AtomicFile::Existing::Keep);
        },
        [this, file](const Result<Done>& written) {
            tell(written ? "The plan was written to " + displayText(file) + "." : written.error().sentence);
        },
        Work::AtEnd::Finish);
}

} // namespace kurvo::terminal
