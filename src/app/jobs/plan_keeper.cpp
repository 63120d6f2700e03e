// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/plan_keeper.h"

#include <unistd.h>

#include <cstdio>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/platform/atomic_file.h"

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

/// The same items, not only such as are equal.
bool isSame(const KeptState& kept, const Plan& plan)
{
    const auto now = plan.state();
    return kept && (kept == now || *kept == *now);
}

} // namespace

PlanKeeper::PlanKeeper(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, PlanModel& plan,
                       Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), plan_(plan), notices_(notices)
{
    soon_.setSingleShot(true);
    soon_.setInterval(300);
    pool_.setMaxThreadCount(1);
    connect(&soon_, &QTimer::timeout, this, &PlanKeeper::flushPlans);
    connect(&plan_, &PlanModel::planChanged, this, [this] {
        if (const auto* place = places_.place())
            keep(place->id);
    });
    connect(&places_, &PlaceStore::opened, this, &PlanKeeper::recall);
    // A place that grows has no plan; what was kept is looked for at its end.
    connect(&trees, &TreeUpdater::finished, this, &PlanKeeper::recall);
    connect(&places_, &PlaceStore::aboutToClose, this, [this](std::uint64_t id) {
        flushPlans(); // while it is still known
        kept_.erase(id);
    });
}

PlanKeeper::~PlanKeeper()
{
    flushPlans();
    pool_.waitForDone();
}

/// Only a plan that is another than the kept one is written, and none before the kept one was looked for: it would be
/// written over.
void PlanKeeper::keep(std::uint64_t id)
{
    const auto* open = places_.placeOf(id);
    if (!open || !isRecalled(id) || isSame(kept_[id].onDisk, open->plan))
        return;
    toKeep_.insert(id);
    soon_.start();
}

/// The plan of each place that changed is written; an empty one is no file.
void PlanKeeper::flushPlans()
{
    // What was planned before the kept plan was found is not lost when the window closes meanwhile: then that is read
    // here.
    for (const auto& open : places_.places())
        if (!isRecalled(open->id) && !open->plan.empty() && !open->isGrowing()) {
            const auto file = readKeptPlan(keptPath(*open));
            auto plan = open->plan;
            const auto lost = file ? restorePlan(*file, *open->tree, open->guard, plan) : 0;
            putRecalled(open->id, std::move(plan), lost, true);
        }
    soon_.stop();
    for (const auto id : std::exchange(toKeep_, {})) {
        const auto* open = places_.placeOf(id);
        auto& kept = kept_[id];
        if (!open || isSame(kept.onDisk, open->plan))
            continue;
        kept.onDisk = open->plan.state();
        const auto file = keptPath(*open);
        const auto notKept = [this, id](const QString& problem) {
            if (kept_.contains(id))
                kept_[id].onDisk.reset(); // and the next change tries again
            notices_.say(tr("The plan is shown, but could not be saved: %1").arg(problem), Severity::Warning);
        };
        runAsync(
            pool_, this,
            [file, empty = open->plan.empty(), make = PlanModel::planFile(*open)]() -> Result<Done> {
                if (empty)
                    return ::unlink(file.c_str()) == 0 || errno == ENOENT
                               ? Result<Done>(Done{})
                               : Result<Done>(systemError("remove", file, errno));
                if (auto made = makeFolders(std::string(parentPath(file))); !made)
                    return made;
                return writePlanFile(file, make());
            },
            [notKept](const Result<Done>& written) {
                if (!written)
                    notKept(QString::fromStdString(written.error().sentence));
            },
            notKept);
    }
}

std::string PlanKeeper::keptPath(const Place& open) const
{
    return planPathFor(joinPath(folders_.data, "plans"), open.info.host, planKey(open));
}

/// What was planned for the place when it was open last. It is read, and found in the tree, off this thread.
void PlanKeeper::recall(std::uint64_t id)
{
    const auto* target = places_.placeOf(id);
    if (!target || target->isGrowing() || kept_.contains(id))
        return;
    kept_[id]; // it is being looked for
    struct Recalled {
        Result<PlanFile> file;
        Plan plan;
        std::size_t lost = 0;
    };
    runAsync(
        pool_, this,
        [path = keptPath(*target), tree = target->tree, guard = target->guard, packages = target->packages] {
            Recalled recalled{readKeptPlan(path), {}, 0};
            if (recalled.file)
                recalled.lost = restorePlan(*recalled.file, *tree, guard, recalled.plan);
            return recalled;
        },
        [this, id, tree = target->tree](Recalled recalled) {
            const auto* open = places_.placeOf(id);
            if (!open || isRecalled(id))
                return;
            if (!recalled.file)
                return takeRecalled(id, recalled.file);
            // What was planned before this answer came stays, and a tree that changed is asked itself.
            if (open->plan.empty() && open->tree == tree)
                return putRecalled(id, std::move(recalled.plan), recalled.lost, false);
            takeRecalled(id, recalled.file);
        },
        [this, id](const QString& problem) {
            kept_.erase(id);
            notices_.say(problem, Severity::Warning);
        });
}

