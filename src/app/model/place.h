// SPDX-License-Identifier: GPL-3.0-or-later
// One opened place: its tree, where one is in it, its plan, and what was done. All that holds node ids of the tree is
// here, so that it goes with the tree (TreeUpdater). Plain data; only the models of this room can change it.
#pragma once

#include <QString>

#include <algorithm>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "app/model/findings.h"
#include "core/act/run_history.h"
#include "core/advice/guard.h"
#include "core/explore/scheme.h"
#include "core/layout/cells.h"
#include "core/leads/leads.h"
#include "core/marks/marks.h"
#include "core/plan/come_free.h"
#include "core/plan/plan.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"
#include "core/tree/file_tree.h"
#include "core/types/file_types.h"

namespace kurvo::app {

/// A run of the logbook, shared by all who show it.
using KeptRun = std::shared_ptr<const RunRecord>;

/// What is added up over a plan, and over what was put into the trash from here. All in bytes.
struct PlanTotals {
    std::uint64_t freed = 0;       ///< once the plan is carried out and the trash emptied
    ComesFree free;                ///< why that is less than what is planned
    std::uint64_t fromTrash = 0;   ///< of it, what was put into the trash from here before
    std::uint64_t inTrash = 0;     ///< was put into the trash from here, and is still there
    std::uint64_t inTrashSeen = 0; ///< of that, what is counted in the tree as well
};

/// What the totals of a plan are made from. Safe to read on any thread.
struct PlanBasis {
    std::shared_ptr<const FileTree> tree;
    std::string place; ///< path
    KeptState plan;
    std::vector<KeptRun> runs;

    /// Adds up. One pass over all of it, and over the files of the tree with several links.
    PlanTotals totals() const;
    /// What really comes free (come_free.h), of the largest so many files or of all: asks the disk.
    ComesFree comesFree(std::size_t mostFiles, std::stop_token stop = {}) const;
    /// How much there is to go through.
    std::size_t work() const;
};

/// A drive that the plan moves something to.
struct Destination {
    std::string folder; ///< the first that is planned there; bytes
    std::string name;   ///< for people
    Capacity capacity;
    std::uint64_t coming = 0; ///< bytes on disk
};

enum class PictureKind { Treemap, Sunburst, Types, Roles };
/// Files in bands, and no picture.
inline bool isTable(PictureKind kind)
{
    return kind == PictureKind::Types || kind == PictureKind::Roles;
}

/// How a place is looked at; kept for each place.
struct ViewState {
    PictureKind picture = PictureKind::Treemap;
    Measure measure = Measure::Disk;
    ColourBy colour = ColourBy::Family;
    int treemapDepth = allLevels;
    int sunburstDepth = 6;
    bool areas = false; ///< free space, not seen and reserved have tiles in the treemap of a drive

    static constexpr int allLevels = 12; ///< and any deeper
    int depth() const { return picture == PictureKind::Sunburst ? sunburstDepth : treemapDepth; }
    bool operator==(const ViewState&) const = default;
};

/// The pictures and the descent show only what was found.
struct Narrowing {
    std::shared_ptr<const std::vector<bool>> wanted;     ///< by id
    std::shared_ptr<const FileTree> tree;                ///< these entries of the place's tree, with their sums
    std::shared_ptr<const std::vector<Family>> dominant; ///< by folder index, as Place's
    QString words;                                       ///< how it was asked for
};

/// One of several places that are looked at together.
struct PlacePart {
    SnapshotInfo info;
    std::string snapshotFile; ///< as Place's
    QString name;
    Capacity capacity;
    bool live = false;       ///< of what is on this machine now
    bool wholeDrive = false; ///< as Place's, as the next
    std::vector<Unreadable> unreadable;
    std::weak_ptr<const FileTree> source; ///< its own tree, of which a copy is in that of all
};

/// Leaves those whose places a tree of several has; another of them may hold the rest.
void dropPartsNotIn(const FileTree& tree, std::vector<PlacePart>& parts);

struct Place {
    std::uint64_t id = 0; ///< given by PlaceStore; jobs find their place again by it
    SnapshotInfo info;
    std::string snapshotFile;  ///< where it was saved or opened from; empty until saved
    bool fromSnapshot = false; ///< opened from a file: the disk may look different by now

    std::shared_ptr<const FileTree> tree;
    std::shared_ptr<const std::vector<Family>> dominant; ///< by folder index: the family that fills most of it
    Capacity capacity;       ///< of the drive; read again after each change, for a live place
    bool wholeDrive = false; ///< the place is the root of its drive

    ScanOptions options;                 ///< how it was scanned
    std::vector<Unreadable> unreadable;  ///< what could not be read, as far as listed; empty for a snapshot
    std::vector<std::string> changed;    ///< folders that something happened in since the scan; paths
    std::optional<DriveAccount> account; ///< what the drive's own tables have in all, where they were read
    bool readWithRights = false;         ///< what could not be read was asked for with administrator rights

    NodeId focus = rootNode;
    NodeId selection = noNode;
    NodeId hover = noNode;             ///< below the pointer
    std::vector<NodeId> alsoSelected;  ///< beside `selection`
    std::vector<NodeId> chosen;        ///< see selected()
    std::vector<NodeId> back, forward; ///< focus folders
    std::vector<NodeId> passed;        ///< by following the weight to the focus; empty when one came another way

