// SPDX-License-Identifier: GPL-3.0-or-later
// What one works at: the place that is open, all that is known of it, and what can be done with it. Its pages show it
// and ask for changes; everything that takes long is done by Work and comes back here.
//
// One thread, that of the keys.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "core/act/plan_run.h"
#include "core/act/run_history.h"
#include "core/advice/evidence.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/compare/comparison.h"
#include "core/explore/descent.h"
#include "core/leads/leads.h"
#include "core/marks/marks.h"
#include "core/plan/come_free.h"
#include "core/plan/plan_file.h"
#include "core/platform/own_data.h"
#include "core/scan/graft.h"
#include "core/scan/scanner.h"
#include "core/snapshot/catalogue.h"
#include "core/tree/growing_tree.h"
#include "terminal/work.h"

namespace kurvo::terminal {

/// Where things are kept, and how it is scanned.
struct DeskWish {
    UserFolders user;
    std::string data;      ///< plans, marks, logbook
    std::string snapshots; ///< the folder of the catalogue
    ScanOptions scan;
    SizeUnits units = SizeUnits::Binary;
};

/// What is known beside the place; read once. Any thread once it is made.
struct Lore {
    UserRules rules;
    std::optional<PackageDatabase> packages;
};

struct Place {
    std::string source; ///< path of the folder or of the snapshot
    bool fromSnapshot = false;
    bool growing = false;
    bool wholeDrive = false;
    std::shared_ptr<const FileTree> tree;
    SnapshotInfo info;
    std::vector<Unreadable> unreadable;

    // How one looks at it.
    NodeId focus = rootNode;
    Measure measure = Measure::Disk;
    DescentSort sort = DescentSort::Size;
    std::set<NodeId> opened, whole; ///< see DescentWish
    std::vector<NodeId> back, forward;

    // What hangs on its ids.
    Plan plan;
    std::vector<KeptState> undo, redo;           ///< of changes to the plan
    std::map<std::string, ItemFinding> findings; ///< by path, of what is planned
    std::shared_ptr<const TreeMarks> marks;
    std::shared_ptr<const TreeAdvice> advice;
    std::shared_ptr<const Leads> leads;
    std::shared_ptr<const Matching> earlier; ///< with the snapshot before
    std::int64_t earlierTaken = 0;

    bool isHere = false; ///< its files are on this machine
    /// Why nothing of it can be acted on; empty where it can.
    std::string foreignReason() const;
};

/// A scan that somebody else makes, as the other machine that the place lies on, and that has begun.
struct BegunScan {
    std::string source; ///< its address
    SnapshotInfo about; ///< what is known before it has ended
    std::shared_ptr<ScanProgress> progress;
    /// Waits for its end, which a stop brings about. On any thread, once.
    std::function<Result<Snapshot>(const std::stop_token&)> end;
};

class Desk {
public:
    Desk(DeskWish wish, Work& work);

    const DeskWish& wish() const { return wish_; }
    Work& work() { return work_; }
    bool hasPlace() const { return place_.tree != nullptr; }
    const Place& place() const { return place_; }
    const FileTree& tree() const { return *place_.tree; }
    GuardFacts guard() const;
    const std::shared_ptr<const Lore>& lore() const { return lore_; } ///< null until it is read
    const std::shared_ptr<const MarkBook>& book() const { return book_; }
    std::string size(std::uint64_t bytes) const { return formatBytes(bytes, wish_.units); }
    std::string measured(NodeId node) const;
    std::string amount(std::uint64_t figure) const; ///< by the measure

    // The place.
    void open(const std::string& source);
    /// Looks at a scan that somebody else makes while it grows; its snapshot is kept.
    void follow(BegunScan scan);
    void openComparison(const std::string& before, const std::string& now);
    /// Compares the place with an earlier snapshot.
    void compareWith(const std::string& snapshot);
    const std::shared_ptr<const Comparison>& comparison() const { return comparison_; }
    const std::string& comparedWith() const { return comparedWith_; }
    bool isScanning() const { return scanning_; }
    bool isPaused() const { return progress_ && progress_->isPaused(); }
    void pauseScan();
    void stopScan();
    std::string scanLine() const;
    /// Looks at what a scan has found until now; call it now and then.
    void look();
    void rescan(NodeId folder);
    const std::vector<CatalogueEntry>& earlierSnapshots() const { return kept_; }

