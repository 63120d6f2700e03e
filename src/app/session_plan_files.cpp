// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that keeps plans: by themselves for each place, and as files to be handed over.
#include <unistd.h>

#include <algorithm>
#include <map>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/base/patience.h"
#include "core/plan/plan_file.h"

namespace kurvo::app {
namespace {

/// A snapshot's plan is not that of the place itself.
std::string planKey(const Place& place)
{
    return place.info.place + (place.fromSnapshot ? '\n' + place.snapshotFile : std::string());
}

Result<PlanFile> readKeptPlan(const std::string& file)
{
    auto plan = readPlanFile(file);
    // It would be written over by the next one.
    if (!plan && plan.error().kind != ErrorKind::NotFound)
        (void)::rename(file.c_str(), (file + ".damaged").c_str());
    return plan;
}

} // namespace

/// Only a plan that is another than the kept one is written, and none before the kept one was looked for: it would be
/// written over.
void Session::keepPlans()
{
    if (const auto* open = place())
        keepPlan(*open);
}

void Session::keepPlan(const Place& open)
{
    if (!open.planRecalled || open.planOnDisk == open.plan)
        return;
    if (std::find(plansToKeep_.begin(), plansToKeep_.end(), open.id) == plansToKeep_.end())
        plansToKeep_.push_back(open.id);
    planKeeper_.start();
}

/// The plan of each place that changed is written; an empty one is no file.
void Session::flushPlans()
{
    // What was planned before the kept plan was found is not lost when the window closes meanwhile: then that is read
    // here.
    for (const auto& open : places_)
        if (!open->planRecalled && !open->plan.empty() && !open->isGrowing())
            takeRecalled(*open, readKeptPlan(keptPlanPath(*open)));
    planKeeper_.stop();
    for (const auto id : std::exchange(plansToKeep_, {})) {
        auto* open = stillOpen(id);
        if (!open || open->planOnDisk == open->plan)
            continue;
        open->planOnDisk = open->plan;
        const auto file = keptPlanPath(*open);
        runAsync(
            plansPool_, this,
            [file, empty = open->plan.empty(), make = planFile(*open)]() -> Result<Done> {
                if (empty)
                    return ::unlink(file.c_str()) == 0 || errno == ENOENT
                               ? Result<Done>(Done{})
                               : Result<Done>(systemError("remove", file, errno));
                if (auto made = makeFolders(std::string(parentPath(file))); !made)
                    return made;
                return writePlanFile(file, make());
            },
            [this, id](const Result<Done>& written) {
                if (written)
                    return;
                if (auto* now = stillOpen(id))
                    now->planOnDisk.reset(); // and the next change tries again
                say(tr("The plan is here, but is not kept: %1").arg(QString::fromStdString(written.error().sentence)),
                    Severity::Warning);
            });
    }
}

std::string Session::keptPlanPath(const Place& open) const
{
    return planPathFor(joinPath(folders_.data, "plans"), open.info.host, planKey(open));
}

/// What was planned for the place when it was open last.
void Session::recallPlan(Place& target)
{
    const auto file = keptPlanPath(target);
    runAsync(
        plansPool_, this, [file] { return std::make_shared<Result<PlanFile>>(readKeptPlan(file)); },
        [this, id = target.id](const std::shared_ptr<Result<PlanFile>>& kept) {
            auto* open = stillOpen(id);
            if (open && !open->isGrowing() && !open->planRecalled) // a growing place asks once more at its end
                takeRecalled(*open, *kept);
        });
}

void Session::takeRecalled(Place& open, const Result<PlanFile>& kept)
{
    open.planRecalled = true;
    if (!kept) {
        open.planOnDisk = Plan();
        keepPlan(open); // what was planned until now
        if (kept.error().kind != ErrorKind::NotFound)
            say(tr("The plan that was kept for this place cannot be used: %1 It was put aside.")
                    .arg(QString::fromStdString(kept.error().sentence)),
                Severity::Warning);
        return;
    }
    const bool begun = !open.plan.empty(); // something was planned before this answer came
    const auto lost = restorePlan(*kept, *open.tree, open.guard, open.plan);
    if (lost == 0 && !begun)
        open.planOnDisk = open.plan;
    if (&open == place())
        emit planChanged();
    keepPlan(open);
    if (!open.plan.empty())
        say(tr("The plan for this place is as you left it: %1, %2.")
                .arg(itemsText(open.plan.items().size(), "item"), sizeText(open.plan.plannedBytes())));
    if (lost > 0 && !begun)
        say(tr("%1 of the plan that was kept changed and came off it. Look at what is there now.")
                .arg(itemsText(lost, "item")),
            Severity::Warning);
}

void Session::savePlan(const std::string& file)
{
    const auto* open = place();
    if (!open)
        return;
    runAsync(
        this, [file, make = planFile(*open)] { return writePlanFile(file, make()); },
        [this, file](const Result<Done>& written) {
            if (written)
                say(tr("The plan is in %1. kurvoctl plan check and apply take it.").arg(toText(file)));
            else
                say(QString::fromStdString(written.error().sentence), Severity::Problem);
        });
}

void Session::openPlan(const std::string& file)
{
    auto* open = place();
    if (!open || !mayPlan())
        return;
    runAsync(
        this, [file] { return std::make_shared<Result<PlanFile>>(readPlanFile(file)); },
        [this, id = open->id](const std::shared_ptr<Result<PlanFile>>& read) {
            auto* now = stillOpen(id);
            if (!now || now != place() || !mayPlan())
                return;
            if (!*read)
                return say(QString::fromStdString(read->error().sentence), Severity::Problem);
            if ((*read)->host != now->info.host)
                return say(tr("This plan was made on %1 and this place lies on %2.")
                               .arg(toText((*read)->host), toText(now->info.host)),
                           Severity::Warning);
            auto changed = now->plan;
            const auto lost = restorePlan(**read, *now->tree, now->guard, changed);
            if (lost < (*read)->items.size())
                changePlan(std::move(changed));
            if (lost > 0)
                say(tr("%1 of that plan could not be taken: not in this place, changed since, protected, or planned "
                       "already.")
                        .arg(itemsText(lost, "item")),
                    Severity::Warning);
            else
                say(tr("%1 taken from that plan.").arg(itemsText((*read)->items.size(), "item")));
        });
}

/// The drives that the plan moves things to, with what they have free.
void Session::refreshDestinations()
{
    const auto* open = place();
    const auto request = ++destinationsRequest_;
    if (!open)
        return;
    std::map<std::string, std::uint64_t> coming;
    for (const auto& item : open->plan.items())
        if (item.action == Action::Move)
            coming[item.destination] += item.disk;
    if (coming.empty()) {
        if (!open->destinations.empty()) {
            place()->destinations.clear();
            emit capacityChanged();
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
            auto* now = stillOpen(id);
            if (!now || request != destinationsRequest_)
                return;
            now->destinations = destinations;
            emit capacityChanged();
        });
}

} // namespace kurvo::app
