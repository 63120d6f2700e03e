// SPDX-License-Identifier: GPL-3.0-or-later
// The state that all views share: the open places, the current one's tree, focus, selection and plan, and the jobs that
// run. Views change it through its functions and learn of changes by its signals; they never reach into each other.
//
// Interface thread only. What can take long runs on pool threads and comes back here as a finished result.
#pragma once

#include <QElapsedTimer>
#include <QObject>
#include <QString>
#include <QStringList>
#include <QThreadPool>
#include <QTimer>

#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <vector>

#include "app/app_folders.h"
#include "app/knowledge.h"
#include "app/place.h"
#include "core/act/act_helper.h"
#include "core/act/plan_run.h"
#include "core/advice/evidence.h"
#include "core/advice/guard.h"
#include "core/helper/helper.h"
#include "core/ledger/ledger.h"
#include "core/report/run_report.h"
#include "core/scan/scanner.h"
#include "core/tree/growing_tree.h"

namespace kurvo::app {

enum class Severity { Info, Warning, Problem };

/// A scan that runs: of a place, or of one folder again.
struct ScanJob {
    std::string path;
    QString name; ///< for people
    ScanOptions options;
    bool withRights = false; ///< go on with administrator rights where it must
    std::shared_ptr<ScanProgress> progress = std::make_shared<ScanProgress>();
    SnapshotInfo about;                ///< of the place, once known
    std::uint64_t expectedBytes = 0;   ///< used space of the drive when a whole drive is scanned, else 0
    std::uint64_t expectedEntries = 0; ///< the same by inodes, where the filesystem counts them
    std::int64_t startedMs = 0;
    std::int64_t pausedMs = 0;      ///< spent in pauses that have ended
    std::int64_t pausedSinceMs = 0; ///< 0 when it runs
    std::stop_source stop;
    std::uint64_t placeId = 0; ///< the place that grows with it; 0 as long as there is none
    std::shared_ptr<GrowingTree> growing;
    std::shared_ptr<GrowingFamilies> families;
    bool looking = false;          ///< a look at what grows is being taken
    std::uint64_t seenEntries = 0; ///< at the last look
    bool rescan = false;           ///< one folder of the place `placeId`, read again
    bool quiet = false;            ///< after something was carried out: nothing to be said of it

    /// Milliseconds it has been at work.
    std::int64_t elapsedMs(std::int64_t nowMs) const
    {
        return (pausedSinceMs != 0 ? pausedSinceMs : nowMs) - startedMs - pausedMs;
    }
};

/// Reading with administrator rights.
struct RightsJob {
    std::uint64_t placeId = 0;
    HelperRequest request;
    HelperProgress progress; ///< as last reported
    std::stop_source stop;
};

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

/// Has the helper with rights do it, and puts what it tells of its log into the user's. Blocks.
Result<Done> actWithRights(Logbook& logbook, const std::vector<std::string>& command, const ActRequest& request,
                           std::stop_token stop, const PauseGate* pause,
                           const std::function<void(const RunProgress&)>& onProgress);

class Session : public QObject {
    Q_OBJECT
public:
    explicit Session(AppFolders folders, QObject* parent = nullptr);
    ~Session() override;

    const AppFolders& folders() const { return folders_; }

    Knowledge& knowledge() { return knowledge_; }
    const Knowledge& knowledge() const { return knowledge_; }