    ViewState view;
    std::shared_ptr<const Scheme> scheme;    ///< what the pictures are coloured by; always there, and fits the tree
    std::shared_ptr<const TreeMarks> marks;  ///< null until they were looked up
    std::shared_ptr<const Matching> earlier; ///< against the snapshot before, once asked for
    std::int64_t earlierTaken = 0;
    bool earlierLookedFor = false;
    Lit lit;
    std::shared_ptr<const std::vector<std::uint64_t>> litSums; ///< by folder index; null while nothing is lit

    std::optional<Narrowing> narrowing;

    std::shared_ptr<const Leads> leads;       ///< what stands out; null until it was looked for
    std::shared_ptr<const TreeAdvice> advice; ///< what the rules say of each entry; see adviceOfTree()

    GuardFacts guard;                                ///< what is known of the system that the place lies in
    std::shared_ptr<const PackageDatabase> packages; ///< keeps what `guard` looks at
    Plan plan;
    std::uint64_t planVersion = 0;     ///< grows with each change of the plan or of the states beside it
    std::vector<KeptState> planBefore; ///< states to go back to, newest last
    std::vector<KeptState> planAfter;  ///< states that were gone back from, newest last
    Findings findings;                 ///< of planned items
    std::vector<std::string> fresh;    ///< paths that came on one by one since the last check; some may be off again
    std::int64_t checkedAt = 0;        ///< UTC seconds; 0 when there are none
    PlanTotals totals;                 ///< of the plan as it is, or was a moment ago (PlaceStore::addUpPlan)
    std::uint64_t totalsRequest = 0;
    std::vector<Destination> destinations;
    std::vector<KeptRun> runs; ///< that changed something here; newest last

    std::vector<PlacePart> parts; ///< of several places together; empty of one
    std::string setName;          ///< under which these are kept as a set; empty where they are not

    bool isGrowing() const { return tree->isGrowing(); }
    bool isTogether() const { return !parts.empty(); }
    /// What is shown lies on this machine as it is now, as far as is known.
    bool isLive() const
    {
        return parts.empty() ? !fromSnapshot
                             : std::all_of(parts.begin(), parts.end(), [](const PlacePart& part) { return part.live; });
    }
    /// Of several places the one that holds this path; null where it is one, or none does.
    const PlacePart* partAt(std::string_view path) const;
    /// What is known of several places is that of all of them, the capacity that of their drives, each once.
    void addUpParts();
    /// The capacity alone.
    void addUpCapacities();
    /// Of one of several places: what is free on its drive, and will be once the plan is carried out and the trash
    /// emptied, by what is planned there.
    std::uint64_t freeAfter(const PlacePart& part) const;
    /// What the rules say of each entry, where that is known of the tree as it is; else null.
    std::shared_ptr<const TreeAdvice> adviceOfTree() const
    {
        return advice && advice->roles.size() == tree->extent().nodes ? advice : nullptr;
    }
    /// What the drive says is used can be reconciled with what was seen: now, or as the snapshot has it.
    bool hasLedger() const { return fromSnapshot ? !info.ledger.empty() : !isGrowing(); }
    /// What the pictures and the descent show: the tree, or what it was narrowed to. The same ids.
    const std::shared_ptr<const FileTree>& shown() const { return narrowing ? narrowing->tree : tree; }
    const std::shared_ptr<const std::vector<Family>>& shownDominant() const
    {
        return narrowing ? narrowing->dominant : dominant;
    }
    /// A folder of which only a part is shown.
    bool isShownInPart(NodeId node) const;
    /// Something happened in this folder: false when that was known.
    bool noteChanged(const std::string& folder);
    /// What was put into the trash from here and is still there.
    std::uint64_t bytesInTrash() const { return totals.inTrash; }
    /// That part of it which is counted in the tree as well.
    std::uint64_t bytesInTrashSeen() const { return totals.inTrashSeen; }
    /// Why nothing of this place can be carried out on this machine, as a sentence; empty when it can.
    std::string foreignReason(const std::string& thisHost) const;
    /// What the drive has beside what was seen, of several each; nothing of what is no whole drive.
    AreasOfDrives areas() const;
    /// Protected with everything in it, by itself and not by the folder it lies in: it carries a lock.
    bool hasLock(NodeId node) const;
    bool isSelected(NodeId node) const;
    /// All that is selected, without what lies below another selected one; the sums of these count nothing twice.
    const std::vector<NodeId>& selected() const { return chosen; }
    /// Makes `chosen` anew. Goes up from each that is selected.
    void choose();
    /// How much of a node is lit; all of it while nothing is.
    std::uint64_t litSize(NodeId node, Measure measure) const;
    /// Freed once the plan is carried out and the trash emptied.
    std::uint64_t bytesToCome() const { return std::min(totals.freed, plan.plannedBytes()); }
    /// Of what is planned, what was put into the trash from here before.
    std::uint64_t bytesOfTrashPlanned() const { return totals.fromTrash; }
    /// What is free once the plan is carried out and the trash emptied.
    std::uint64_t freeAfter() const { return capacity.free + bytesToCome() + bytesInTrash() - bytesOfTrashPlanned(); }
    /// Planned items that no check has looked at.
    std::size_t unchecked() const { return plan.items().size() - std::min(plan.items().size(), findings.size()); }
    PlanBasis planBasis() const { return {tree, info.place, plan.state(), runs}; }
};

} // namespace kurvo::app
