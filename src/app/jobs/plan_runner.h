// SPDX-License-Identifier: GPL-3.0-or-later
// Works on the plan: checks it, carries it out, undoes what was done, and recovers what an interruption left. One of
// these at a time, for all places; while it lasts, plans are locked.
//
// Interface thread only.
#pragma once

#include <functional>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "app/jobs/logbook_model.h"
#include "app/jobs/rights_reader.h"
#include "app/jobs/scan_jobs.h"
#include "app/model/plan_model.h"
#include "core/act/act_helper.h"
#include "core/act/plan_run.h"

namespace kurvo::app {

/// A plan that is being checked, carried out or taken back.
struct PlanJob {
    enum class Kind { Check, CarryOut, TakeBack, Recover };
    Kind kind = Kind::Check;
    bool withRights = false;
    RunProgress progress; ///< as last reported
    PauseGate pause;
    std::int64_t startedMs = 0;
    std::int64_t pausedMs = 0;      ///< spent in pauses that have ended
    std::int64_t pausedSinceMs = 0; ///< 0 when it runs
    std::stop_source stop;
};

/// Everything in the trash folders of a place's drive, and its bytes on disk. Answers later, as long as `context` is
/// there.
void listTrash(QObject* context, const std::string& place, const UserFolders& user,
               const std::function<void(std::vector<TrashedItem>, std::uint64_t bytes)>& answer);

class PlanRunner : public QObject {
    Q_OBJECT
public:
    PlanRunner(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, PlanModel& plan,
               LogbookModel& logbook, ScanJobs& scans, RightsReader& rights, Notices& notices,
               QObject* parent = nullptr);
    /// Asks all to end, and says nothing of it: nobody listens any more.
    void stop();

    const PlanJob* planJob() const { return job_.get(); }
    void stopPlanJob();
    void pausePlanJob(bool paused);

    enum class Check {
        All,
        New ///< what no check has looked at; moves share the room on their drive, so with a new one it is all
    };
    void checkPlan(Check which = Check::All);
    /// `forGood`: how many items the user has confirmed to be gone for good; another number than the plan's is refused.
    void carryOutPlan(std::size_t forGood = 0);
    /// Puts together what the helper is asked to do with the items that need rights, so that just that can be shown;
    /// then `ready` is called. False where there is nothing to ask for.
    bool prepareRights(const std::function<void(const ActRequest&)>& ready);
    /// `request` as it was shown.
    void carryOutWithRights(ActRequest request);
    /// The window has the attention again: what a terminal was asked to do may be done.
    void lookAtTerminal();

    /// Plans the removal of what lies in trash folders, or the emptying of whole ones. Reads them first; `then` is
    /// called when they are planned.
    void planRemoval(const std::vector<TrashedItem>& items, std::function<void()> then = {});
    void planEmptying(const std::vector<TrashFolder>& folders, std::function<void()> then = {});

    /// Ends what an interruption left under way; what comes of it is told by recovered().
    void recover(bool withRights = false);
    /// Undoes a whole run, or steps of it.
    void takeBack(std::int64_t run, const std::vector<std::int64_t>& only = {}, bool withRights = false);
    /// The run that could not be undone whole for want of rights, as last tried; 0 where there is none.
    std::int64_t undoNeedsRights() const { return undoNeedsRights_; }
    /// Puts items of the trash back, whoever put them there.
    void restoreTrashed(std::vector<TrashedItem> items);

signals:
    void planJobChanged();                                      ///< started, progress, ended
    void runEnded(std::int64_t run);                            ///< a plan was carried out, as far as it could be
    void recovered(const QStringList& sentences, bool waiting); ///< `waiting`: something could not be ended yet

private:
    std::shared_ptr<PlanJob> beginJob(PlanJob::Kind kind);
    std::function<void(const RunProgress&)> reporter(const std::shared_ptr<PlanJob>& job);
    void endJob();
    /// What ends a job that could not be done.
    std::function<void(const QString&)> failing();
    std::vector<std::string> actCommand() const;
    void addOutside(std::function<Result<std::vector<PlannedItem>>(std::stop_token)> read, std::function<void()> then);
    void finishRun(std::uint64_t id, const RunRecord& record, const std::vector<ItemFinding>& findings);
    void finishTakingBack(const std::vector<UndoneStep>& undone);

    const AppFolders& folders_;
    PlaceStore& places_;
    TreeUpdater& trees_;
    PlanModel& plan_;
    LogbookModel& logbook_;
    ScanJobs& scans_;
    RightsReader& rights_;
    Notices& notices_;
    std::shared_ptr<PlanJob> job_;
    std::int64_t undoNeedsRights_ = 0;
    bool awaitsTerminal_ = false; ///< a command was shown that carries something out
};

} // namespace kurvo::app
