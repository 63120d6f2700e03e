// SPDX-License-Identifier: GPL-3.0-or-later
// Whether what is planned can still be done: each item is what it was, may be changed, and has where to go.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <set>
#include <stop_token>
#include <string>
#include <vector>

#include "core/act/tree_copy.h"
#include "core/advice/guard.h"
#include "core/plan/plan_file.h"
#include "core/platform/open_files.h"

namespace kurvo {

/// What a check says of one item. A blocked item stays behind; the rest may go.
struct ItemFinding {
    bool blocked = false;
    bool needsRights = false;  ///< blocked, and administrator rights would help
    bool inUse = false;        ///< a program has it open: its space comes free when that ends
    std::string sentence = {}; ///< why it is blocked, or what to mind; "" where there is nothing to say
    EntryStat stat = {};       ///< as it is now; of an item that is not blocked
    Losses losses = {};        ///< of a move: what the destination does not keep, which the sentence says
};

/// What is at a path now, ready to be planned: for a folder its whole content is read. NotFound, Cancelled, ...
Result<PlannedItem> readPlannedItem(const std::string& path, const Intent& intent, std::stop_token stop = {});

/// Where an item would come to lie: the destination and its name.
std::string targetOf(const PlanItem& item);

/// The drives that moves go to, and what they have room for.
class DestinationRoom {
public:
    /// Counts `bytes` as going to the drive of that device with `free` bytes; false when they do not fit there beside
    /// what was counted before, a hundredth and 1 MiB kept free.
    bool take(std::uint64_t device, std::uint64_t bytes, std::uint64_t free);

private:
    std::map<std::uint64_t, std::uint64_t> taken_;
};

/// What the checks of a plan's items share.
struct CheckContext {
    CheckContext(const PlanFile& plan, const GuardFacts& guard, std::stop_token stop);
    const GuardFacts& guard;
    std::int64_t seenAt;                        ///< UTC seconds; device numbers hold until the machine is started again
    std::set<std::string, std::less<>> planned; ///< paths
    std::stop_token stop;
    DestinationRoom room;
    OpenPathsMeanwhile open;
};

/// The item is still what was planned (device, inode, kind, size, time; for a folder its whole content); it is not
/// protected, or its guard was lifted; its folder may be changed; nobody has it open (said, not blocked); its twin is
/// what it was, and is not planned itself; a destination is there, is another drive, takes the names and sizes, has
/// room, and nothing stands in the way. Device numbers are compared only for what was seen since the machine was
/// started. Blocks: call it off the interface thread.
ItemFinding checkItem(const PlannedItem& item, CheckContext& context);

/// One finding an item. `alsoPlanned`: paths of the rest, where the plan is a part of one.
std::vector<ItemFinding> checkPlan(const PlanFile& plan, const GuardFacts& guard, std::stop_token stop,
                                   const std::function<void(std::size_t done)>& onItem,
                                   const std::vector<std::string>& alsoPlanned = {});

/// Whether the folder that now is at `at` has the content `then` of the item. Reads it again; nothing to do for what is
/// no folder. Changed says what is different, Unsupported that another filesystem is mounted inside.
Result<Done> checkContent(const PlanItem& item, const ContentSummary& then, const std::string& at,
                          std::stop_token stop = {});

/// The same of what was read already.
Result<Done> compareContent(const PlanItem& item, const ContentSummary& then, const ContentSummary& now);

} // namespace kurvo
