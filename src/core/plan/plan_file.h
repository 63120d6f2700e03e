// SPDX-License-Identifier: GPL-3.0-or-later
// A plan as a file that others can read, review, check and carry out: JSON (docs/plan-format.md).
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/plan/plan.h"
#include "core/platform/atomic_file.h"

namespace kurvo {

/// An item with all that is needed to find out, without the scan, whether it still is what was planned.
struct PlannedItem {
    PlanItem item; ///< `node` means nothing here
    ContentSummary content;
    std::uint64_t frees = 0; ///< of its bytes on disk, what comes free: the rest has further links elsewhere
    std::string mark;        ///< and the note on it; both may be empty
    std::string note;
};

struct PlanFile {
    std::string host;
    std::string place;
    std::int64_t written = 0; ///< UTC seconds; when what it says of the items was read
    std::vector<PlannedItem> items;

    std::uint64_t disk(Action action) const;
    std::size_t count(Action action) const;
    /// Items that cannot be taken back.
    std::size_t countForGood() const { return count(Action::Delete) + count(Action::EmptyTrash); }
};

/// With the content summaries from the tree.
PlanFile planFileOf(const Plan& plan, const FileTree& tree);

/// Puts what the file plans back on a plan, as far as `tree` has it as it was planned; returns how many items it has
/// not. What lies outside of the tree is taken as the file has it.
std::size_t restorePlan(const PlanFile& file, const FileTree& tree, const GuardFacts& facts, Plan& plan);

/// Where the plan of a place is kept between starts: one file a machine and place.
std::string planPathFor(const std::string& folder, const std::string& host, const std::string& place);

std::string encodePlan(const PlanFile& plan);
/// Damaged, WrongFormat or TooNew with a sentence that says what is wrong where; nothing is taken from such a file.
/// `name`: of the file, for the sentence.
Result<PlanFile> decodePlan(const std::string& json, const std::string& name);

Result<Done> writePlanFile(const std::string& path, const PlanFile& plan,
                           AtomicFile::Existing existing = AtomicFile::Existing::Replace);
/// Whether a file that begins so may be a plan of ours, as encodePlan() writes it.
bool beginsAsPlan(std::string_view begin);
Result<PlanFile> readPlanFile(const std::string& path);

} // namespace kurvo