    // Places
    Place* place() { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    const Place* place() const { return current_ < places_.size() ? places_[current_].get() : nullptr; }
    const std::vector<std::unique_ptr<Place>>& places() const { return places_; }
    void showPlace(std::size_t index);
    void closePlace(std::size_t index);
    void bringUp(const Place& place);
    void openSnapshot(const std::string& path);

    // Scans (session_scan.cpp)
    /// Starts a scan beside those that run. Its place is there at once and grows.
    void scanFolder(const std::string& path, const QString& name = {}, const ScanOptions& options = {},
                    bool withRights = false);
    const std::vector<std::shared_ptr<ScanJob>>& scans() const { return scans_; }
    const ScanJob* runningScan() const { return scans_.empty() ? nullptr : scans_.front().get(); }
    const ScanJob* scanOf(const Place& place) const;
    /// Ends a scan; what was found is kept as a partial snapshot.
    void stopScan(const ScanJob* job);
    void stopScans();
    void pauseScan(const ScanJob* job, bool paused);
    /// Reads one folder of the current place again and puts what is there now into the tree.
    void rescan(NodeId folder);
    /// The same for the folders something happened in.
    void rescanChanged();
    /// Something happened in this folder.
    void noteChanged(const std::string& folder);

    // What was not seen (session_rights.cpp)
    /// Reads what could not be read in the current place with administrator rights.
    void readWithRights();
    const RightsJob* rightsJob() const { return rightsJob_.get(); }
    void stopReadingWithRights();
    /// Program and arguments that give the helper its rights; the helper's own command at the end.
    void setHelperCommand(std::vector<std::string> command) { helperCommand_ = std::move(command); }
    /// Writes the ledger of the current place off the interface thread.
    void writeLedger(const std::function<void(const Result<Ledger>&)>& answer);

    // Where one is
    void setFocus(NodeId folder);
    void goUp();
    void goBack();
    void goForward();
    bool canGoBack() const { return place() && !place()->back.empty(); }
    bool canGoForward() const { return place() && !place()->forward.empty(); }
    void followTheWeight();
    /// What a child must hold of its parent to be followed into, 0.5 to 0.99.
    double weightThreshold() const { return weightThreshold_; }
    void setWeightThreshold(double threshold);
    /// Goes to a path as typed: a folder becomes the focus, a file is selected. False when it is not in this place.
    bool goTo(const std::string& path);
    void select(NodeId node);
    /// Several: `node` is the one that facts are shown of.
    void selectAll(NodeId node, std::vector<NodeId> others);
    /// Adds the node to what is selected, or takes it out.
    void toggleSelected(NodeId node);
    /// Selects the node and, where it does not lie below the focus, moves the focus to its folder.
    void reveal(NodeId node);
    void setHover(NodeId node);
    NodeId hover() const { return hover_; }

    // How one looks at it (session_view.cpp)
    const ViewState& view() const { return place() ? place()->view : lastView_; }
    Measure measure() const { return view().measure; }
    void setMeasure(Measure measure);
    void setPicture(PictureKind picture);
    /// By growth the snapshot before is looked for and read first; says so where there is none.
    void setColour(ColourBy colour);
    void setDepth(int depth);
    void setAreas(bool shown);
    /// How new places are looked at, and one that was not kept.
    void setLastView(const ViewState& view) { lastView_ = view; }
    /// Recalls how a place was looked at last time; asked when one is opened.
    void setViewMemory(std::function<std::optional<ViewState>(const std::string& place)> memory)
    {
        viewMemory_ = std::move(memory);
    }
    /// Lights classes or a type up in all views; the same again puts it out.
    void light(const Lit& lit);
    /// Pictures and descent show only these entries of the current place (by id), with their sums; `words` says to
    /// people how they were asked for. Not while a scan runs.
    void narrow(std::shared_ptr<const std::vector<bool>> wanted, const QString& words);
    void showAll();
    /// Escape: puts out what is lit, and where nothing is shows all again.
    void putOut();

    // What is known of items (session_knowledge.cpp)
    /// Whether this is a scan of this machine, whose packages and programs can be asked.
    bool isThisMachine(const Place& place) const;
    /// Why an item of the current place is protected.
    std::optional<Protection> protectionOf(NodeId node) const;
    /// By the rules alone; evidence is asked for with gatherEvidence().
    Advice adviceFor(NodeId node) const;
    /// Marks items of the current place; an empty kind takes the mark away.
    void mark(const std::vector<NodeId>& nodes, const std::string& kind);
    /// Their notes; what has no mark yet is marked "ask".
    void note(const std::vector<NodeId>& nodes, const QString& text);

    // The plan (session_plan.cpp; checked and carried out in session_run.cpp)
    /// Puts the node on the plan, or changes what shall happen to it; says why not where it cannot be, and asks where
    /// the guard can be lifted.
    void planItem(NodeId node, const Intent& intent = {}, Guard guard = Guard::Up);
    void planTrash(NodeId node, Guard guard = Guard::Up) { planItem(node, {}, guard); }
    /// Many at once, as one change; what is protected is left out and told. Returns how many were planned.
    std::size_t planAll(const std::vector<NodeId>& nodes, const Intent& intent = {});
    /// Plans the removal of what lies in trash folders, or the emptying of whole ones. Reads them first; `then` is
    /// called when they are on the plan.
    void planRemoval(const std::vector<TrashedItem>& items, std::function<void()> then = {});
    void planEmptying(const std::vector<TrashFolder>& folders, std::function<void()> then = {});
    void unplan(NodeId node);
    void unplan(const std::string& path);
    void clearPlan();
    void undoPlanChange();
    void redoPlanChange();
    bool canUndoPlanChange() const { return place() && !place()->planBefore.empty() && !planJob_; }
    bool canRedoPlanChange() const { return place() && !place()->planAfter.empty() && !planJob_; }
    const PlanJob* planJob() const { return planJob_.get(); }
    void checkPlan();
    /// `forGood`: how many items the user has confirmed to be gone for good; another number than the plan's is refused.
    void carryOutPlan(std::size_t forGood = 0);
    /// The items of the plan that need them, through the helper.
    std::vector<PlanItem> itemsThatNeedRights() const;
    /// Puts together what the helper is asked to do with them, so that just that can be shown; then `ready` is called.
    /// False where there is nothing to ask for.
    bool prepareRights(const std::function<void(const ActRequest&)>& ready);
    /// `request` as it was shown.
    void carryOutWithRights(ActRequest request);
    void stopPlanJob();
    void pausePlanJob(bool paused);
    /// Program and arguments that give the acting helper its rights.
    std::vector<std::string> actCommand() const;

    // Plans as files (session_plan_files.cpp)
    void savePlan(const std::string& file);
    /// Adds what the file plans to the current plan, as one change.
    void openPlan(const std::string& file);
    /// Writes what is not written yet of the plans that are kept, and waits for it.
    void flushPlans();

    // The logbook (session_logbook.cpp)
    std::string logbookFile() const { return joinPath(folders_.data, "logbook.db"); }
    /// Newest first.
    const std::vector<RunRecord>& history() const { return history_; }
    const RunRecord* recordOf(std::int64_t run) const;
    void readLogbook();
    /// The window has the attention again: what a terminal was asked to do may be done.
    void lookAtTerminal();
    /// Ends what a kill left under way; what comes of it is told by recovered().
    void recover(bool withRights = false);
    /// A whole run, or steps of it.
    void takeBack(std::int64_t run, const std::vector<std::int64_t>& only = {}, bool withRights = false);
    /// The run that could not be taken back whole for want of rights, as last tried; 0 where there is none.
    std::int64_t undoNeedsRights() const { return undoNeedsRights_; }
    /// Everything in the trash folders of the current place's drive. Answers later through `answer`.
    void listTrash(const std::function<void(std::vector<TrashedItem>, std::uint64_t bytes)>& answer);
    /// Puts items of the trash back, whoever put them there.
    void restoreTrashed(std::vector<TrashedItem> items);
    /// The report on a run, with what is known of its place; answers later.
    void writeReport(std::int64_t run, const std::function<void(const RunReport&)>& answer);

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
    void viewChanged();    ///< picture, depth, areas, or what is coloured by
    void coloursChanged(); ///< the classes of the entries are known anew
    void earlierFound();   ///< the snapshot before, to tell growth from
    void shownChanged();   ///< narrowed to what was found, or all is shown again
    void litChanged();     ///< and what is lit was added up
    void planChanged();    ///< the plan, its findings or its runs
    void marksChanged();   ///< of the current place, or their kinds
    void guardAsked(NodeId node, const Intent& intent, const QString& reason); ///< protected, but it can be lifted
    void capacityChanged();
    void scansChanged(); ///< started, paused, ended
    void scanEnded(std::uint64_t placeId, bool ok);
    void rightsChanged(); ///< reading with administrator rights: started, progress, ended
    void readingEnded();  ///< and what it found is put in
    /// Rights cannot be asked for here: this command in a terminal does it, and its file is waited for.
    void terminalNeeded(const QString& command);
    void planJobChanged();                                      ///< started, progress, ended
    void historyChanged();                                      ///< what the logbook holds
    void runEnded(std::int64_t run);                            ///< a plan was carried out, as far as it could be
    void recovered(const QStringList& sentences, bool waiting); ///< `waiting`: something could not be ended yet
    void snapshotSaved();
    /// So many earlier ones were removed with that, as the policy says.
    void snapshotsLetGo(std::size_t count);
    void message(const QString& sentence, Severity severity);

private:
    struct Carried;
    void startScan(const std::shared_ptr<ScanJob>& job);
    void growPlaces();
    void grow(const std::shared_ptr<ScanJob>& job, std::shared_ptr<const FileTree> tree,
              std::shared_ptr<const std::vector<Family>> dominant);
    void finishScan(const std::shared_ptr<ScanJob>& job, std::shared_ptr<Result<ScanResult>> result, Place facts);
    void sayWhatIsMissing(const Place& place, const ScanResult& found);
    void startRescan(Place& place, const std::vector<std::string>& folders, bool quiet = false);
    void putIn(std::uint64_t placeId, std::vector<HelperScan> fresh, Plan::IfChanged ifChanged,
               std::function<void()> done);
    void startReading(const Place& target);
    void readNext();
    void takeAnswer(const std::shared_ptr<RightsJob>& job, Result<std::vector<HelperScan>> answer);
    void offerTerminal(const std::shared_ptr<RightsJob>& job);
    void lookForAnswer();
    void addPlace(std::unique_ptr<Place> place);
    void makeCurrent(std::size_t index);
    std::size_t carryOver(const Place& from, Place& to) const;
    std::string ownData() const;
    void setGuard(Place& place) const;
    void refreshMarks();
    void changeMarks(const std::vector<NodeId>& nodes, const std::function<void(Mark&)>& change);
    bool mayPlan();
    void saveSnapshot(Place* place);
    void rememberPlan();
    void moveFocus(NodeId folder);
    void changeView(const std::function<void(ViewState&)>& change);
    void refreshColours();
    void findEarlier(bool forColour = true);
    void showNarrowed();
    static Narrowing narrowTo(const FileTree& tree, std::shared_ptr<const std::vector<bool>> wanted, QString words);
    QString partRefusal(NodeId node) const;
    void addUpLit();
    void deriveTree(Place* place, std::vector<NodeId> removed, std::function<void()> then = {});
    void finishRun(Place* place, const RunRecord& record, const std::vector<ItemFinding>& findings);
    void finishTakingBack(const std::vector<UndoneStep>& undone);
    void touch(const std::vector<LoggedStep>& steps);
    void takeHistory(Result<std::vector<RunRecord>> history);
    void shareHistory();
    void changePlan(Plan changed);
    void addOutside(std::function<Result<std::vector<PlannedItem>>(std::stop_token)> read, std::function<void()> then);
    /// Makes the file of the plan as it is now. To be called on another thread: what folders hold is summed up.
    std::function<PlanFile()> planFile(const Place& place) const;
    void refreshDestinations();
    void keepPlans();
    void keepPlan(const Place& open);
    std::string keptPlanPath(const Place& open) const;
    void recallPlan(Place& place);
    void takeRecalled(Place& open, const Result<PlanFile>& kept);
    void readTouched(std::uint64_t placeId, std::vector<std::string> folders);
    Place* stillOpen(std::uint64_t id);
    std::shared_ptr<PlanJob> beginJob(PlanJob::Kind kind);
    std::function<void(const RunProgress&)> reporter(const std::shared_ptr<PlanJob>& job);
    void endJob();
    void refuseWhileBusy();

    AppFolders folders_;
    Knowledge knowledge_;
    std::vector<std::unique_ptr<Place>> places_;
    std::size_t current_ = 0;
    std::vector<std::shared_ptr<ScanJob>> scans_;
    QTimer growth_;
    std::shared_ptr<RightsJob> rightsJob_;
    std::vector<std::uint64_t> rightsQueue_; ///< places whose turn comes after it
    std::vector<std::string> helperCommand_;
    QTimer answerWatch_; ///< while a file from a terminal is waited for
    std::shared_ptr<PlanJob> planJob_;
    std::vector<RunRecord> history_;
    QTimer planKeeper_;                      ///< a little after a change of a plan it is written
    QThreadPool plansPool_;                  ///< writes plans in their order
    std::vector<std::uint64_t> plansToKeep_; ///< places whose plan is not written yet
    std::int64_t undoNeedsRights_ = 0;
    bool awaitsTerminal_ = false; ///< a command was shown that carries something out
    unsigned destinationsRequest_ = 0;
    std::uint64_t lastPlaceId_ = 0;
    NodeId hover_ = noNode;
    ViewState lastView_;
    std::function<std::optional<ViewState>(const std::string&)> viewMemory_;
    double weightThreshold_ = 0.8;
    unsigned colourRequest_ = 0;
    unsigned litRequest_ = 0;
    unsigned narrowRequest_ = 0;
    unsigned marksRequest_ = 0;
    QElapsedTimer colourAge_; ///< since the colours of a growing place were last worked out
};

} // namespace kurvo::app
