// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that works on the plan: checks it, carries it out, and reads again what was touched.
#include <QDateTime>

#include <algorithm>
#include <utility>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/act/act_helper.h"
#include "core/base/text.h"
#include "core/platform/atomic_file.h"

namespace kurvo::app {
namespace {

/// Where nobody can be asked for rights: the request as a file, and the command for a terminal that takes it. Always an
/// error: nothing was done yet.
Error terminalCommand(const ActRequest& request, const std::vector<std::string>& command, const std::string& data)
{
    const auto path = joinPath(data, "act-request");
    if (auto made = makeFolders(data); !made)
        return made.error();
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    const auto bytes = encodeActRequest(request);
    file->write(bytes.data(), bytes.size());
    if (auto written = file->commit(); !written)
        return written.error();
    const auto program = command.size() >= 2 ? command[command.size() - 2] : std::string("kurvoctl");
    return {ErrorKind::Unsupported, path, 0,
            "Administrator rights cannot be asked for in this session. In a terminal: sudo " + shellQuoted(program) +
                " act-helper --digest " + requestDigest(bytes) + " < " + shellQuoted(path) + " – then come back here."};
}

} // namespace

Result<Done> actWithRights(Logbook& logbook, const std::vector<std::string>& command, const ActRequest& request,
                           std::stop_token stop, const PauseGate* pause,
                           const std::function<void(const RunProgress&)>& onProgress)
{
    // Should this process not live to hear what was done, the next start knows that there is something to ask for.
    LoggedRun awaited;
    awaited.rightsRun = LoggedRun::awaited;
    awaited.began = currentTime();
    awaited.place = request.plan.place;
    awaited.host = hostName();
    if (auto noted = logbook.take(awaited, {}); !noted)
        return noted;
    auto answer = runActHelper(command, request, std::move(stop), pause, onProgress);
    for (const auto& record : answer.records)
        if (auto taken = logbook.take(record.run, record.steps); !taken)
            return taken;
    if (!answer.begun || !answer.records.empty())
        if (auto over = logbook.forget(LoggedRun::awaited); !over)
            return over;
    return answer.acted;
}

namespace {

/// What a run did, in one sentence or two.
QString doneSentence(const RunRecord& record)
{
    std::uint64_t gone = 0, moved = 0;
    std::size_t goneCount = 0, movedCount = 0, trashCount = 0;
    for (const auto& step : record.steps) {
        if (step.state != StepState::Done)
            continue;
        if (step.action == Action::Trash) {
            ++trashCount;
        } else {
            auto& bytes = step.action == Action::Move ? moved : gone;
            ++(step.action == Action::Move ? movedCount : goneCount);
            bytes += step.disk;
        }
    }
    QStringList parts;
    if (goneCount > 0)
        parts << QObject::tr("%1, %2, gone for good.").arg(itemsText(goneCount, "item"), sizeText(gone));
    if (movedCount > 0)
        parts << QObject::tr("%1, %2, moved and verified.").arg(itemsText(movedCount, "item"), sizeText(moved));
    if (trashCount > 0)
        parts << QObject::tr("%1, %2, in the trash. The space is free once the trash is emptied.")
                     .arg(itemsText(trashCount, "item"), sizeText(record.bytesInTrash()));
    return parts.join(QLatin1Char(' '));
}

} // namespace

std::shared_ptr<PlanJob> Session::beginJob(PlanJob::Kind kind)
{
    planJob_ = std::make_shared<PlanJob>();
    planJob_->kind = kind;
    planJob_->startedMs = QDateTime::currentMSecsSinceEpoch();
    emit planJobChanged();
    return planJob_;
}

std::function<void(const RunProgress&)> Session::reporter(const std::shared_ptr<PlanJob>& job)
{
    // Called on the worker's thread, for each piece that is copied; the event carries a copy over.
    struct Last {
        QElapsedTimer since;
        std::string path;
    };
    return [this, job, last = std::make_shared<Last>()](const RunProgress& progress) {
        constexpr qint64 gapMs = 80;
        if (last->since.isValid() && last->since.elapsed() < gapMs && last->path == progress.path)
            return;
        last->since.restart();
        last->path = progress.path;
        QMetaObject::invokeMethod(
            this,
            [this, job, progress] {
                job->progress = progress;
                emit planJobChanged();
            },
            Qt::QueuedConnection);
    };
}

void Session::endJob()
{
    planJob_.reset();
    emit planJobChanged();
}

void Session::stopPlanJob()
{
    if (!planJob_)
        return;
    planJob_->stop.request_stop();
    emit planJobChanged();
}

void Session::pausePlanJob(bool paused)
{
    if (!planJob_ || (planJob_->pausedSinceMs != 0) == paused)
        return;
    const auto now = QDateTime::currentMSecsSinceEpoch();
    if (!paused)
        planJob_->pausedMs += now - planJob_->pausedSinceMs;
    planJob_->pausedSinceMs = paused ? now : 0;
    planJob_->pause.setPaused(paused);
    emit planJobChanged();
}

std::function<PlanFile()> Session::planFile(const Place& target) const
{
    return [plan = target.plan, tree = target.tree, marks = target.marks, host = target.info.host,
            place = target.info.place, taken = target.info.taken] {
        auto file = planFileOf(plan, *tree);
        file.host = host;
        file.place = place;
        file.written = taken;
        for (auto& planned : file.items)
            if (const auto* mark = marks && planned.item.node != noNode ? marks->of(planned.item.node).mark : nullptr) {
                planned.mark = mark->kind;
                planned.note = mark->note;
            }
        return file;
    };
}

void Session::checkPlan()
{
    auto* target = place();
    if (!target || target->plan.empty() || planJob_)
        return;
    target->checkedAt = currentTime();
    if (const auto reason = target->foreignReason(hostName()); !reason.empty()) {
        target->findings.clear();
        for (const auto& item : target->plan.items())
            target->findings.emplace_back(item.path, Finding{false, reason});
        emit planChanged();
        return;
    }
    const auto job = beginJob(PlanJob::Kind::Check);
    using Findings = std::vector<std::pair<std::string, Finding>>;
    runAsync(
        this,
        [make = planFile(*target), guard = target->guard, packages = target->packages, stop = job->stop.get_token(),
         report = reporter(job)] {
            const auto plan = make();
            RunProgress progress;
            progress.of = plan.items.size();
            const auto checked = kurvo::checkPlan(plan, guard, stop, [&](std::size_t done) {
                progress.done = done;
                progress.path = plan.items[done].item.path;
                report(progress);
            });
            Findings findings;
            for (std::size_t i = 0; i < checked.size(); ++i)
                findings.emplace_back(
                    plan.items[i].item.path,
                    Finding{!checked[i].blocked,
                            checked[i].sentence.empty() ? "same as when scanned" : checked[i].sentence,
                            checked[i].needsRights});
            return findings;
        },
        [this, id = target->id](Findings findings) {
            if (auto* open = stillOpen(id))
                open->findings = std::move(findings);
            endJob();
            emit planChanged();
        });
}

/// A run and the logbook after it.
struct Session::Carried {
    Result<RunResult> run;
    Result<std::vector<RunRecord>> history;
};

void Session::carryOutPlan(std::size_t forGood)
{
    auto* target = place();
    if (!target || target->plan.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    if (const auto reason = target->foreignReason(hostName()); !reason.empty())
        return say(QString::fromStdString(reason), Severity::Warning);
    if (forGood != target->plan.countForGood())
        return say(tr("What is deleted for good was not confirmed. Nothing was done."), Severity::Warning);
    const auto job = beginJob(PlanJob::Kind::CarryOut);
    runAsync(
        this,
        [make = planFile(*target), guard = target->guard, packages = target->packages, job, report = reporter(job),
         file = logbookFile()]() -> std::shared_ptr<Carried> {
            Logbook logbook(file);
            const auto recovered = recoverAll(logbook, guard.user, job->stop.get_token());
            auto run = recovered ? runPlan(logbook, make(), {guard, job->stop.get_token(), &job->pause, report})
                                 : Result<RunResult>(recovered.error());
            return std::make_shared<Carried>(Carried{std::move(run), kurvo::readHistory(logbook)});
        },
        [this, id = target->id](const std::shared_ptr<Carried>& carried) {
            takeHistory(std::move(carried->history));
            auto* open = stillOpen(id);
            if (carried->run && open)
                return finishRun(open, {carried->run->run, carried->run->steps}, carried->run->findings);
            if (!carried->run)
                say(QString::fromStdString(carried->run.error().sentence), Severity::Problem);
            endJob();
            emit planChanged();
        });
}

std::vector<PlanItem> Session::itemsThatNeedRights() const
{
    std::vector<PlanItem> items;
    if (const auto* p = place())
        for (const auto& item : p->plan.items())
            if (const auto* finding = p->findingFor(item.path); finding && !finding->ready && finding->needsRights)
                items.push_back(item);
    return items;
}

std::vector<std::string> Session::actCommand() const
{
    auto command = helperCommand_;
    if (!command.empty())
        command.back() = "act-helper"; // the last word says which helper
    return command;
}

bool Session::prepareRights(const std::function<void(const ActRequest&)>& ready)
{
    auto* target = place();
    const auto wanted = itemsThatNeedRights();
    if (!target || wanted.empty())
        return false;
    ActRequest request;
    request.kind = ActRequest::Kind::Apply;
    request.user = folders_.user;
    request.ownData = ownData();
    request.logbook = logbookFile();
    runAsync(
        this,
        [request, wanted, make = planFile(*target)]() mutable {
            request.plan = make();
            std::erase_if(request.plan.items, [&](const PlannedItem& planned) {
                return std::none_of(wanted.begin(), wanted.end(),
                                    [&](const PlanItem& item) { return item.path == planned.item.path; });
            });
            request.forGood = request.plan.countForGood();
            return std::make_shared<ActRequest>(std::move(request));
        },
        [ready](const std::shared_ptr<ActRequest>& prepared) { ready(*prepared); });
    return true;
}

void Session::carryOutWithRights(ActRequest request)
{
    auto* target = place();
    if (!target || planJob_)
        return;
    const auto job = beginJob(PlanJob::Kind::CarryOut);
    job->withRights = true;
    struct Outcome {
        Result<Done> acted;
        Result<std::vector<RunRecord>> history;
    };
    const auto newest = history_.empty() ? 0 : history_.front().run.id;
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
            takeHistory(std::move(outcome->history));
            if (!outcome->acted) {
                awaitsTerminal_ = outcome->acted.error().kind == ErrorKind::Unsupported;
                say(QString::fromStdString(outcome->acted.error().sentence), Severity::Warning);
            }
            auto* open = stillOpen(id);
            if (open && !history_.empty() && history_.front().run.id > newest && history_.front().run.ended != 0)
                return finishRun(open, RunRecord(history_.front()), {});
            endJob();
            emit planChanged();
        });
}