    // Looking.
    void setFocus(NodeId folder);
    void goBack();
    void goForward();
    void setMeasure(Measure measure);
    void setSort(DescentSort sort);
    void expand(NodeId folder, bool opened);
    void showRest(NodeId folder);

    // Marks.
    void mark(const std::vector<NodeId>& nodes, const std::string& kind);
    /// By path: the tree may be another one by the time it was typed.
    void note(const std::vector<std::string>& paths, const std::string& text);

    /// A lead is shown no more on this machine.
    void putAside(const std::string& id, const std::string& sentence, const std::string& note);
    void endComparison();

    // The plan.
    void planItems(const std::vector<NodeId>& nodes, const Intent& intent, const Twins& twins = {});
    void takeOff(const std::vector<std::string>& paths);
    void undoPlan();
    void redoPlan();
    void clearPlan();
    void check();
    bool isChecked() const { return !place_.plan.empty() && place_.findings.size() == place_.plan.items().size(); }
    std::uint64_t freedByPlan() const { return freed_; }
    void writePlan(const std::string& file);

    // Carrying out.
    bool isActing() const { return acting_; }
    void carryOut();
    void pauseRun();
    void stopRun();
    std::string runLine() const;
    double runShare() const;
    void undo(std::int64_t run);
    const std::vector<RunRecord>& runs() const { return runs_; }
    void readRuns();

    /// Something that is shown is no longer what it was.
    std::function<void()> changed;
    /// The tree is another one: ids may have moved. Given what an old id is now; noNode for what is gone.
    std::function<void(const std::function<NodeId(NodeId)>&)> renumbered;
    /// A word for the user.
    std::function<void(const std::string&)> say;
    /// The place has opened, and its scan begins; its scan has ended.
    std::function<void()> opened;

private:
    void startScan(const std::string& path);
    /// Another place, or none: whoever holds ids of the one before lets go of them.
    void leavePlace();
    void scanned(Result<ScanResult> result, const std::string& path);
    void followed(Result<Snapshot> snapshot);
    void scanFailed(const Error& error);
    /// The whole tree of a place that grew, or that was there already.
    void takeWhole(std::shared_ptr<const FileTree> tree);
    void arrived();
    void readEarlier();
    void readLeads();
    void readMarks();
    void setMarks(std::vector<Mark> marks);
    void readKeptPlan();
    void keepPlan();
    std::string keptPlanFile() const;
    void planChanged(KeptState before);
    void setTree(std::shared_ptr<const FileTree> tree, const std::function<NodeId(NodeId)>& newId);
    void settleRun(Result<RunResult> result);
    void takeOut(const std::vector<NodeId>& gone, std::vector<std::string> touched);
    void reread(const std::vector<std::string>& paths);
    void regraft(std::vector<NodeId> folders, bool quiet);
    void tell(const std::string& sentence) const;

    DeskWish wish_;
    Work& work_;
    std::shared_ptr<const Lore> lore_;
    Place place_;
    std::uint64_t generation_ = 0; ///< of the tree: what was asked of another is not taken

    bool scanning_ = false;
    bool grows_ = false; ///< what is scanned is a place anew: read again, it stays as it is until the scan has ended
    std::uint64_t scanSerial_ = 0;
    Busy looking_;
    std::stop_source scanStop_;
    std::shared_ptr<ScanProgress> progress_;
    std::shared_ptr<GrowingTree> growth_;

    std::vector<CatalogueEntry> kept_; ///< snapshots of the place, newest first
    std::shared_ptr<const Comparison> comparison_;
    std::string comparedWith_, pendingComparison_;

    std::shared_ptr<MarkStore> markStore_;
    std::shared_ptr<const MarkBook> book_ = std::make_shared<const MarkBook>();

    std::uint64_t freed_ = 0;
    bool planKnown_ = false; ///< the kept plan was looked for
    bool keeping_ = false, keepAgain_ = false;

    bool acting_ = false;
    std::stop_source runStop_;
    std::shared_ptr<PauseGate> runPause_;
    struct RunLook;
    std::shared_ptr<RunLook> runLook_;
    void takeRuns(Result<std::vector<RunRecord>> runs);
    std::vector<RunRecord> runs_;
    std::stop_source leadsStop_;
};

} // namespace kurvo::terminal
