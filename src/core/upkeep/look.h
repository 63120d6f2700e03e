// SPDX-License-Identifier: GPL-3.0-or-later
// What a rule would do now: item by item, with what it leaves and why. Nothing is changed.
#pragma once

#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/advice/guard.h"
#include "core/advice/tree_advice.h"
#include "core/marks/marks.h"
#include "core/plan/plan_file.h"
#include "core/platform/drives.h"
#include "core/snapshot/snapshot.h"
#include "core/upkeep/rule.h"

namespace kurvo {

/// What a rule is asked of: a scan of its place, just made, and what is known beside it.
struct UpkeepFacts {
    std::shared_ptr<const FileTree> tree;
    SnapshotInfo info;
    Capacity capacity; ///< of the place's drive, now
    std::shared_ptr<const RuleBook> book;
    std::shared_ptr<const TreeAdvice> advice;
    std::shared_ptr<const TreeMarks> marks; ///< may be null
    GuardFacts guard;
    std::string snapshots; ///< the folder of the catalogue; may be empty
    std::int64_t now = 0;  ///< UTC seconds
    bool live = true;      ///< the tree is of what is on this machine now
};

enum class UpkeepVerdict : std::uint8_t {
    Nothing, ///< there is nothing to do
    Ready,   ///< it can be done
    Tells,   ///< there is something to tell
    Asks,    ///< more than it may do, or much more than ever: somebody has to say
    Waits    ///< it cannot be done now, and may be later
};

struct UpkeepItem {
    std::string path; ///< bytes
    std::uint64_t bytes = 0;
    std::int64_t since = 0; ///< when it changed last; of the trash: when it was put there
    UpkeepAction action = UpkeepAction::Tell;
    std::string held; ///< why it stays, a sentence; empty where it goes
};

struct UpkeepLook {
    UpkeepVerdict verdict = UpkeepVerdict::Nothing;
    std::string sentence;          ///< what it would do, tells, asks, or waits for
    std::string command;           ///< of the better tool, where it is told of; may be empty
    std::vector<UpkeepItem> items; ///< that go, the oldest first, then up to a thousand that are held
    std::size_t going = 0;
    std::uint64_t bytes = 0; ///< of those that go
    double share = 0;        ///< of the files of the place that were found
    PlanFile plan;           ///< of those that go; empty for what is only told
};

/// What is known of the rule's runs.
struct UpkeepBefore {
    std::uint64_t mostBytes = 0; ///< that one run of it did; 0 where there was none
    double share = 0;            ///< as somebody agreed to before
    bool agreed = false;         ///< somebody said that it may, this once, whatever it finds
};

/// Asks the disk; any thread. On stop the answer is Nothing.
UpkeepLook lookAt(const UpkeepRule& rule, const UpkeepFacts& facts, const UpkeepBefore& before,
                  std::stop_token stop = {});

/// Held back when it changed in the last hour.
inline constexpr std::int64_t youngSeconds = 3600;

} // namespace kurvo
