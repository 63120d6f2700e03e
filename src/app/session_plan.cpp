// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that changes the plan, carries it out and takes it back.
#include <algorithm>
#include <mutex>
#include <utility>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"

namespace kurvo::app {
namespace {

QString trashSentence(std::size_t count, std::uint64_t bytes)
{
    return QObject::tr("%1, %2, in the trash. The space is free once the trash is emptied.")
        .arg(itemsText(count, "item"), sizeText(bytes));
}

} // namespace

void Session::refuseWhileBusy()
{
    say(tr("The plan is being worked on. Wait for it to end, or stop it first."), Severity::Warning);
}

void Session::rememberPlan()
{
    auto& before = place()->planBefore;
    before.push_back(place()->plan);
    constexpr std::size_t kept = 200;
    if (before.size() > kept)
        before.erase(before.begin());
}

/// Says why nothing can be put on the plan now.
bool Session::mayPlan()
{
    if (planJob_)
        refuseWhileBusy();
    else if (place()->isGrowing())
        say(tr("The scan still runs: sizes are not complete yet. Plan once it has ended, or stop it."),
            Severity::Warning);
    return !planJob_ && !place()->isGrowing();
}

/// Whoever sees a part of a folder may not mean the whole of it: why it is not planned, empty where it can be.
QString Session::partRefusal(NodeId node) const
{
    const auto* p = place();
    if (!p->isShownInPart(node))
        return {};
    const auto& shown = *p->narrowing->tree;
    return tr("Only %1 of the %2 in %3 match the filter and are shown. Show all again before the folder is planned, or "
              "plan the files.")
        .arg(countText(shown.contains(node) ? shown.sums(node).files : 0), itemsText(p->tree->sums(node).files, "file"),
             toText(p->tree->label(node)));
}

void Session::planTrash(NodeId node, Guard guard)
{
    auto* p = place();
    if (!p || node == noNode || !p->tree->contains(node) || !mayPlan())
        return;
    if (const auto refusal = partRefusal(node); !refusal.isEmpty())
        return say(refusal, Severity::Warning);
    auto changed = p->plan;
    if (auto added = changed.add(*p->tree, node, p->guard, guard); !added) {
        const auto protection = protectionOf(node);
        const bool ask = protection && protection->canBeLifted && protection->reason == added.error().sentence;
        if (ask)
            emit guardAsked(node, QString::fromStdString(protection->reason));
        else
            say(QString::fromStdString(added.error().sentence), Severity::Warning);
        return;
    }
    rememberPlan();
    p->plan = std::move(changed);
    std::erase_if(p->findings, [node](const auto& f) { return f.first == node; });
    emit planChanged();
}

std::size_t Session::planTrashAll(const std::vector<NodeId>& nodes)
{
    auto* p = place();
    if (!p || !mayPlan())
        return 0;
    auto changed = p->plan;
    std::size_t planned = 0;
    std::string problem;
    for (const NodeId node : nodes) {
        if (!p->tree->contains(node) || changed.has(node))
            continue;
        if (const auto refusal = partRefusal(node); !refusal.isEmpty()) {
            problem = problem.empty() ? refusal.toStdString() : problem;
            continue;
        }
        if (const auto added = changed.add(*p->tree, node, p->guard))
            ++planned;
        else if (problem.empty())
            problem = added.error().sentence;
    }
    if (!problem.empty())
        say(QString::fromStdString(problem), Severity::Warning);
    if (planned > 0) {
        rememberPlan();
        p->plan = std::move(changed);
        p->findings.clear();
        emit planChanged();
    }
    return planned;
}

void Session::unplan(NodeId node)
{
    auto* p = place();
    if (!p || !p->plan.has(node))
        return;
    if (planJob_)
        return refuseWhileBusy();
    rememberPlan();
    p->plan.remove(node);
    emit planChanged();
}

void Session::clearPlan()
{
    auto* p = place();
    if (!p || p->plan.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    rememberPlan();
    p->plan.clear();
    p->findings.clear();
    emit planChanged();
}

void Session::undoPlanChange()
{
    if (!canUndoPlanChange())
        return;
    auto* p = place();
    p->plan = std::move(p->planBefore.back());
    p->planBefore.pop_back();
    // An item that was carried out in the meantime cannot come back onto the plan.
    const auto items = p->plan.items();
    for (const auto& item : items)
        if (!p->tree->contains(item.node))
            p->plan.remove(item.node);
    emit planChanged();
}

std::shared_ptr<PlanJob> Session::beginJob(PlanJob::Kind kind)
{
    planJob_ = std::make_shared<PlanJob>();
    planJob_->kind = kind;
    emit planJobChanged();
    return planJob_;
}

std::function<void(const StepProgress&)> Session::reporter(const std::shared_ptr<PlanJob>& job)
{
    // Called on the worker's thread; the event carries a copy over.
    return [this, job](const StepProgress& progress) {
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
    if (planJob_)
        planJob_->stop.request_stop();
}

void Session::checkPlan()
{
    auto* target = place();
    if (!target || target->plan.empty() || planJob_)
        return;
    if (const auto reason = target->foreignReason(hostName()); !reason.empty()) {
        target->findings.clear();
        for (const auto& item : target->plan.items())
            target->findings.emplace_back(item.node, Finding{false, reason});
        emit planChanged();
        return;
    }
    const auto job = beginJob(PlanJob::Kind::Check);
    using Findings = std::vector<std::pair<NodeId, Finding>>;
    runAsync(
        this,
        [items = target->plan.items(), tree = target->tree, user = folders_.user, stop = job->stop.get_token(),
         report = reporter(job)] {
            Findings findings;
            StepProgress progress;
            progress.of = items.size();
            for (const auto& item : items) {
                progress.path = item.path;
                report(progress);
                if (stop.stop_requested()) {
                    findings.emplace_back(item.node, Finding{false, "not checked: the check was stopped"});
                    continue;
                }
                const auto checked = checkForTrash(item, *tree, user, stop);
                findings.emplace_back(item.node, checked ? Finding{true, "same as when scanned"}
                                                         : Finding{false, checked.error().sentence});
                ++progress.done;
            }
            return findings;
        },
        [this, id = target->id](Findings findings) {
            if (auto* open = stillOpen(id))
                open->findings = std::move(findings);
            endJob();
            emit planChanged();
        });
}

void Session::carryOutPlan()
{
    auto* target = place();
    if (!target || target->plan.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    if (const auto reason = target->foreignReason(hostName()); !reason.empty()) {
        say(QString::fromStdString(reason), Severity::Warning);
        return;
    }
    const auto job = beginJob(PlanJob::Kind::CarryOut);
    runAsync(
        this,
        [items = target->plan.items(), tree = target->tree, user = folders_.user, stop = job->stop.get_token(),
         report = reporter(job)] { return carryOut(items, *tree, user, stop, report); },
        [this, id = target->id](const std::vector<StepResult>& results) {
            if (auto* open = stillOpen(id))
                finishRun(open, results);
            else
                endJob();
        });
}

void Session::finishRun(Place* target, const std::vector<StepResult>& results)
{
    Run run;
    run.time = currentTime();
    target->findings.clear();
    std::size_t held = 0;
    QString firstProblem;
    auto removed = target->tree->removed();
    for (const auto& result : results) {
        if (result.outcome) {
            run.items.push_back({result.item, *result.outcome, ClearedItem::State::InTrash});
            target->plan.remove(result.item.node);
            removed.push_back(result.item.node);
        } else {
            target->findings.emplace_back(result.item.node, Finding{false, result.outcome.error().sentence});
            ++held;
            if (firstProblem.isEmpty())
                firstProblem = QString::fromStdString(result.outcome.error().sentence);
        }
    }
    const auto count = run.items.size();
    const auto bytes = run.bytesIn(ClearedItem::State::InTrash);
    for (const auto& item : run.items)
        target->noteChanged(std::string(parentPath(item.item.path)));
    if (count > 0) {
        target->runs.push_back(std::move(run));
        target->planBefore.clear();
        say(trashSentence(count, bytes) + (held > 0 ? tr(" %1 held back.").arg(itemsText(held, "item")) : QString()),
            held > 0 ? Severity::Warning : Severity::Info);
        deriveTree(target, std::move(removed));
    } else {
        say(tr("Nothing was put into the trash. %1").arg(firstProblem), Severity::Warning);
        endJob();
        emit planChanged();
    }
}

void Session::takeBack(std::size_t index)
{
    auto* target = place();
    if (!target || index >= target->runs.size())
        return;
    if (planJob_)
        return refuseWhileBusy();
    std::vector<TrashedItem> items;
    for (const auto& item : target->runs[index].items)
        if (item.state == ClearedItem::State::InTrash)
            items.push_back(item.trashed);
    if (items.empty())
        return;
    const auto job = beginJob(PlanJob::Kind::TakeBack);
    runAsync(
        this, [items, report = reporter(job)] { return kurvo::takeBack(items, report); },
        [this, id = target->id, index](const std::vector<UndoResult>& results) {
            auto* open = stillOpen(id);
            if (!open)
                return endJob();
            auto removed = open->tree->removed();
            std::size_t back = 0;
            bool rescan = false;
            QString problem;
            for (const auto& result : results) {
                if (!result.outcome) {
                    problem = QString::fromStdString(result.outcome.error().sentence);
                    continue;
                }
                for (auto& item : open->runs[index].items)
                    if (item.trashed == result.item) {
                        item.state = ClearedItem::State::TakenBack;
                        if (item.item.node == noNode) {
                            rescan = true;
                            open->noteChanged(std::string(parentPath(item.trashed.originalPath)));
                        }
                        std::erase(removed, item.item.node);
                        ++back;
                    }
            }
            if (problem.isEmpty())
                say(tr("%1 back in place.").arg(itemsText(back, "item")) +
                    (rescan ? tr(" Read again what changed (Ctrl+F5) to see it in the views.") : QString()));
            else
                say(problem, Severity::Warning);
            deriveTree(open, std::move(removed));
        });
}

void Session::deriveTree(Place* target, std::vector<NodeId> removed)
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
        [this, id = target->id](const Derived& derived) {
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
        });
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
    const auto job = beginJob(PlanJob::Kind::TakeBack);
    runAsync(
        this, [items = std::move(items), report = reporter(job)] { return kurvo::takeBack(items, report); },
        [this](const std::vector<UndoResult>& results) {
            std::size_t back = 0;
            QString problem;
            for (const auto& result : results) {
                if (!result.outcome) {
                    problem = QString::fromStdString(result.outcome.error().sentence);
                    continue;
                }
                ++back;
                for (const auto& open : places_) {
                    if (isAtOrBelow(result.item.originalPath, open->info.place) && !open->fromSnapshot)
                        open->noteChanged(std::string(parentPath(result.item.originalPath)));
                    for (auto& run : open->runs)
                        for (auto& item : run.items)
                            if (item.trashed == result.item)
                                item.state = ClearedItem::State::TakenBack;
                }
            }
            endJob();
            if (problem.isEmpty())
                say(tr("%1 back in place. Read again what changed (Ctrl+F5) to see it in the views.")
                        .arg(itemsText(back, "item")));
            else
                say(problem, Severity::Warning);
            emit planChanged();
        });
}

void Session::emptyTrash(std::vector<TrashedItem> items)
{
    if (items.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    const auto job = beginJob(PlanJob::Kind::EmptyTrash);
    struct Emptied {
        std::vector<TrashedItem> gone;
        std::string problem;
    };
    runAsync(
        this,
        [items = std::move(items), stop = job->stop.get_token(), report = reporter(job)] {
            Emptied emptied;
            StepProgress progress;
            progress.of = items.size();
            for (const auto& item : items) {
                progress.path = item.originalPath.empty() ? item.name : item.originalPath;
                report(progress);
                const auto removed = removeFromTrash(item, stop);
                if (removed)
                    emptied.gone.push_back(item);
                else if (emptied.problem.empty())
                    emptied.problem = removed.error().sentence;
                if (stop.stop_requested())
                    break;
                ++progress.done;
            }
            return emptied;
        },
        [this](const Emptied& emptied) {
            // A run's items may have been emptied from any open place.
            for (const auto& open : places_)
                for (auto& run : open->runs)
                    for (auto& item : run.items)
                        if (std::find(emptied.gone.begin(), emptied.gone.end(), item.trashed) != emptied.gone.end())
                            item.state = ClearedItem::State::Gone;
            endJob();
            if (!emptied.problem.empty())
                say(QString::fromStdString(emptied.problem), Severity::Warning);
            else
                say(tr("%1 removed from the trash.").arg(itemsText(emptied.gone.size(), "item")));
            emit planChanged();
            refreshCapacity();
        });
}

} // namespace kurvo::app