void Session::finishRun(Place* target, const RunRecord& record, const std::vector<ItemFinding>& findings)
{
    auto removed = target->tree->removed();
    QString firstProblem;
    for (std::size_t i = 0; i < record.steps.size(); ++i) {
        const auto& step = record.steps[i];
        if (step.state == StepState::Done) {
            std::erase_if(target->findings, [&](const auto& f) { return f.first == step.path; });
            const auto node = target->tree->find(step.path);
            target->plan.remove(step.path);
            // An emptied trash folder stays, and a link may stand where something was.
            if (node && step.action != Action::EmptyTrash)
                removed.push_back(*node);
            continue;
        }
        std::erase_if(target->findings, [&](const auto& f) { return f.first == step.path; });
        target->findings.emplace_back(step.path,
                                      Finding{false, step.note, i < findings.size() && findings[i].needsRights});
        if (firstProblem.isEmpty())
            firstProblem = QString::fromStdString(step.note);
    }
    const auto done = record.count(StepState::Done);
    if (done == 0) {
        say(tr("Nothing was done. %1").arg(firstProblem), Severity::Warning);
        endJob();
        emit planChanged();
        return;
    }
    target->planBefore.clear();
    target->planAfter.clear();
    const auto held = record.steps.size() - done;
    say(doneSentence(record) + (held > 0 ? tr(" %1 held back.").arg(itemsText(held, "item")) : QString()),
        held > 0 ? Severity::Warning : Severity::Info);
    deriveTree(target, std::move(removed), [this, record] {
        touch(record.steps);
        emit runEnded(record.run.id);
    });
}

