// SPDX-License-Identifier: GPL-3.0-or-later
// The way back: recovery after an interruption, undoing runs, and what lies in the trash.
#include <algorithm>
#include <utility>

#include "app/jobs/acting.h"
#include "app/jobs/plan_runner.h"
#include "app/services/async.h"
#include "app/style/words.h"
#include "core/scan/scanner.h"

namespace kurvo::app {
namespace {

struct Undone {
    Result<std::vector<UndoneStep>> steps;
    Result<std::vector<RunRecord>> history;
};

} // namespace

void listTrash(QObject* context, const std::string& place, const UserFolders& user,
               const std::function<void(std::vector<TrashedItem>, std::uint64_t)>& answer)
{
    struct Listed {
        std::vector<TrashedItem> items;
        std::uint64_t bytes = 0;
    };
    runAsync(
        context,
        [path = place, user] {
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

void PlanRunner::recover(bool withRights)
{
    if (job_)
        return;
    const auto job = beginJob(PlanJob::Kind::Recover);
    struct Outcome {
        Result<std::vector<RecoveredStep>> steps;
        Result<std::vector<RunRecord>> history;
    };
    ActRequest request;
    request.user = folders_.user;
    request.ownData = places_.ownData();
    request.logbook = logbook_.file();
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
            logbook_.take(std::move(outcome->history));
            if (!outcome->steps) // another Kurvo is at work, or the logbook cannot be read
                return notices_.say(QString::fromStdString(outcome->steps.error().sentence), Severity::Warning);
            QStringList sentences;
            bool waiting = false;
            for (const auto& [step, came] : *outcome->steps) {
                sentences << QString::fromStdString(came ? *came : came.error().sentence);
                waiting |= !came;
            }
            if (!sentences.isEmpty())
                emit recovered(sentences, waiting);
        },
        failing());
}

void PlanRunner::takeBack(std::int64_t run, const std::vector<std::int64_t>& only, bool withRights)
{
    if (job_)
        return void(places_.refusesWhileLocked());
    const auto job = beginJob(PlanJob::Kind::TakeBack);
    job->withRights = withRights;
    ActRequest request;
    request.kind = ActRequest::Kind::Undo;
    request.user = folders_.user;
    request.ownData = places_.ownData();
    request.logbook = logbook_.file();
    request.run = run;
    const auto* record = logbook_.recordOf(run);
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
            logbook_.take(std::move(undone->history));
            if (undone->steps)
                return finishTakingBack(*undone->steps);
            notices_.say(QString::fromStdString(undone->steps.error().sentence), Severity::Warning);
            endJob();
        },
        failing());
}

void PlanRunner::finishTakingBack(const std::vector<UndoneStep>& undone)
{
    std::vector<LoggedStep> back;
    QString problem;
    std::size_t gone = 0;
    undoNeedsRights_ = 0;
    for (const auto& [step, outcome] : undone) {
        const auto* record = logbook_.recordOf(step.run);
        if (!outcome && outcome.error().kind == ErrorKind::NoPermission && record && record->run.rightsRun > 0)
            undoNeedsRights_ = step.run;
        if (outcome)
            back.push_back(step);
        else if (isForGood(step.action))
            ++gone;
        else
            problem = QString::fromStdString(outcome.error().sentence);
    }
    const auto counted = [](std::size_t count) { return static_cast<int>(count); };
    QStringList sentences;
    if (!back.empty() || (gone == 0 && problem.isEmpty()))
        sentences << tr("%n item(s) back in place.", nullptr, counted(back.size()));
    if (!problem.isEmpty())
        sentences << problem;
    else if (gone > 0)
        sentences << tr("%n item(s) deleted for good, which nothing brings back.", nullptr, counted(gone));
    notices_.say(sentences.join(QLatin1Char(' ')), problem.isEmpty() ? Severity::Info : Severity::Warning);
    // What was only taken out of a tree is put in again at once; live places read it anew as well.
    const auto over = [this, back](bool) {
        endJob();
        scans_.readTouched(back);
    };
    std::vector<std::string> paths;
    for (const auto& step : back)
        paths.push_back(step.path);
    if (const auto* open = places_.place(); open && !paths.empty() && !open->tree->removed().empty())
        return trees_.putBack(open->id, std::move(paths), over);
    over(true);
    if (const auto* open = places_.place())
        places_.refreshCapacity(open->id);
}

void PlanRunner::restoreTrashed(std::vector<TrashedItem> items)
{
    if (items.empty())
        return;
    if (job_)
        return void(places_.refusesWhileLocked());
    // What a run of ours put there is taken back as such, so that the logbook knows.
    std::vector<std::pair<std::int64_t, std::int64_t>> logged;
    std::erase_if(items, [&](const TrashedItem& item) {
        for (const auto& record : logbook_.history())
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
         file = logbook_.file()]() -> std::shared_ptr<Restored> {
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
            logbook_.take(std::move(restored->history));
            finishTakingBack(restored->steps);
        },
        failing());
}

} // namespace kurvo::app
