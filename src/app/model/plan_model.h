// SPDX-License-Identifier: GPL-3.0-or-later
// The plan of the current place: what is put on it and taken off, what a check said, the way back, and what the drives
// it moves things to have free. Each change can be undone, however many items it was.
//
// Interface thread only. No change costs more than one pass over the plan; many nodes are planned on a pool thread.
#pragma once

#include <QString>

#include <functional>
#include <string>
#include <vector>

#include "app/model/tree_updater.h"
#include "core/act/plan_run.h"
#include "core/plan/plan_file.h"

namespace kurvo::app {

class PlanModel : public QObject {
    Q_OBJECT
public:
    PlanModel(PlaceStore& places, TreeUpdater& trees, Notices& notices, QObject* parent = nullptr);

    /// Puts the node on the plan, or changes what shall happen to it; says why not where it cannot be, and asks where
    /// the guard can be lifted.
    void planItem(NodeId node, const Intent& intent = {}, Guard guard = Guard::Up);
    void planTrash(NodeId node, Guard guard = Guard::Up) { planItem(node, {}, guard); }
    /// Many at once, as one change; what is protected is left out and told. `then` is told how many were planned.
    void planAll(const std::vector<NodeId>& nodes, const Intent& intent = {},
                 std::function<void(std::size_t)> then = {}, const Twins& twins = {});
    /// Items that no node stands for, as one change: all or none.
    bool addOutside(std::uint64_t id, const std::vector<PlannedItem>& items);
    /// As one change.
    void unplan(const std::vector<NodeId>& nodes);
    void unplan(const std::string& path);
    void unplan(const std::vector<std::string>& paths);
    void clearPlan();
    void undoPlanChange();
    void redoPlanChange();
    bool canUndoPlanChange() const { return places_.place() && !places_.place()->planBefore.empty() && !isLocked(); }
    bool canRedoPlanChange() const { return places_.place() && !places_.place()->planAfter.empty() && !isLocked(); }
    /// Says why nothing can be put on the plan now.
    bool mayPlan();
    /// One change of the current place's plan, which can be undone. `off`: what is not on it any more.
    void change(Plan changed, const PlanState& off);
    /// What was kept of the plan of a place, instead of what it has; no change that could be undone.
    void restore(std::uint64_t id, Plan plan);

    /// What a check said of all items, or of some; `at`: UTC seconds.
    void setFindings(std::uint64_t id, Findings findings, std::int64_t at);
    /// What was done comes off the plan, and what was held back says why. There is no way back from a run by this.
    void settle(std::uint64_t id, const RunRecord& record, const std::vector<ItemFinding>& findings);

    /// Makes the file of a plan as it is now. To be called on another thread: what folders hold is summed up.
    static std::function<PlanFile()> planFile(const Place& place) { return planFile(place, place.plan.state()); }
    /// The same of some of its items.
    static std::function<PlanFile()> planFile(const Place& place, KeptState items);

signals:
    void planChanged();                                                        ///< the plan, its findings or its runs
    void guardAsked(NodeId node, const Intent& intent, const QString& reason); ///< protected, but it can be lifted
    void destinationsChanged();

private:
    bool isLocked() const { return places_.isLocked(); }
    QString partRefusal(NodeId node) const;
    static void forget(Place& place, const PlanState& off);
    static bool cameOn(Place& place, const std::string& path);
    void told(Place& place);
    static void remember(Place& place, KeptState state);
    void stepTo(std::vector<KeptState>& from, std::vector<KeptState>& to);
    void refreshDestinations();

    PlaceStore& places_;
    TreeUpdater& trees_;
    Notices& notices_;
    unsigned destinationsRequest_ = 0;
};

} // namespace kurvo::app
