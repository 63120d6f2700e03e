// SPDX-License-Identifier: GPL-3.0-or-later
// A plan as a file that others can read, review, check and carry out: JSON (docs/plan-format.md).
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/plan/plan.h"

namespace kurvo {

/// An item with all that is needed to find out, without the scan, whether it still is what was planned.
struct PlannedItem {
    PlanItem item; ///< `node` means nothing here
    ContentSummary content;
    std::string mark; ///< and the note on it; both may be empty
    std::string note;
};

struct PlanFile {
    std::string host;
    std::string place;
    std::int64_t written = 0; ///< UTC seconds
    std::vector<PlannedItem> items;

    std::uint64_t disk(Action action) const;
    std::size_t count(Action action) const;
};

/// With the content summaries from the tree.
PlanFile planFileOf(const Plan& plan, const FileTree& tree);

std::string encodePlan(const PlanFile& plan);
/// Damaged, WrongFormat or TooNew with a sentence that says what is wrong where; nothing is taken from such a file.
/// `name`: of the file, for the sentence.
Result<PlanFile> decodePlan(const std::string& json, const std::string& name);

Result<Done> writePlanFile(const std::string& path, const PlanFile& plan);
Result<PlanFile> readPlanFile(const std::string& path);

} // namespace kurvo
