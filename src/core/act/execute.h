// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out one step so that at every moment each byte is whole at its old or at its new place, and the logbook
// knows at which (docs/reliability.md has the states and what follows from each).
//
// A move copies to a partial name beside its place, syncs, reads the copy back, gives it its name, renames the original
// out of the way, makes sure that this still is what was copied, and only then removes it. A deletion renames out of
// the way first and looks at the content there, where no path leads any more.
#pragma once

#include <functional>
#include <stop_token>
#include <string>

#include "core/act/logbook.h"
#include "core/act/tree_copy.h"
#include "core/base/result.h"
#include "core/platform/folders.h"

namespace kurvo {

struct ActOptions {
    UserFolders user;
    std::stop_token stop; ///< heeded while a copy is made and verified; what was begun is then taken back
    BytesReport onBytes;  ///< a moved byte is told three times: read, written and read back count as two reports
    /// Whether what now is at this path still has the content that was planned; none asks for nothing but the identity.
    std::function<Result<Done>(const std::string& path)> contentIsSame;
};

/// `step` is Planned and noted in the logbook; `step.stat` is what was checked. Afterwards it is Done, Failed (nothing
/// was changed, `note` and the error say why), or still under way where the drive went away.
Result<Done> execute(Logbook& logbook, LoggedStep& step, const ActOptions& options);

/// Ends a step that a kill or a power cut left under way: finishes it where that is safe, else takes it back. The
/// sentence says which. NotFound where a drive is not there: then it stays under way.
Result<std::string> recover(Logbook& logbook, LoggedStep& step, const ActOptions& options);

/// Takes a step back: out of the trash, or back from the other drive, where a link that was left is replaced by the
/// original. `back` is the step of the undoing run for a move, already noted in the logbook. Fails, changing nothing,
/// where something newer stands in the way.
Result<Done> undo(Logbook& logbook, LoggedStep& step, LoggedStep* back, const ActOptions& options);

/// The step that undoes a move, to be added to a run of its own.
LoggedStep undoingStep(const LoggedStep& step, std::int64_t run);

/// Whether what lies at a step's target still is what was moved there: by inode, and where inodes change with each mount
/// by kind, size and time.
bool isMovedThere(const LoggedStep& step);

/// Twelve characters that nothing else has.
std::string freshToken();

} // namespace kurvo
