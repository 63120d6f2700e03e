// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out what rules say: by the same plan, check, guard and logbook as what is planned by hand, and more careful:
// nothing that is open, young, protected, marked to be kept, or that a rule has not been told of.
//
// One process at a time carries anything out (Logbook::takeTurn); an upkeep that is killed is ended by the next one, or
// by the next start of Kurvo, as any run.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/act/plan_run.h"
#include "core/advice/rule_book.h"
#include "core/platform/package_database.h"
#include "core/scan/scanner.h"
#include "core/upkeep/look.h"

namespace kurvo {

/// What is known of one rule beside its runs, which the logbook has.
struct UpkeepState {
    std::int64_t looked = 0;   ///< UTC seconds: when it was last asked
    std::string asks;          ///< why it stopped and waits for somebody; empty where it does not
    std::string waits;         ///< what it waits for; told once
    std::string told;          ///< what it told last: the same is not told again
    double share = 0;          ///< of the files of its place that somebody agreed to
    bool agreed = false;       ///< somebody said that its next run may do what it finds
    std::string keptAway = {}; ///< why the last run did not do all, a sentence; may be empty
};

/// upkeep.json in Kurvo's data folder. What cannot be understood is taken for nothing known.
/// Something that a person has not been told yet.
struct UpkeepNews {
    std::int64_t at = 0; ///< UTC seconds
    std::string rule;    ///< its title, or its name
    std::string sentence;
    std::int64_t run = 0; ///< of the logbook; 0 where nothing was carried out
};

struct UpkeepBook {
    std::int64_t lastRun = 0; ///< UTC seconds, by the clock of then
    std::map<std::string, UpkeepState> states;
    std::vector<UpkeepNews> news; ///< oldest first; the last fifty
};
UpkeepBook readUpkeepBook(const std::string& file);
Result<Done> writeUpkeepBook(const std::string& file, const UpkeepBook& book);
/// Reads it, changes it and writes it while nobody else does; waits for who is at it.
Result<Done> changeUpkeepBook(const std::string& file, const std::function<void(UpkeepBook&)>& change);

struct UpkeepWish {
    std::vector<UpkeepRule> rules; ///< all there are: they must not fight
    std::vector<std::string> only; ///< names; all that are on when empty
    UserFolders user;
    std::string data;      ///< Kurvo's own: its logbook, marks and upkeep.json
    std::string snapshots; ///< the folder of the catalogue
    std::shared_ptr<const RuleBook> book;
    const PackageDatabase* packages = nullptr;
    ScanOptions scan;
    std::int64_t now = 0;      ///< UTC seconds
    bool dryRun = false;       ///< only looks
    bool evenSo = false;       ///< whoever calls has seen what it would do, and agrees
    bool clockIsRight = false; ///< see clockProblem()
    std::stop_token stop;
    std::function<void(const std::string&)> onRule = {};     ///< its name, before it is looked at
    std::function<void(const RunProgress&)> onProgress = {}; ///< while it is carried out
    /// A tree that stands for a scan of its own place, where somebody looks at it; may be null. Only to look.
    std::shared_ptr<const FileTree> shown = {};
    SnapshotInfo shownInfo = {};
    /// How a place is scanned, and how full its drive is; the real ones unless given.
    std::function<Result<ScanResult>(const std::string&, const ScanOptions&, std::stop_token)> scanner = {};
    std::function<Result<Capacity>(const std::string&)> capacity = {};
};

struct UpkeepOutcome {
    UpkeepRule rule;
    UpkeepLook look;
    std::string problem;     ///< why it could not be looked at or carried out, a sentence; empty where it was
    std::int64_t run = 0;    ///< of the logbook; 0 where nothing was carried out
    std::size_t done = 0;    ///< items
    std::uint64_t bytes = 0; ///< of them
    std::size_t letGo = 0;   ///< items that it put into the trash long ago, deleted from there now
    std::uint64_t letGoBytes = 0;
    bool news = false; ///< worth telling a person: something was done, or is told or asked for the first time
    std::string sentence() const;
};

/// Looks at rules and carries out what is ready. An error where nothing was begun: a clock that cannot be right, a
/// logbook that cannot be written.
Result<std::vector<UpkeepOutcome>> runUpkeep(const UpkeepWish& wish);

/// Why ages cannot be trusted: now is before the last run, or more than a year after it. Empty where they can.
std::string clockProblem(std::int64_t lastRun, std::int64_t now);

/// How long runs stay in the logbook that nothing can be taken back of.
inline constexpr std::int64_t logbookSeconds = std::int64_t{2} * 365 * 86400;

} // namespace kurvo
