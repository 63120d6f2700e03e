// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/plan_runner.h"

#include <QDateTime>
#include <QElapsedTimer>

#include <algorithm>
#include <set>
#include <utility>

#include "app/jobs/acting.h"
#include "app/services/async.h"
#include "app/services/tell.h"
#include "app/style/words.h"

namespace kurvo::app {
namespace {

/// A run and the logbook after it.
struct Carried {
    Result<RunResult> run;
    Result<std::vector<RunRecord>> history;
};

} // namespace

PlanRunner::PlanRunner(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, PlanModel& plan,
                       LogbookModel& logbook, ScanJobs& scans, RightsReader& rights, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), trees_(trees), plan_(plan), logbook_(logbook), scans_(scans),
      rights_(rights), notices_(notices)
{
}

void PlanRunner::stop()
{
    if (!job_)
        return;
    job_->stop.request_stop();
    job_->pause.setPaused(false);
}

std::shared_ptr<PlanJob> PlanRunner::beginJob(PlanJob::Kind kind)
{
    job_ = std::make_shared<PlanJob>();
    job_->kind = kind;
    job_->startedMs = QDateTime::currentMSecsSinceEpoch();
    places_.setLocked(true);
    emit planJobChanged();
    return job_;
}

std::function<void(const RunProgress&)> PlanRunner::reporter(const std::shared_ptr<PlanJob>& job)
{
    // Called on the worker's thread, for each item and each piece that is copied; the event carries a copy over.
    return [this, job, tell = teller(this), last = std::make_shared<QElapsedTimer>()](const RunProgress& progress) {
        constexpr qint64 gapMs = 80;
        if (last->isValid() && last->elapsed() < gapMs)
            return;
        last->restart();
        tell([this, job, progress] {
            job->progress = progress;
            emit planJobChanged();
        });
    };
}

void PlanRunner::endJob()
{
    job_.reset();
    places_.setLocked(false);
    emit planJobChanged();
}

std::function<void(const QString&)> PlanRunner::failing()
{
    return [this](const QString& problem) {
        notices_.say(problem, Severity::Problem);
        endJob();
    };
}

void PlanRunner::stopPlanJob()
{
    if (!job_)
        return;
    job_->stop.request_stop();
    emit planJobChanged();
}

void PlanRunner::pausePlanJob(bool paused)
{
    if (!job_ || (job_->pausedSinceMs != 0) == paused)
        return;
    const auto now = QDateTime::currentMSecsSinceEpoch();
    if (!paused)
        job_->pausedMs += now - job_->pausedSinceMs;
    job_->pausedSinceMs = paused ? now : 0;
    job_->pause.setPaused(paused);
    emit planJobChanged();
}

namespace {

/// The items that a check shall look at.
KeptState toCheck(const Place& place, PlanRunner::Check which)
{
    auto all = place.plan.state();
    if (which == PlanRunner::Check::All || place.findings.empty())
        return all;
    auto fresh = std::make_shared<PlanState>();
    const std::set<std::string_view> paths(place.fresh.begin(), place.fresh.end());
    for (const auto path : paths)
        if (const auto* item = place.plan.itemAt(path); item && !place.findings.of(item->path)) {
            if (item->action == Action::Move)
                return all;
            fresh->push_back(std::make_shared<PlanItem>(*item));
        }
    return fresh->size() == place.unchecked() ? KeptState(std::move(fresh)) : all; // many came on at once
}

} // namespace

void PlanRunner::checkPlan(Check which)
{
    const auto* target = places_.place();
    if (!target || target->plan.empty() || job_)
        return;
    const auto at = currentTime();
    if (const auto reason = target->foreignReason(hostName()); !reason.empty()) {
        Findings findings;
        for (const auto& item : target->plan.items())
            findings.set(item.path, {false, reason, false});
        return plan_.setFindings(target->id, std::move(findings), at);
    }
    const auto job = beginJob(PlanJob::Kind::Check);
    runAsync(
        this,
        [make = PlanModel::planFile(*target, toCheck(*target, which)), all = target->plan.state(),
         guard = target->guard, packages = target->packages, stop = job->stop.get_token(), report = reporter(job)] {
            const auto plan = make();
            std::vector<std::string> planned;
            for (const auto& item : *all)
                planned.push_back(item->path);
            RunProgress progress;
            progress.of = plan.items.size();
            const auto checked = kurvo::checkPlan(
                plan, guard, stop,
                [&](std::size_t done) {
                    progress.done = done;
                    progress.path = plan.items[done].item.path;
                    report(progress);
                },
                planned);
            Findings findings;
            for (std::size_t i = 0; i < checked.size(); ++i)
                findings.set(plan.items[i].item.path,
                             {!checked[i].blocked,
                              checked[i].sentence.empty() ? "same as when scanned" : checked[i].sentence,
                              checked[i].needsRights});
            return findings;
        },
        [this, id = target->id, at](Findings findings) {
            endJob();
            plan_.setFindings(id, std::move(findings), at);
        },
        failing());
}

void PlanRunner::carryOutPlan(std::size_t forGood)
{
    const auto* target = places_.place();
    if (!target || target->plan.empty())
        return;
    if (job_)
        return void(places_.refusesWhileLocked());
    if (const auto reason = target->foreignReason(hostName()); !reason.empty())
        return notices_.say(QString::fromStdString(reason), Severity::Warning);
    if (forGood != target->plan.countForGood())
        return notices_.say(tr("What is deleted for good was not confirmed. Nothing was done."), Severity::Warning);
    const auto job = beginJob(PlanJob::Kind::CarryOut);
    runAsync(
        this,
        [make = PlanModel::planFile(*target), guard = target->guard, packages = target->packages, job,
         report = reporter(job), file = logbook_.file()]() -> std::shared_ptr<Carried> {
            Logbook logbook(file);
            const auto recovered = recoverAll(logbook, guard.user, job->stop.get_token());
            auto run = recovered ? runPlan(logbook, make(), {guard, job->stop.get_token(), &job->pause, report})
                                 : Result<RunResult>(recovered.error());
            return std::make_shared<Carried>(Carried{std::move(run), kurvo::readHistory(logbook)});
        },
        [this, id = target->id](const std::shared_ptr<Carried>& carried) {
            logbook_.take(std::move(carried->history));
            if (carried->run)
                return finishRun(id, {carried->run->run, carried->run->steps}, carried->run->findings);
            notices_.say(QString::fromStdString(carried->run.error().sentence), Severity::Problem);
            endJob();
        },
        failing());
}

std::vector<std::string> PlanRunner::actCommand() const
{
    auto command = rights_.helperCommand();
    if (!command.empty())
        command.back() = "act-helper"; // the last word says which helper
    return command;
}

bool PlanRunner::prepareRights(const std::function<void(const ActRequest&)>& ready)
{
    const auto* target = places_.place();
    if (!target || target->findings.needRights() == 0)
        return false;
    auto wanted = std::make_shared<std::set<std::string>>();
    for (const auto& item : target->plan.items())
        if (const auto* finding = target->findings.of(item.path); finding && !finding->ready && finding->needsRights)
            wanted->insert(item.path);
    ActRequest request;
    request.kind = ActRequest::Kind::Apply;
    request.user = folders_.user;
    request.ownData = places_.ownData();
    request.logbook = logbook_.file();
    runAsync(
        this,
        [request, wanted, make = PlanModel::planFile(*target)]() mutable {
            request.plan = make();
            std::erase_if(request.plan.items,
                          [&](const PlannedItem& planned) { return !wanted->contains(planned.item.path); });
            request.forGood = request.plan.countForGood();
            return std::move(request);
        },
        ready);
    return true;
}

void PlanRunner::carryOutWithRights(ActRequest request)
{
    const auto* target = places_.place();
    if (!target || job_)
        return;
    const auto job = beginJob(PlanJob::Kind::CarryOut);
    job->withRights = true;
    struct Outcome {
        Result<Done> acted;
        Result<std::vector<RunRecord>> history;
    };
    const auto newest = logbook_.history().empty() ? 0 : logbook_.history().front().run.id;
    runAsync(
        this,
        [request = std::move(request), job, command = actCommand(), report = reporter(job), data = folders_.data] {
            Logbook logbook(request.logbook);
            auto acted = actWithRights(logbook, command, request, job->stop.get_token(), &job->pause, report);
            if (!acted && acted.error().kind == ErrorKind::Unsupported)
                acted = terminalCommand(request, command, data);
            return std::make_shared<Outcome>(Outcome{std::move(acted), kurvo::readHistory(logbook)});
        },
        [this, id = target->id, newest](const std::shared_ptr<Outcome>& outcome) {
            logbook_.take(std::move(outcome->history));
            if (!outcome->acted) {
                awaitsTerminal_ = outcome->acted.error().kind == ErrorKind::Unsupported;
                notices_.say(QString::fromStdString(outcome->acted.error().sentence), Severity::Warning);
            }
            if (const auto* last = lastRun(logbook_.history()); last && last->run.id > newest)
                return finishRun(id, RunRecord(*last), {});
            endJob();
        },
        failing());
}

/// Items that no node stands for: they are read, then put on the plan as one change.
void PlanRunner::addOutside(std::function<Result<std::vector<PlannedItem>>(std::stop_token)> read,
                            std::function<void()> then)
{
    const auto* p = places_.place();
    if (!p || !plan_.mayPlan())
        return;
    const auto job = beginJob(PlanJob::Kind::Check);
    runAsync(
        this, [read = std::move(read), job] { return read(job->stop.get_token()); },
        [this, id = p->id, then = std::move(then)](const Result<std::vector<PlannedItem>>& items) {
            endJob();
            if (!items)
                return notices_.say(QString::fromStdString(items.error().sentence), Severity::Warning);
            if (plan_.addOutside(id, *items) && then)
                then();
        },
        failing());
}

void PlanRunner::planRemoval(const std::vector<TrashedItem>& items, std::function<void()> then)
{
    addOutside(
        [items](std::stop_token stop) -> Result<std::vector<PlannedItem>> {
            std::vector<PlannedItem> planned;
            for (const auto& item : items) {
                auto one = readPlannedItem(joinPath(joinPath(item.folder.path, "files"), item.name),
                                           {Action::Delete, {}, false}, stop);
                if (!one)
                    return one.error();
                planned.push_back(std::move(*one));
            }
            return planned;
        },
        std::move(then));
}

void PlanRunner::planEmptying(const std::vector<TrashFolder>& folders, std::function<void()> then)
{
    addOutside(
        [folders](std::stop_token stop) -> Result<std::vector<PlannedItem>> {
            std::vector<PlannedItem> planned;
            for (const auto& folder : folders) {
                auto one = readPlannedItem(folder.path, {Action::EmptyTrash, {}, false}, stop);
                if (!one)
                    return one.error();
                planned.push_back(std::move(*one));
            }
            return planned;
        },
        std::move(then));
}

void PlanRunner::lookAtTerminal()
{
    const auto* target = places_.place();
    if (!awaitsTerminal_ || job_ || !target)
        return;
    const auto newest = logbook_.history().empty() ? 0 : logbook_.history().front().run.id;
    runAsync(
        this,
        [file = logbook_.file()] {
            Logbook logbook(file);
            return std::make_shared<Result<std::vector<RunRecord>>>(kurvo::readHistory(logbook));
        },
        [this, id = target->id, newest](const std::shared_ptr<Result<std::vector<RunRecord>>>& history) {
            logbook_.take(std::move(*history));
            const auto* last = lastRun(logbook_.history());
            if (!places_.placeOf(id) || job_ || !last || last->run.id <= newest)
                return; // not yet
            awaitsTerminal_ = false;
            beginJob(PlanJob::Kind::CarryOut);
            finishRun(id, RunRecord(*last), {});
        });
}

void PlanRunner::finishRun(std::uint64_t id, const RunRecord& record, const std::vector<ItemFinding>& findings)
{
    const auto* target = places_.placeOf(id);
    if (!target)
        return endJob();
    std::vector<std::string> gone;
    QString firstProblem;
    for (const auto& step : record.steps) {
        // An emptied trash folder stays, and a link may stand where something was.
        if (step.state == StepState::Done && step.action != Action::EmptyTrash)
            gone.push_back(step.path);
        else if (step.state != StepState::Done && firstProblem.isEmpty())
            firstProblem = QString::fromStdString(step.note);
    }
    plan_.settle(id, record, findings);
    const auto done = record.count(StepState::Done);
    if (done == 0) {
        notices_.say(tr("Nothing was done. %1").arg(firstProblem), Severity::Warning);
        return endJob();
    }
    const auto held = record.steps.size() - done;
    notices_.say(doneSentence(record, held), held > 0 ? Severity::Warning : Severity::Info);
    trees_.takeOut(id, std::move(gone), [this, record](bool) {
        endJob();
        scans_.readTouched(record.steps);
        emit runEnded(record.run.id);
    });
}

} // namespace kurvo::app
