// SPDX-License-Identifier: GPL-3.0-or-later
// What the commands of kurvoctl share: exit statuses, messages, and loading a SOURCE.
#pragma once

#include <chrono>
#include <cstdint>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/find/filter.h"
#include "core/leads/leads.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"
#include "core/upkeep/rule.h"

namespace kurvo::cli {

/// Exit statuses that scripts rely on.
enum Exit : int {
    ExitDone = 0,
    ExitIncomplete = 1, ///< done, but something could not be read
    ExitUsage = 2,
    ExitFailed = 3
};

/// "kurvoctl: sentence" on stderr.
void complain(const std::string& sentence);
/// The same, for what failed; returns ExitFailed.
int failed(const Error& error);

/// Whether what is at the path answers in that time, or says that nothing is there; a word on stderr where not. Ask
/// before anything that would wait for it without an end.
bool answers(const std::string& path);

/// Runs `work`; Ctrl+C asks it to stop. On a terminal `line` is written again and again meanwhile, unless it is empty:
/// somebody may be asked something.
void runInterruptible(const std::function<void(std::stop_token)>& work, const std::function<std::string()>& line);

/// Scans with progress on stderr when that is a terminal; Ctrl+C ends the scan early and keeps what was found.
Result<ScanResult> scanWithProgress(const std::string& path, const ScanOptions& options);

/// A folder, which is scanned, here or on another machine; or a .kurvo file, which is read.
struct Source {
    std::shared_ptr<const FileTree> tree;
    SnapshotInfo info;
    bool remote = false;
    /// ExitIncomplete with a word on stderr when something is missing from the tree, else ExitDone.
    int finish() const;
};
Result<Source> loadSource(const std::string& source);
/// Several of one machine as one (joinTrees()).
Result<Source> loadTogether(const std::vector<std::string>& sources);
/// All of them as one group, or each as a group of its own.
std::vector<std::vector<std::string>> apartOr(bool together, const std::vector<std::string>& sources);

/// The filter of --where; nothing, and the mistake on stderr, where it is wrong. Ask before anything is scanned.
std::optional<Filter> parsedFilter(const std::string& where);
/// What it asks for; marks and advice are read only where it does.
FilterContext contextFor(const Filter& filter, const Source& source);

struct ScanArguments {
    std::vector<std::string> paths;
    std::string save;
    bool force = false; ///< replace an earlier one
    ScanMethod method = ScanMethod::Best;
    bool json = false;
};
int runScan(const ScanArguments& arguments);
struct GroupArguments {
    std::vector<std::string> sources;
    bool together = false;       ///< as one
    std::vector<std::string> by; ///< one or two of family, type, role, owner, age
    std::size_t count = 1000000000;
    bool json = false;
};
/// What the files add up to, group by group.
int runGroups(const GroupArguments& arguments);
struct LeadArguments {
    std::vector<std::string> sources; ///< together
    std::string folder;               ///< of the catalogue; the user's own when empty
    std::string putAside, bringBack;  ///< ids
    std::string note;
    bool json = false;
};
enum class AsideUse { LeaveOut, Show };
/// The leads of a source: a folder or a snapshot file, as `argument` names it. `folder`: of earlier snapshots; the
/// user's own when empty. `aside`, where given, gets how many were put aside.
Leads leadsOf(const Source& source, const std::string& argument, const std::string& folder,
              AsideUse use = AsideUse::LeaveOut, std::size_t* aside = nullptr);
/// What stands out, ranked; or puts a lead aside.
int runLeads(const LeadArguments& arguments);
struct FolderArguments {
    std::vector<std::string> sources;
    bool together = false; ///< as one
    unsigned depth = 1;
    std::string sort;      ///< disk, apparent, files, name, date; as it is usual when empty
    std::size_t count = 0; ///< of each folder; 0: all
    std::string atLeast;   ///< as a filter takes a size; empty: all
    bool json = false;
};
int runFolders(const FolderArguments& arguments);
struct LargestArguments {
    std::vector<std::string> sources; ///< together
    std::size_t count = 20;
    std::string where;    ///< a filter, see docs/filter.md; empty for all
    bool folders = false; ///< folders in which the weight divides, instead of files
    bool json = false;
};
int runLargest(const LargestArguments& arguments);
struct CompareArguments {
    std::string before, now;
    std::string where;
    std::string format; ///< csv, html; else text
    std::size_t count = 40;
    bool entries = false;
    bool json = false;
};
int runCompare(const CompareArguments& arguments);
struct SnapshotArguments {
    std::vector<std::string> paths;
    std::string folder; ///< of the catalogue; the user's own when empty
    bool polite = false, dryRun = false;
};
int runSnapshotTake(const SnapshotArguments& arguments);
int runSnapshotList(const SnapshotArguments& arguments, bool json);
int runSnapshotVerify(const SnapshotArguments& arguments);
int runSnapshotPrune(const SnapshotArguments& arguments);
int runSnapshotImport(const SnapshotArguments& arguments);
int runSnapshotExport(const SnapshotArguments& arguments, const std::string& to, bool force);
int runSnapshotRemove(const SnapshotArguments& arguments);
int runSnapshotAbout(const SnapshotArguments& arguments, const std::optional<std::string>& name,
                     const std::optional<std::string>& note, std::optional<bool> pinned);

struct SetArguments {
    std::string name;
    std::vector<std::string> places;
    std::string folder; ///< of the catalogue; the user's own when empty
};
int runSetList(const SetArguments& arguments, bool json);
int runSetKeep(const SetArguments& arguments);
int runSetRename(const SetArguments& arguments, const std::string& to);
int runSetRemove(const SetArguments& arguments);
int runSetTake(const SetArguments& arguments, bool polite);
int runSetHistory(const SetArguments& arguments, bool json);
int runSetFiles(const SetArguments& arguments);
/// `format`: csv, jsonl or html; on standard output.
int runExport(const std::string& source, const std::string& format);
/// Snapshots and folders to a database, each by itself; what is there already stays as it is.
int runFleetExport(const std::vector<std::string>& sources, const std::string& to);
int runHistory(const std::string& path, const std::string& folder, bool json);
int runForecast(const std::string& path, const std::string& folder, bool json);
int runDrives(bool all, bool json);
int runLedger(const std::string& place, bool json);
int runHelper();

struct BrowseArguments {
    std::string source; ///< the list of drives when empty
    std::string now;    ///< compares `source` with it; may be empty
    std::string folder; ///< of the snapshots; the user's own when empty
    std::string data;   ///< of plans, marks and logbook; the user's own when empty
    bool mouse = true;
};
/// The terminal view.
int runBrowse(const BrowseArguments& arguments);

struct MachineArguments {
    std::vector<std::string> names; ///< all when empty
    std::string tag;
    std::string list;   ///< file; machines.toml of the user's settings when empty
    std::string folder; ///< of the snapshots
    std::size_t atOnce = 4;
    bool json = false;
};
/// A table of the machines.
int runMachines(const MachineArguments& arguments);
/// Snapshots of them.
int runMachinesTake(const MachineArguments& arguments);

struct UpkeepArguments {
    std::vector<std::string> names; ///< of rules; all that are on when empty
    bool dryRun = false, evenSo = false, clockIsRight = false, byTimer = false, items = false, json = false;
    // Of one that is made:
    UpkeepRule rule;
    std::vector<std::string> leads, advice, folders;
    bool trash = false, force = false;
    std::string action = "tell", most, moreThan, grows; ///< sizes as typed
};
int runUpkeepList(bool json);
/// A rule and its runs.
int runUpkeepShow(const std::string& name, bool json);
int runUpkeepRun(const UpkeepArguments& arguments);
/// Shows what it would do and switches it on, with the timer; or off.
int runUpkeepSwitch(const std::string& name, bool on);
int runUpkeepMake(const UpkeepArguments& arguments);
int runUpkeepRemove(const std::string& name);
/// "on", "off", or empty: says what it is.
int runUpkeepTimer(const std::string& wanted);

struct WatchArguments {
    std::vector<std::string> places; ///< all drives when empty
    std::string folder;              ///< of the snapshots
    double warnDays = 0;             ///< ends with 1 where a drive is full within so many; 0: never
    bool metrics = false, json = false;
};
/// Drives that fill, for monitoring.
int runWatch(const WatchArguments& arguments);

struct DuplicateArguments {
    std::vector<std::string> paths;
    std::vector<std::string> leaveOut;
    std::string smallest; ///< as a filter takes it: "10M"
    bool folders = false;
    bool json = false;
    std::string plan;   ///< a file to write: all of each group but one, to the trash
    std::string keep;   ///< "oldest", "newest" or "shortest-path"
    std::string keepIn; ///< a folder: what lies in it stays
    bool force = false;
};
int runDuplicates(const DuplicateArguments& arguments);
/// What is known of paths, with the evidence of this machine.
int runAdvice(const std::vector<std::string>& paths, bool json);
/// Looks for mistakes in files of rules.
int runAdviceCheck(const std::vector<std::string>& files);

struct PlanArguments {
    std::vector<std::string> paths;
    std::string action = "trash";
    std::string to;   ///< folder on another drive
    std::string file; ///< of the plan
    bool link = false;
    bool force = false; ///< replace an earlier file
    std::string on;     ///< another machine, whose kurvoctl does it; empty: this one
};
/// A command of the kurvoctl on another machine; with a plan, which is sent.
int runThere(const std::string& on, const std::string& command, const std::string& planFile);
int runPlanMake(const PlanArguments& arguments);
int runPlanCheck(const std::string& file, bool json);
/// `deletions`: how many items the user says shall be deleted for good; must be what the plan has.
int runPlanApply(const std::string& file, std::size_t deletions, bool json);
/// 0: the newest run.
int runPlanUndo(std::int64_t run);
/// 0: all runs; else the steps of one.
int runLogbook(std::int64_t run, bool json);
/// 0: the newest. `source`: a folder or snapshot to list the largest files of; may be empty. `format`: html, csv, json.
int runLogbookReport(std::int64_t run, const std::string& source, const std::string& format);
int runLogbookRecover();
/// `digest`: of the request that was agreed to.
int runActHelper(const std::string& digest);

} // namespace kurvo::cli
