// SPDX-License-Identifier: GPL-3.0-or-later
// A whole plan: checked item by item, carried out in the order that helps soonest, taken back.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/act/check.h"
#include "core/act/execute.h"
#include "core/base/pause_gate.h"

namespace kurvo {

struct RunProgress {
    std::size_t done = 0, of = 0; ///< items
    std::uint64_t bytesDone = 0;  ///< on disk, of items that are over
    std::uint64_t bytesOf = 0;
    std::uint64_t movedNow = 0; ///< bytes written and read back of the item in work
    std::string path;           ///< of that item

    /// Share of the work, 0 to 1: an item that is moved counts by what was written and read back of it.
    double share() const;
};

struct RunOptions {
    GuardFacts guard;
    std::stop_token stop;       ///< ends after the item in work; a copy that is being made is taken back
    PauseGate* pause = nullptr; ///< waited at between items and while a copy is made
    std::function<void(const RunProgress&)> onProgress = {}; ///< told from the thread that carries out
    std::string rule = {};                                   ///< of upkeep, for which it is carried out
    std::int64_t now = 0;                                    ///< UTC seconds, as the run is dated; 0: by the clock
    bool leaveOpen = false;                                  ///< what a program has open stays
};

struct RunResult {
    LoggedRun run;
    std::vector<LoggedStep> steps;     ///< in the order they were carried out
    std::vector<ItemFinding> findings; ///< of each: what held it back
    std::size_t done() const;
};

/// Checks each item once more and carries out what is not blocked: what frees space on the fullest drive first, there
/// what gives space at once (emptying, deleting, moving) before the trash, the largest first. An error where nothing
/// could be begun: another Kurvo at work, a logbook that cannot be written.
Result<RunResult> runPlan(Logbook& logbook, const PlanFile& plan, const RunOptions& options);

struct UndoneStep {
    LoggedStep step;
    Result<Done> outcome;
};

/// Takes back what can be of a run, last step first; only the steps with these ids where some are given.
Result<std::vector<UndoneStep>> undoRun(Logbook& logbook, std::int64_t run, const std::vector<std::int64_t>& only,
                                        const RunOptions& options);

struct RecoveredStep {
    LoggedStep step;
    Result<std::string> outcome;
};

/// Ends what a kill or a power cut left under way. Call it at each start; Unsupported while another Kurvo is at work.
Result<std::vector<RecoveredStep>> recoverAll(Logbook& logbook, const UserFolders& user, std::stop_token stop);

} // namespace kurvo
