// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out a plan, and taking it back. Each item is checked to be what was scanned, then put into the trash by one
// rename; an item that fails its check stays where it is and the others go on.
#pragma once

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/plan/plan.h"
#include "core/platform/trash.h"

namespace kurvo {

/// Finds out whether an item is still what was scanned: the path leads through no link; device, inode and kind; size
/// and modification time of a file; for a folder the summary of its whole content, which is read again. Returns the
/// fresh facts, or an error (Changed, NotFound, ...) that says what is different.
Result<EntryStat> checkItem(const PlanItem& item, const FileTree& tree, std::stop_token stop = {});

/// Whether the folder that now is at `at` has the content `then` of the item. Reads it again; nothing to do for what is
/// no folder. Unsupported where another filesystem is mounted inside.
Result<Done> checkContent(const PlanItem& item, const ContentSummary& then, const std::string& at,
                          std::stop_token stop = {});

/// checkItem, and whether there is a trash for it.
Result<EntryStat> checkForTrash(const PlanItem& item, const FileTree& tree, const UserFolders& user,
                                std::stop_token stop = {});

struct StepResult {
    PlanItem item;
    Result<TrashedItem> outcome;
};

struct StepProgress {
    std::size_t done = 0; ///< items finished
    std::size_t of = 0;
    std::uint64_t bytesDone = 0;
    std::uint64_t bytesOf = 0;
    std::string path; ///< the item in work
};

/// Blocks; call it off the interface thread. `onProgress` is called from that thread before each item and at the end.
/// Stopping ends after the item in work; items not reached come back as Cancelled.
std::vector<StepResult> carryOut(const std::vector<PlanItem>& items, const FileTree& tree, const UserFolders& user,
                                 std::stop_token stop, const std::function<void(const StepProgress&)>& onProgress);

struct UndoResult {
    TrashedItem item;
    Result<Done> outcome;
};

/// Puts items back from the trash, in the reverse order.
std::vector<UndoResult> takeBack(const std::vector<TrashedItem>& items,
                                 const std::function<void(const StepProgress&)>& onProgress);

} // namespace kurvo
