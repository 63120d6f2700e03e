// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that changes the plan; session_run.cpp carries it out.
#include <algorithm>
#include <utility>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/base/text.h"

namespace kurvo::app {
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
    place()->planAfter.clear();
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

/// One change of the plan, which can be taken back.
void Session::changePlan(Plan changed)
{
    rememberPlan();
    auto* p = place();
    p->plan = std::move(changed);
    std::erase_if(p->findings, [p](const auto& finding) {
        const auto& items = p->plan.items();
        return std::none_of(items.begin(), items.end(), [&](const PlanItem& i) { return i.path == finding.first; });
    });
    emit planChanged();
}

void Session::planItem(NodeId node, const Intent& intent, Guard guard)
{
    auto* p = place();
    if (!p || node == noNode || !p->tree->contains(node) || !mayPlan())
        return;
    if (const auto refusal = partRefusal(node); !refusal.isEmpty())
        return say(refusal, Severity::Warning);
    auto changed = p->plan;
    if (auto added = changed.add(*p->tree, node, p->guard, guard, intent); !added) {
        const auto protection = protectionOf(node);
        const bool ask = protection && protection->canBeLifted && protection->reason == added.error().sentence;
        if (ask)
            emit guardAsked(node, intent, QString::fromStdString(protection->reason));
        else
            say(QString::fromStdString(added.error().sentence), Severity::Warning);
        return;
    }
    std::erase_if(p->findings, [path = p->tree->path(node)](const auto& f) { return f.first == path; });
    changePlan(std::move(changed));
}

std::size_t Session::planAll(const std::vector<NodeId>& nodes, const Intent& intent)
{
    auto* p = place();
    if (!p || !mayPlan())
        return 0;
    auto changed = p->plan;
    std::size_t planned = 0;
    std::string problem;
    for (const NodeId node : nodes) {
        const auto* known = changed.itemOf(node);
        if (!p->tree->contains(node) || (known && known->action == intent.action &&
                                         known->destination == intent.destination))
            continue;
        if (const auto refusal = partRefusal(node); !refusal.isEmpty()) {
            problem = problem.empty() ? refusal.toStdString() : problem;
            continue;
        }
        if (const auto added = changed.add(*p->tree, node, p->guard, Guard::Up, intent))
            ++planned;
        else if (problem.empty())
            problem = added.error().sentence;
    }
    if (!problem.empty())
        say(QString::fromStdString(problem), Severity::Warning);
    if (planned > 0)
        changePlan(std::move(changed));
    return planned;
}

/// Items that no node stands for: they are read, then put on the plan as one change.
void Session::addOutside(std::function<Result<std::vector<PlannedItem>>(std::stop_token)> read,
                         std::function<void()> then)
{
    auto* p = place();
    if (!p || !mayPlan())
        return;
    const auto job = beginJob(PlanJob::Kind::Check);
    runAsync(
        this, [read = std::move(read), job] { return read(job->stop.get_token()); },
        [this, id = p->id, then = std::move(then)](const Result<std::vector<PlannedItem>>& items) {
            endJob();
            const auto* open = stillOpen(id);
            if (!open || open != place())
                return;
            if (!items)
                return say(QString::fromStdString(items.error().sentence), Severity::Warning);
            auto changed = open->plan;
            for (const auto& planned : *items)
                if (const auto added = changed.addOutside(planned.item, open->guard); !added)
                    return say(QString::fromStdString(added.error().sentence), Severity::Warning);
            changePlan(std::move(changed));
            if (then)
                then();
        });
}

void Session::planRemoval(const std::vector<TrashedItem>& items, std::function<void()> then)
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

void Session::planEmptying(const std::vector<TrashFolder>& folders, std::function<void()> then)
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

void Session::unplan(NodeId node)
{
    const auto* item = place() ? place()->plan.itemOf(node) : nullptr;
    if (item)
        unplan(std::string(item->path));
}

void Session::unplan(const std::string& path)
{
    auto* p = place();
    if (!p)
        return;
    if (planJob_)
        return refuseWhileBusy();
    auto changed = p->plan;
    if (changed.remove(path))
        changePlan(std::move(changed));
}

void Session::clearPlan()
{
    auto* p = place();
    if (!p || p->plan.empty())
        return;
    if (planJob_)
        return refuseWhileBusy();
    changePlan({});
}

void Session::undoPlanChange()
{
    if (!canUndoPlanChange())
        return;
    auto* p = place();
    p->planAfter.push_back(std::exchange(p->plan, std::move(p->planBefore.back())));
    p->planBefore.pop_back();
    p->plan.rebind(*p->tree, Plan::IfChanged::Keep); // what was carried out meanwhile cannot come back onto the plan
    emit planChanged();
}

void Session::redoPlanChange()
{
    if (!canRedoPlanChange())
        return;
    auto* p = place();
    p->planBefore.push_back(std::exchange(p->plan, std::move(p->planAfter.back())));
    p->planAfter.pop_back();
    p->plan.rebind(*p->tree, Plan::IfChanged::Keep);
    emit planChanged();
}

} // namespace kurvo::app