/// The places that steps changed something in read their folders again, so that their figures are real ones.
void Session::touch(const std::vector<LoggedStep>& steps)
{
    std::vector<std::string> folders;
    for (const auto& step : steps) {
        if (step.state != StepState::Done && step.state != StepState::Undone && step.state != StepState::Emptied)
            continue;
        folders.push_back(step.action == Action::EmptyTrash ? step.path : std::string(parentPath(step.path)));
        if (!step.target.empty())
            folders.emplace_back(parentPath(step.target));
        if (!step.trashed.folder.path.empty())
            folders.push_back(step.trashed.folder.path);
    }
    for (const auto& open : places_)
        if (!open->fromSnapshot && !open->isGrowing())
            readTouched(open->id, folders);
}

void Session::readTouched(std::uint64_t placeId, std::vector<std::string> folders)
{
    auto* open = stillOpen(placeId);
    // A folder that was not there before is read with the one it lies in.
    for (auto& folder : folders)
        while (folder.size() > open->info.place.size() && !open->tree->find(folder))
            folder = parentPath(folder);
    std::erase_if(folders, [&](const std::string& folder) { return !isAtOrBelow(folder, open->info.place); });
    std::sort(folders.begin(), folders.end());
    std::vector<std::string> upper;
    for (const auto& folder : folders)
        if (upper.empty() || !isAtOrBelow(folder, upper.back()))
            upper.push_back(folder);
    if (!upper.empty())
        startRescan(*open, upper, true);
}

