// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/plan_model.h"

#include <algorithm>
#include <chrono>
#include <map>
#include <string_view>
#include <unordered_set>
#include <utility>

#include "app/services/async.h"
#include "app/services/listen.h"
#include "app/style/words.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/drives.h"

namespace kurvo::app {

PlanModel::PlanModel(PlaceStore& places, TreeUpdater& trees, Notices& notices, QObject* parent)
    : QObject(parent), places_(places), trees_(trees), notices_(notices)
{
    listen(this, &PlanModel::planChanged, trees_, &TreeUpdater::carriedOver, places_, &PlaceStore::runsShared);
    listen(this, &PlanModel::refreshDestinations, *this, &PlanModel::planChanged, places_, &PlaceStore::placeChanged);
}

bool PlanModel::mayPlan()
{
    const auto* p = places_.place();
    if (!p || places_.refusesWhileLocked())
        return false;
    if (p->isGrowing())
        notices_.say(tr("The scan is still running: sizes are not complete yet. Plan once it has ended, or stop it."),
                     Severity::Warning);
    return !p->isGrowing();
}

/// Whoever sees a part of a folder may not mean the whole of it: why it is not planned, empty where it can be.
QString PlanModel::partRefusal(NodeId node) const
{
    const auto* p = places_.place();
    if (!p->isShownInPart(node))
        return {};
    const auto& shown = *p->narrowing->tree;
    return tr("Only %1 of the %2 in %3 match the filter and are shown. Show all again before you plan the folder, or "
              "plan the files.")
        .arg(countText(shown.contains(node) ? shown.sums(node).files : 0), itemsText(p->tree->sums(node).files, "file"),
             toText(p->tree->label(node)));
}

void PlanModel::told(Place& place)
{
    ++place.planVersion;
    places_.addUpPlan(place.id);
    if (places_.isCurrent(place.id))
        emit planChanged();
}

void PlanModel::remember(Place& place, KeptState state)
{
    place.planBefore.push_back(std::move(state));
    constexpr std::size_t kept = 200;
    if (place.planBefore.size() > kept) {
        discard(std::move(place.planBefore.front()));
        place.planBefore.erase(place.planBefore.begin());
    }
    if (!place.planAfter.empty())
        discard(std::make_shared<std::vector<KeptState>>(std::exchange(place.planAfter, {})));
}

/// What came off has no finding any more, should it come back; nor has what was held back because of it.
void PlanModel::forget(Place& place, const PlanState& off)
{
    for (const auto& item : off)
        place.findings.erase(item->path);
    if (place.plan.withTwin() == 0 || off.empty() || place.findings.size() == 0)
        return;
    std::unordered_set<std::string_view> paths;
    for (const auto& item : off)
        paths.insert(item->path);
    for (const auto& item : place.plan.items())
        if (item.twin)
            for (std::string_view above = item.twin->path; above.size() > 1; above = parentPath(above))
                if (paths.contains(above))
                    place.findings.erase(item.path);
}

/// False once there are so many that all are checked.
bool PlanModel::cameOn(Place& place, const std::string& path)
{
    constexpr std::size_t few = 200;
    if (place.fresh.size() < few)
        place.fresh.push_back(path);
    return place.fresh.size() < few;
}

void PlanModel::change(Plan changed, const PlanState& off)
{
    auto* p = places_.edit();
    remember(*p, p->plan.state());
    Findings before;
    if (changed.empty())
        std::swap(p->findings, before);
    forget(*p, off);
    std::swap(p->plan, changed);
    discard(std::make_shared<std::pair<Plan, Findings>>(std::move(changed), std::move(before)));
    told(*p);
}

void PlanModel::restore(std::uint64_t id, Plan plan)
{
    auto* p = places_.edit(id);
    if (!p)
        return;
    p->findings = {};
    p->plan = std::move(plan);
    told(*p);
}

void PlanModel::planItem(NodeId node, const Intent& intent, Guard guard)
{
    auto* p = places_.edit();
    if (!p || node == noNode || !p->tree->contains(node) || !mayPlan())
        return;
    if (const auto refusal = partRefusal(node); !refusal.isEmpty())
        return notices_.say(refusal, Severity::Warning);
    auto before = p->plan.state();
    const auto added = p->plan.add(*p->tree, node, p->guard, guard, intent);
    if (!added) {
        const auto protection = places_.protectionOf(node);
        const bool ask = protection && protection->canBeLifted && protection->reason == added.error().sentence;
        if (ask)
            emit guardAsked(node, intent, QString::fromStdString(protection->reason));
        else
            notices_.say(QString::fromStdString(added.error().sentence), Severity::Warning);
        return;
    }
    forget(*p, *added);
    const auto path = p->tree->path(node);
    cameOn(*p, path);
    if (p->plan.withTwin() > 0)
        for (const auto& item : p->plan.items())
            if (item.twin && isAtOrBelow(item.twin->path, path)) { // what was to stay for it
                p->findings.erase(item.path);
                cameOn(*p, item.path);
            }
    remember(*p, std::move(before));
    told(*p);
}

void PlanModel::planAll(const std::vector<NodeId>& nodes, const Intent& intent, std::function<void(std::size_t)> then,
                        const Twins& twins)
{
    auto* p = places_.edit();
    if (!p || !mayPlan())
        return;
    std::vector<NodeId> whole;
    QString refusal;
    for (const NodeId node : nodes) {
        const auto why = p->narrowing ? partRefusal(node) : QString();
        if (why.isEmpty())
            whole.push_back(node);
        else if (refusal.isEmpty())
            refusal = why;
    }
    struct Planned {
        Plan plan;
        Plan::Added added;
    };
    const auto work = [tree = p->tree, state = p->plan.state(), guard = p->guard, packages = p->packages, intent, whole,
                       twins] {
        Planned planned;
        planned.plan.restore(state);
        planned.added = planned.plan.addAll(*tree, whole, guard, intent, twins);
        return planned;
    };
    const auto done = [this, id = p->id, version = p->planVersion, tree = p->tree, refusal, nodes, intent, then,
                       twins](Planned planned) {
        const auto* now = places_.placeOf(id);
        if (!now || !places_.isCurrent(id))
            return;
        if (now->tree->sharedStore() != tree->sharedStore())
            return notices_.say(tr("The place was rescanned in the meantime. Select the items again."),
                                Severity::Warning);
        if (now->planVersion != version) // planned meanwhile
            return planAll(nodes, intent, then, twins);
        const auto problem = refusal.isEmpty() ? QString::fromStdString(planned.added.problem) : refusal;
        if (!problem.isEmpty())
            notices_.say(problem, Severity::Warning);
        if (planned.added.count > 0)
            change(std::move(planned.plan), planned.added.off);
        if (then)
            then(planned.added.count);
    };
    constexpr std::size_t few = 200; // done at once
    const bool sumsUp =
        std::any_of(twins.begin(), twins.end(), [&](const auto& twin) { return p->tree->isFolder(twin.second); });
    if (whole.size() <= few && !sumsUp)
        done(work());
    else
        runAsync(this, work, done);
}

bool PlanModel::addOutside(std::uint64_t id, const std::vector<PlannedItem>& items)
{
    const auto* open = places_.placeOf(id);
    if (!open || !places_.isCurrent(id))
        return false;
    auto changed = open->plan;
    PlanState off;
    for (const auto& planned : items) {
        const auto added = changed.addOutside(planned.item, open->guard);
        if (!added) {
            notices_.say(QString::fromStdString(added.error().sentence), Severity::Warning);
            return false;
        }
        off.insert(off.end(), added->begin(), added->end());
    }
    change(std::move(changed), off);
    return true;
}

void PlanModel::unplan(const std::vector<NodeId>& nodes)
{
    const auto* p = places_.place();
    std::vector<std::string> paths;
    for (std::size_t i = 0; p && i < nodes.size(); ++i)
        if (const auto* item = p->plan.itemOf(nodes[i]))
            paths.push_back(item->path);
    unplan(paths);
}

void PlanModel::unplan(const std::string& path)
{
    unplan(std::vector<std::string>{path});
}

void PlanModel::unplan(const std::vector<std::string>& paths)
{
    auto* p = places_.edit();
    if (!p || places_.refusesWhileLocked())
        return;
    auto before = p->plan.state();
    const auto off = p->plan.removeAll(paths);
    if (off.empty())
        return;
    forget(*p, off);
    remember(*p, std::move(before));
    told(*p);
}

void PlanModel::clearPlan()
{
    const auto* p = places_.place();
    if (p && !p->plan.empty() && !places_.refusesWhileLocked())
        change({}, *p->plan.state());
}

/// What was carried out meanwhile cannot come back onto the plan.
void PlanModel::stepTo(std::vector<KeptState>& from, std::vector<KeptState>& to)
{
    auto* p = places_.edit();
    to.push_back(p->plan.state());
    auto state = std::move(from.back());
    from.pop_back();
    const auto isGone = [p](const PlanItemPtr& item) { return item->node != noNode && !p->tree->contains(item->node); };
    if (!p->tree->removed().empty() && std::any_of(state->begin(), state->end(), isGone)) {
        auto left = std::make_shared<PlanState>(*state);
        std::erase_if(*left, isGone);
        state = std::move(left);
    }
    auto difference = p->plan.become(std::move(state));
    forget(*p, difference.off);
    for (const auto& item : difference.on)
        if (!cameOn(*p, item->path))
            break;
    told(*p);
}

void PlanModel::undoPlanChange()
{
    if (canUndoPlanChange())
        stepTo(places_.edit()->planBefore, places_.edit()->planAfter);
}

void PlanModel::redoPlanChange()
{
    if (canRedoPlanChange())
        stepTo(places_.edit()->planAfter, places_.edit()->planBefore);
}

void PlanModel::setFindings(std::uint64_t id, Findings findings, std::int64_t at)
{
    auto* p = places_.edit(id);
    if (!p)
        return;
    p->fresh.clear();
    if (p->findings.empty() || findings.size() >= p->plan.items().size()) {
        std::swap(p->findings, findings);
        p->checkedAt = at;
    } else {
        p->findings.take(findings); // the others were looked at before
    }
    discard(std::make_shared<Findings>(std::move(findings)));
    if (places_.isCurrent(id))
        emit planChanged();
}

void PlanModel::settle(std::uint64_t id, const RunRecord& record, const std::vector<ItemFinding>& findings)
{
    auto* p = places_.edit(id);
    if (!p)
        return;
    std::vector<std::string> done;
    for (std::size_t i = 0; i < record.steps.size(); ++i) {
        const auto& step = record.steps[i];
        if (step.state == StepState::Done)
            done.push_back(step.path);
        else if (p->plan.itemAt(step.path))
            p->findings.set(step.path, {false, step.note, i < findings.size() && findings[i].needsRights});
    }
    if (!done.empty()) {
        auto states = std::exchange(p->planBefore, {});
        states.insert(states.end(), p->planAfter.begin(), p->planAfter.end());
        p->planAfter.clear();
        discard(std::make_shared<std::vector<KeptState>>(std::move(states)));
    }
    forget(*p, p->plan.removeAll(done));
    told(*p);
}

std::function<PlanFile()> PlanModel::planFile(const Place& target, KeptState items)
{
    return [state = std::move(items), tree = target.tree, marks = target.marks, host = target.info.host,
            place = target.info.place, taken = target.info.taken] {
        const Plan plan(state);
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

/// The drives that the plan moves things to, with what they have free.
void PlanModel::refreshDestinations()
{
    auto* open = places_.edit();
    const auto request = ++destinationsRequest_;
    if (!open)
        return;
    std::map<std::string, std::uint64_t> coming;
    for (const auto& item : open->plan.items())
        if (item.action == Action::Move)
            coming[item.destination] += item.disk;
    if (coming.empty()) {
        if (!open->destinations.empty()) {
            open->destinations.clear();
            emit destinationsChanged();
        }
        return;
    }
    runAsync(
        this,
        [coming] {
            std::vector<std::pair<std::string, Destination>> byMount;
            for (const auto& [folder, bytes] : coming) {
                const auto asked = askWithin(std::chrono::seconds(5), [folder = folder]() -> Result<Drive> {
                    const auto mount = mountPointOf(folder);
                    return mount ? readDrive(*mount) : Result<Drive>(mount.error());
                });
                const auto mount = asked && *asked ? (*asked)->mountPoint : folder;
                auto known = std::find_if(byMount.begin(), byMount.end(),
                                          [&](const auto& entry) { return entry.first == mount; });
                if (known == byMount.end()) {
                    Destination destination{folder, asked && *asked ? (*asked)->name : folder, {}, 0};
                    if (asked && *asked)
                        destination.capacity = (*asked)->capacity;
                    byMount.emplace_back(mount, destination);
                    known = std::prev(byMount.end());
                }
                known->second.coming += bytes;
            }
            std::vector<Destination> destinations;
            for (auto& [mount, destination] : byMount)
                destinations.push_back(std::move(destination));
            return destinations;
        },
        [this, id = open->id, request](const std::vector<Destination>& destinations) {
            auto* now = places_.edit(id);
            if (!now || request != destinationsRequest_)
                return;
            now->destinations = destinations;
            emit destinationsChanged();
        });
}

} // namespace kurvo::app
