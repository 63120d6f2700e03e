// SPDX-License-Identifier: GPL-3.0-or-later
// Carrying out one step so that at every moment each byte is whole at its old or at its new place, and the logbook
// knows at which (docs/reliability.md has the states and what follows from each).
//
// A move copies into a private folder beside its place, syncs and reads the copy back; the original is renamed into a
// private folder beside it and shown there to be what was copied, by nobody written to; only then the copy gets its
// name, and only then the original is removed, entry by entry as it was listed. A deletion sets aside, looks and
// removes in the same way. What turns out to be something else is given back.
#pragma once

#include <functional>
#include <optional>
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
    /// Whether this still is the content that was planned; none asks for nothing but the identity.
    std::function<Result<Done>(const ContentSummary& now)> contentIsSame;
    /// Deleting: when the check of what is planned began (momentNow()). What was changed since is not deleted. 0: not
    /// known.
    std::int64_t checkedSince = 0;
    /// Moving: what the destination may lose, because it was told before; none for anything.
    std::optional<Losses> accepted;
};

/// `step` is Planned and noted in the logbook; `step.stat` is what was checked. Afterwards it is Done, Failed
/// (`note` and the error say why and, where not all is as before, what is where), or still under way where something
/// could not be given back, because a drive went away.
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

/// Whether what lies at a step's target still is what was moved there: by inode, and where inodes change with each
/// mount by kind, size and time.
bool isMovedThere(const LoggedStep& step);

/// Twelve characters that nothing else has.
std::string freshToken();

} // namespace kurvo