void Session::deriveTree(Place* target, std::vector<NodeId> removed, std::function<void()> then)
{
    struct Derived {
        std::shared_ptr<const FileTree> tree;
        std::shared_ptr<const std::vector<Family>> dominant;
        std::optional<Narrowing> narrowing;
    };
    runAsync(
        this,
        [store = target->tree->sharedStore(), narrowing = target->narrowing, removed = std::move(removed)] {
            Derived d{std::make_shared<FileTree>(store, removed), nullptr, std::nullopt};
            d.dominant = dominantFamilies(*d.tree);
            if (narrowing)
                d.narrowing = narrowTo(*d.tree, narrowing->wanted, narrowing->words);
            return d;
        },
        [this, id = target->id, then = std::move(then)](const Derived& derived) {
            auto* open = stillOpen(id);
            if (!open)
                return endJob();
            open->tree = derived.tree;
            open->dominant = derived.dominant;
            if (open->narrowing && derived.narrowing && open->narrowing->wanted == derived.narrowing->wanted)
                open->narrowing = derived.narrowing;
            else if (const auto other = std::exchange(open->narrowing, std::nullopt)) // chosen meanwhile
                narrow(other->wanted, other->words);
            // Whoever looked at something that is gone looks at the folder it was in.
            while (!open->tree->contains(open->focus))
                open->focus = open->tree->parent(open->focus);
            if (open->selection != noNode && !open->tree->contains(open->selection))
                open->selection = noNode;
            std::erase_if(open->alsoSelected, [open](NodeId n) { return !open->tree->contains(n); });
            hover_ = noNode;
            endJob();
            emit treeChanged();
            emit selectionChanged();
            emit planChanged();
            refreshCapacity();
            if (then)
                then();
        });
}

} // namespace kurvo::app
