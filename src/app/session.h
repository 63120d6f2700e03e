// SPDX-License-Identifier: GPL-3.0-or-later
// The state that all views share: the open places, the current one's tree, focus, selection and plan, and the jobs that
// run. Views change it through its functions and learn of changes by its signals; they never reach into each other.
//
// Interface thread only. What can take long runs on pool threads and comes back here as a finished result.
#pragma once

#include <QObject>
#include <QString>

#include <deque>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "app/app_folders.h"
#include "app/place.h"
#include "core/plan/carry_out.h"
#include "core/scan/scanner.h"

namespace kurvo::app {

enum class Severity { Info, Warning, Problem };

/// A scan that waits or runs.
struct ScanJob {
    std::string path;
    QString name; ///< for people
    ScanOptions options;
    std::shared_ptr<ScanProgress> progress = std::make_shared<ScanProgress>();
    std::uint64_t expectedBytes = 0; ///< used space of the drive when a whole drive is scanned, else 0
    std::int64_t startedMs = 0;
    std::stop_source stop;
};

/// A plan that is being checked, carried out or taken back.
struct PlanJob {
    enum class Kind { Check, CarryOut, TakeBack, EmptyTrash };
    Kind kind = Kind::Check;
    StepProgress progress; ///< as last reported
    std::stop_source stop;
};

class Session : public QObject {
    Q_OBJECT
public:
    explicit Session(AppFolders folders, QObject* parent = nullptr);
    ~Session() override;

    const AppFolders& folders() const { return folders_; }

    // Places
    Place* place() { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    const Place* place() const { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    const std::vector<std::unique_ptr<Place>>& places() const { return places_; }
    void showPlace(std::size_t index);
    void closePlace(std::size_t index);
    /// Puts scans into the queue; the first starts at once.
    void scanFolder(const std::string& path, const QString& name = {}, const ScanOptions& options = {});
    const ScanJob* runningScan() const { return scans_.empty() ? nullptr : scans_.front().get(); }
    std::size_t waitingScans() const { return scans_.empty() ? 0 : scans_.size() - 1; }
    /// Ends the running scan; what was found is kept as a partial snapshot.
    void stopScan();
    void openSnapshot(const std::string& path);

    // Where one is
    void setFocus(NodeId folder);
    void goUp();
    void goBack();
    void goForward();
    bool canGoBack() const { return place() && !place()->back.empty(); }
    bool canGoForward() const { return place() && !place()->forward.empty(); }
    void followTheWeight();
    void select(NodeId node);
    /// Selects the node and, where it does not lie below the focus, moves the focus to its folder.
    void reveal(NodeId node);
    void setHover(NodeId node);
    NodeId hover() const { return hover_; }
    Measure measure() const { return measure_; }
    void setMeasure(Measure measure);

    // The plan
    /// Puts the node on the plan; says why not where it cannot be.
    void planTrash(NodeId node);
    void unplan(NodeId node);
    void clearPlan();
    void undoPlanChange();
    bool canUndoPlanChange() const { return place() && !place()->planBefore.empty() && !planJob_; }
    const PlanJob* planJob() const { return planJob_.get(); }
    void checkPlan();
    void carryOutPlan();
    void takeBack(std::size_t run);
    void stopPlanJob();

    /// Everything in the trash folders of the current place's drive. Answers later through `answer`.
    void listTrash(const std::function<void(std::vector<TrashedItem>, std::uint64_t bytes)>& answer);
    /// Removes items from the trash for good. The dialog has asked before.
    void emptyTrash(std::vector<TrashedItem> items);

    /// Reads the capacity of the current place's drive again.
    void refreshCapacity();
    void say(const QString& sentence, Severity severity = Severity::Info) { emit message(sentence, severity); }

signals:
    void placeChanged(); ///< another place, or none
    void treeChanged();  ///< the current place's tree, by carrying out or undoing
    void focusChanged();
    void selectionChanged();
    void hoverChanged();
    void measureChanged();
    void planChanged(); ///< the plan, its findings or its runs
    void capacityChanged();
    void scansChanged();   ///< started, queued, ended
    void planJobChanged(); ///< started, progress, ended
    void snapshotSaved();
    void message(const QString& sentence, Severity severity);

private:
    void startNextScan();
    void finishScan(std::shared_ptr<Result<ScanResult>> result, Place facts);
    void addPlace(std::unique_ptr<Place> place);
    void makeCurrent(std::size_t index);
    std::size_t carryOver(const Place& from, Place& to) const;
    std::string ownData() const;
    void saveSnapshot(Place* place);
    void rememberPlan();
    void moveFocus(NodeId folder);
    void deriveTree(Place* place, std::vector<NodeId> removed);
    void finishRun(Place* place, const std::vector<StepResult>& results);
    Place* stillOpen(std::uint64_t id);
    std::shared_ptr<PlanJob> beginJob(PlanJob::Kind kind);
    std::function<void(const StepProgress&)> reporter(const std::shared_ptr<PlanJob>& job);
    void endJob();
    void refuseWhileBusy();

    AppFolders folders_;
    std::vector<std::unique_ptr<Place>> places_;
    std::size_t current_ = 0;
    std::deque<std::shared_ptr<ScanJob>> scans_;
    std::shared_ptr<PlanJob> planJob_;
    std::uint64_t lastPlaceId_ = 0;
    NodeId hover_ = noNode;
    Measure measure_ = Measure::Disk;
};

} // namespace kurvo::app