void PlanKeeper::takeRecalled(std::uint64_t id, const Result<PlanFile>& file)
{
    const auto* open = places_.placeOf(id);
    if (file) {
        auto plan = open->plan;
        const bool begun = !plan.empty();
        const auto lost = restorePlan(*file, *open->tree, open->guard, plan);
        return putRecalled(id, std::move(plan), lost, begun);
    }
    kept_[id] = {true, std::make_shared<const PlanState>()};
    keep(id); // what was planned until now
    if (file.error().kind != ErrorKind::NotFound)
        notices_.say(tr("The saved plan for this place cannot be used: %1 It was set aside.")
                         .arg(QString::fromStdString(file.error().sentence)),
                     Severity::Warning);
}

/// `begun`: something was planned before the kept plan was found.
void PlanKeeper::putRecalled(std::uint64_t id, Plan plan, std::size_t lost, bool begun)
{
    const auto* open = places_.placeOf(id);
    const bool isAsKept = lost == 0 && !begun;
    kept_[id] = {true, isAsKept ? plan.state() : nullptr};
    plan_.restore(id, std::move(plan));
    keep(id);
    if (!open->plan.empty())
        notices_.say(tr("The plan for this place is as you left it: %1, %2.")
                         .arg(itemsText(open->plan.items().size(), "item"), sizeText(open->plan.plannedBytes())));
    if (lost > 0 && !begun)
        notices_.say(tr("%n item(s) of the saved plan changed and came off it. Look at what is there now.", nullptr,
                        static_cast<int>(lost)),
                     Severity::Warning);
}

void PlanKeeper::savePlan(const std::string& file)
{
    const auto* open = places_.place();
    if (!open)
        return;
    runAsync(
        this, [file, make = PlanModel::planFile(*open)] { return writePlanFile(file, make()); },
        [this, file](const Result<Done>& written) {
            if (written)
                notices_.say(tr("The plan is in %1. kurvoctl plan check and plan apply accept it.").arg(toText(file)));
            else
                notices_.say(QString::fromStdString(written.error().sentence), Severity::Problem);
        });
}

void PlanKeeper::openPlan(const std::string& file)
{
    const auto* open = places_.place();
    if (!open || !plan_.mayPlan())
        return;
    struct Opened {
        Result<PlanFile> file;
        Plan plan;
        std::size_t lost = 0;
    };
    runAsync(
        this,
        [file, state = open->plan.state(), tree = open->tree, guard = open->guard, packages = open->packages,
         host = open->info.host] {
            Opened opened{readPlanFile(file), {}, 0};
            opened.plan.restore(state);
            if (opened.file && opened.file->host == host)
                opened.lost = restorePlan(*opened.file, *tree, guard, opened.plan);
            return opened;
        },
        [this, file, id = open->id, tree = open->tree, version = open->planVersion](Opened opened) {
            const auto* now = places_.placeOf(id);
            if (!now || !places_.isCurrent(id) || !plan_.mayPlan())
                return;
            if (!opened.file)
                return notices_.say(QString::fromStdString(opened.file.error().sentence), Severity::Problem);
            if (opened.file->host != now->info.host)
                return notices_.say(tr("This plan was made on %1, but this place is on %2.")
                                        .arg(toText(opened.file->host), toText(now->info.host)),
                                    Severity::Warning);
            if (now->tree != tree || now->planVersion != version)
                return openPlan(file); // it was found in what is not there any more
            const auto lost = opened.lost;
            const auto all = opened.file->items.size();
            if (lost < all)
                plan_.change(std::move(opened.plan), *now->plan.state()); // and is checked anew
            if (lost > 0)
                notices_.say(
                    tr("%n item(s) of that plan could not be added: not in this place, changed since, protected, or "
                       "already planned.",
                       nullptr, static_cast<int>(lost)),
                    Severity::Warning);
            else
                notices_.say(tr("%n item(s) added from that plan.", nullptr, static_cast<int>(all)));
        });
}

} // namespace kurvo::app
