// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that has to do with what was carried out: the logbook, taking back, recovery, the trash, reports.
#include <QDateTime>

#include <algorithm>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/act/act_helper.h"

namespace kurvo::app {
namespace {

/// What a helper with rights left under way, or never told of. `asked`: just now.
std::vector<RecoveredStep> leftWithRights(Logbook& logbook, bool asked)
{
    std::vector<RecoveredStep> left;
    const auto runs = logbook.runs();
    for (std::size_t i = 0; runs && i < runs->size(); ++i) {
        const auto& run = (*runs)[i];
        if (run.rightsRun == LoggedRun::awaited && run.host == hostName())
            left.push_back({{},
                            Error{ErrorKind::NoPermission, run.place, 0,
                                  "A run with administrator rights in " + displayText(run.place) +
                                      " was not heard to its end. What it did is told with administrator rights."}});
        const auto steps = run.rightsRun > 0 && run.host == hostName()
                               ? logbook.steps(run.id)
                               : Result<std::vector<LoggedStep>>(std::vector<LoggedStep>());
        for (std::size_t s = 0; steps && s < steps->size(); ++s)
            if (const auto& step = (*steps)[s]; step.isUnderWay())
                left.push_back({step, Error{ErrorKind::NoPermission, step.path, 0,
                                            displayText(step.path) +
                                                (asked ? " still waits." : " waits, for administrator rights.")}});
    }
    return left;
}

struct Undone {
    Result<std::vector<UndoneStep>> steps;
    Result<std::vector<RunRecord>> history;
};

} // namespace

const RunRecord* Session::recordOf(std::int64_t run) const
{
    const auto found =
        std::find_if(history_.begin(), history_.end(), [run](const RunRecord& r) { return r.run.id == run; });
    return found == history_.end() ? nullptr : &*found;
}

void Session::readLogbook()
{
    runAsync(
        this,
        [file = logbookFile()] {
            Logbook logbook(file);
            return std::make_shared<Result<std::vector<RunRecord>>>(kurvo::readHistory(logbook));
        },
        [this](const std::shared_ptr<Result<std::vector<RunRecord>>>& history) { takeHistory(std::move(*history)); });
}

void Session::lookAtTerminal()
{
    auto* target = place();
    if (!awaitsTerminal_ || planJob_ || !target)
        return;
    const auto newest = history_.empty() ? 0 : history_.front().run.id;
    runAsync(
        this,
        [file = logbookFile()] {
            Logbook logbook(file);
            return std::make_shared<Result<std::vector<RunRecord>>>(kurvo::readHistory(logbook));
        },
        [this, id = target->id, newest](const std::shared_ptr<Result<std::vector<RunRecord>>>& history) {
            takeHistory(std::move(*history));
            auto* open = stillOpen(id);
            if (!open || planJob_ || history_.empty() || history_.front().run.id <= newest ||
                history_.front().run.ended == 0)
                return; // not yet
            awaitsTerminal_ = false;
            beginJob(PlanJob::Kind::CarryOut);
            finishRun(open, RunRecord(history_.front()), {});
        });
}

void Session::takeHistory(Result<std::vector<RunRecord>> history)
{
    if (!history)
        return say(QString::fromStdString(history.error().sentence), Severity::Warning);
    history_ = std::move(*history);
    shareHistory();
    emit historyChanged();
}

/// Each place has the runs that changed something in it.
void Session::shareHistory()
{
    const auto host = hostName();
    for (const auto& open : places_) {
        open->runs.clear();
        if (open->info.sample || open->info.host != host)
            continue;
        for (auto record = history_.rbegin(); record != history_.rend(); ++record)
            if (std::any_of(record->steps.begin(), record->steps.end(), [&](const LoggedStep& step) {
                    return step.state != StepState::Failed && step.state != StepState::Planned &&
                           isAtOrBelow(step.path, open->info.place);
                }))
                open->runs.push_back(*record);
    }
    if (place())
        emit planChanged();
}

void Session::recover(bool withRights)
{
    if (planJob_)
        return;
    const auto job = beginJob(PlanJob::Kind::Recover);
    struct Outcome {
        Result<std::vector<RecoveredStep>> steps;
        Result<std::vector<RunRecord>> history;
    };
    ActRequest request;
    request.user = folders_.user;
    request.ownData = ownData();
    request.logbook = logbookFile();
    runAsync(
        this,
        [request, job, withRights, command = actCommand(), report = reporter(job)]() -> std::shared_ptr<Outcome> {
            Logbook logbook(request.logbook);
            Result<std::vector<RecoveredStep>> steps = std::vector<RecoveredStep>();
            if (!withRights)
                steps = recoverAll(logbook, request.user, job->stop.get_token());
            else if (auto acted = actWithRights(logbook, command, request, job->stop.get_token(), nullptr, report);
                     !acted)
                steps = acted.error();
            if (steps)
                for (auto& waiting : leftWithRights(logbook, withRights))
                    steps->push_back(std::move(waiting));
            return std::make_shared<Outcome>(Outcome{std::move(steps), kurvo::readHistory(logbook)});
        },
        [this](const std::shared_ptr<Outcome>& outcome) {
            endJob();
            takeHistory(std::move(outcome->history));
            if (!outcome->steps) // another Kurvo is at work, or the logbook cannot be read
                return say(QString::fromStdString(outcome->steps.error().sentence), Severity::Warning);
            QStringList sentences;
            bool waiting = false;
            for (const auto& [step, came] : *outcome->steps) {
                sentences << QString::fromStdString(came ? *came : came.error().sentence);
                waiting |= !came;
            }
            if (!sentences.isEmpty())
                emit recovered(sentences, waiting);
        });
}

void Session::takeBack(std::int64_t run, const std::vector<std::int64_t>& only, bool withRights)
{
    if (planJob_)
        return refuseWhileBusy();
    const auto job = beginJob(PlanJob::Kind::TakeBack);
    job->withRights = withRights;
    ActRequest request;
    request.kind = ActRequest::Kind::Undo;
    request.user = folders_.user;
    request.ownData = ownData();
    request.logbook = logbookFile();
    request.run = run;
    const auto* record = recordOf(run);
    if (withRights && record) { // as the helper's own log has it
        request.run = record->run.rightsRun;
        for (std::size_t i = 0; i < record->steps.size(); ++i)
            if (std::find(only.begin(), only.end(), record->steps[i].id) != only.end())
                request.only.push_back(i);
    }
    runAsync(
        this,
        [request, run, only, job, withRights, command = actCommand(),
         report = reporter(job)]() -> std::shared_ptr<Undone> {
            Logbook logbook(request.logbook);
            Result<std::vector<UndoneStep>> steps = std::vector<UndoneStep>();
            if (!withRights) {
                const auto recovered = recoverAll(logbook, request.user, job->stop.get_token());
                steps =
                    recovered
                        ? undoRun(
                              logbook, run, only,
                              {{request.user, request.ownData, nullptr}, job->stop.get_token(), &job->pause, report})
                        : Result<std::vector<UndoneStep>>(recovered.error());
            } else {
                const auto before = logbook.steps(run);
                const auto acted = actWithRights(logbook, command, request, job->stop.get_token(), &job->pause, report);
                const auto after = logbook.steps(run);
                for (std::size_t i = 0; before && after && i < std::min(before->size(), after->size()); ++i)
                    if ((*before)[i].state == StepState::Done && (*after)[i].state == StepState::Undone)
                        steps->push_back({(*after)[i], Done{}});
                if (!acted && steps->empty())
                    steps = acted.error();
                else if (!acted)
                    steps->push_back({{}, acted.error()});
            }
            return std::make_shared<Undone>(Undone{std::move(steps), kurvo::readHistory(logbook)});
        },
        [this](const std::shared_ptr<Undone>& undone) {
            takeHistory(std::move(undone->history));
            if (undone->steps)
                return finishTakingBack(*undone->steps);
            say(QString::fromStdString(undone->steps.error().sentence), Severity::Warning);
            endJob();
        });
}

void Session::finishTakingBack(const std::vector<UndoneStep>& undone)
{
    std::vector<LoggedStep> back;
    QString problem;
    std::size_t gone = 0;
    undoNeedsRights_ = 0;
    for (const auto& [step, outcome] : undone) {
        const auto* record = recordOf(step.run);
        if (!outcome && outcome.error().kind == ErrorKind::NoPermission && record && record->run.rightsRun > 0)
            undoNeedsRights_ = step.run;
        if (outcome)
            back.push_back(step);
        else if (isForGood(step.action))
            ++gone;
        else
            problem = QString::fromStdString(outcome.error().sentence);
    }
    if (problem.isEmpty())
        say((back.empty() && gone > 0 ? QString() : tr("%1 back in place.").arg(itemsText(back.size(), "item"))) +
            (gone > 0 ? tr(" %1 deleted for good, which nothing brings back.").arg(itemsText(gone, "item"))
                      : QString()));
    else
        say(back.empty() ? problem : tr("%1 back in place. %2").arg(itemsText(back.size(), "item"), problem),
            Severity::Warning);
    // What was only taken out of a tree is put in again at once; live places read it anew as well.
    auto* open = place();
    auto removed = open ? open->tree->removed() : std::vector<NodeId>();
    const auto before = removed.size();
    std::erase_if(removed, [&](NodeId node) {
        const auto path = open->tree->path(node);
        return std::any_of(back.begin(), back.end(), [&](const LoggedStep& step) { return step.path == path; });
    });
    if (open && removed.size() != before)
        return deriveTree(open, std::move(removed), [this, back] { touch(back); });
    endJob();
    touch(back);
    refreshCapacity();
    emit planChanged();
}

void Session::listTrash(const std::function<void(std::vector<TrashedItem>, std::uint64_t)>& answer)
{
    const auto* target = place();
    if (!target)
        return;
    struct Listed {
        std::vector<TrashedItem> items;
        std::uint64_t bytes = 0;
    };
    runAsync(
        this,
        [path = target->info.place, user = folders_.user] {
            Listed listed;
            for (const auto& folder : existingTrashFolders(path, user)) {
                if (auto items = kurvo::listTrash(folder))
                    listed.items.insert(listed.items.end(), items->begin(), items->end());
                if (auto files = scan(folder.path + "/files"))
                    listed.bytes += files->tree->disk(rootNode) - files->tree->store().ownDisk(rootNode);
            }
            return listed;
        },
        [answer](const Listed& listed) { answer(listed.items, listed.bytes); });
}

void Session::restoreTrashed(std::vector<TrashedItem> items)
{
    if (items.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    // What a run of ours put there is taken back as such, so that the logbook knows.
    std::vector<std::pair<std::int64_t, std::int64_t>> logged;
    std::erase_if(items, [&](const TrashedItem& item) {
        for (const auto& record : history_)
            for (const auto& step : record.steps)
                if (step.state == StepState::Done && step.trashed == item) {
                    logged.emplace_back(record.run.id, step.id);
                    return true;
                }
        return false;
    });
    const auto job = beginJob(PlanJob::Kind::TakeBack);
    struct Restored {
        std::vector<UndoneStep> steps;
        Result<std::vector<RunRecord>> history;
    };
    runAsync(
        this,
        [items = std::move(items), logged, user = folders_.user, job, report = reporter(job),
         file = logbookFile()]() -> std::shared_ptr<Restored> {
            Logbook logbook(file);
            std::vector<UndoneStep> all;
            for (const auto& [run, step] : logged) {
                auto undone =
                    undoRun(logbook, run, {step}, {{user, {}, nullptr}, job->stop.get_token(), &job->pause, report});
                if (undone)
                    all.insert(all.end(), undone->begin(), undone->end());
                else
                    all.push_back({{}, undone.error()});
            }
            RunProgress progress;
            progress.of = items.size();
            for (const auto& item : items) {
                progress.path = item.originalPath;
                report(progress);
                LoggedStep step; // of no run: only to say what was touched
                step.state = StepState::Undone;
                step.path = item.originalPath;
                step.trashed = item;
                all.push_back({step, restoreFromTrash(item)});
                ++progress.done;
            }
            return std::make_shared<Restored>(Restored{std::move(all), kurvo::readHistory(logbook)});
        },
        [this](const std::shared_ptr<Restored>& restored) {
            takeHistory(std::move(restored->history));
            finishTakingBack(restored->steps);
        });
}

void Session::writeReport(std::int64_t run, const std::function<void(const RunReport&)>& answer)
{
    const auto* record = recordOf(run);
    if (!record)
        return;
    // The place that was cleared, where it is open.
    const Place* open = nullptr;
    for (const auto& p : places_)
        if (!open && p->info.place == record->run.place && !p->info.sample)
            open = p.get();
    const auto book = knowledge_.marks(record->run.host);
    runAsync(
        this,
        [record = *record, tree = open ? open->tree : nullptr, book] {
            RunReport report;
            report.record = record;
            const auto mount = mountPointOf(record.run.place);
            const auto drive = mount ? readDrive(*mount) : Result<Drive>(mount.error());
            report.proof = proofOf(record, drive ? drive->filesystem : std::string());
            if (drive) {
                report.drive = drive->name + " at " + drive->mountPoint;
                report.capacity = drive->capacity.total;
            }
            if (tree)
                report.largest = largestOf(*tree);
            report.questions = questionsOf(*book, record.run.place);
            return report;
        },
        answer);
}

} // namespace kurvo::app
