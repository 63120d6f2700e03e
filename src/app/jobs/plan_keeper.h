// SPDX-License-Identifier: GPL-3.0-or-later
// Keeps the plan of each place from start to start, in a file of its own a little after each change; and plans as files
// to be handed over.
//
// Interface thread only.
#pragma once

#include <QThreadPool>
#include <QTimer>

#include <map>
#include <optional>
#include <set>
#include <string>

#include "app/model/plan_model.h"

namespace kurvo::app {

class PlanKeeper : public QObject {
    Q_OBJECT
public:
    PlanKeeper(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, PlanModel& plan, Notices& notices,
               QObject* parent = nullptr);
    /// Writes what is not written yet.
    ~PlanKeeper() override;

    void savePlan(const std::string& file);
    /// Adds what the file plans to the current plan, as one change.
    void openPlan(const std::string& file);
    /// Writes what is not written yet of the plans that are kept.
    void flushPlans();
    /// What was planned when the place was open last was looked for.
    bool isRecalled(std::uint64_t id) const { return kept_.contains(id) && kept_.at(id).recalled; }

private:
    /// What is known of the file of a place.
    struct Kept {
        bool recalled = false;
        KeptState onDisk; ///< null where that is not known
    };
    void keep(std::uint64_t id);
    std::string keptPath(const Place& place) const;
    void recall(std::uint64_t id);
    void takeRecalled(std::uint64_t id, const Result<PlanFile>& file);
    void putRecalled(std::uint64_t id, Plan plan, std::size_t lost, bool begun);

    const AppFolders& folders_;
    PlaceStore& places_;
    PlanModel& plan_;
    Notices& notices_;
    std::map<std::uint64_t, Kept> kept_;
    std::set<std::uint64_t> toKeep_; ///< places whose plan is not written yet
    QTimer soon_;                    ///< a little after a change of a plan it is written
    QThreadPool pool_;               ///< writes plans in their order
};

} // namespace kurvo::app
