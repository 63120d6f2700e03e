// SPDX-License-Identifier: GPL-3.0-or-later
// A whole plan: checked item by item, carried out in the order that helps soonest, taken back.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "core/act/execute.h"
#include "core/advice/guard.h"
#include "core/plan/plan_file.h"

namespace kurvo {

/// What a check says of one item. A blocked item stays behind; the rest may go.
struct ItemFinding {
    bool blocked = false;
    std::string sentence; ///< why it is blocked, or what to mind; "" where there is nothing to say
};

/// Where an item would come to lie: the destination and its name.
std::string targetOf(const PlanItem& item);

/// Every item is still what was planned (device, inode, kind, size, time; for folders their whole content); it is not
/// protected, or its guard was lifted; its folder may be changed; nobody has it open (said, not blocked); a destination
/// is there, is another drive, takes the names and sizes, has room for all that is to go there with a hundredth to
/// spare, and nothing stands in the way. One finding an item. Blocks: call it off the interface thread.
std::vector<ItemFinding> checkPlan(const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                                   const std::function<void(std::size_t done)>& onItem);

struct RunProgress {
    std::size_t done = 0, of = 0; ///< items
    std::uint64_t bytesDone = 0;  ///< on disk, of items that are over
    std::uint64_t bytesOf = 0;
    std::uint64_t movedNow = 0; ///< bytes written and read back of the item in work
    std::string path;           ///< of that item
};

struct RunResult {
    LoggedRun run;
    std::vector<LoggedStep> steps; ///< in the order they were carried out
    std::size_t done() const;
};

/// Checks each item once more and carries out what is not blocked: deletions first, which give space at once, then
/// moves, then the trash; the largest first. `onProgress` is told from this thread. Stopping ends after the item in
/// work, a copy that is being made is taken back. An error where nothing could be begun: another Kurvo at work, a
/// logbook that cannot be written.
Result<RunResult> runPlan(Logbook& logbook, const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                          const std::function<void(const RunProgress&)>& onProgress);

struct UndoneStep {
    LoggedStep step;
    Result<Done> outcome;
};

/// Takes back what can be of a run, last step first.
Result<std::vector<UndoneStep>> undoRun(Logbook& logbook, std::int64_t run, const UserFolders& user,
                                        std::stop_token stop,
                                        const std::function<void(const RunProgress&)>& onProgress);

struct RecoveredStep {
    LoggedStep step;
    Result<std::string> outcome;
};

/// Ends what a kill or a power cut left under way. Call it at each start; Unsupported while another Kurvo is at work.
Result<std::vector<RecoveredStep>> recoverAll(Logbook& logbook, const UserFolders& user, std::stop_token stop);

} // namespace kurvo
