// SPDX-License-Identifier: GPL-3.0-or-later
// What was carried out, as it stands now, and the proof: what came free, and where the rest of what was planned is.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/act/logbook.h"

namespace kurvo {

/// One run with its steps.
struct RunRecord {
    LoggedRun run;
    std::vector<LoggedStep> steps;

    std::size_t count(StepState state) const;
    /// Bytes on disk of the steps that are done and in the trash still.
    std::uint64_t bytesInTrash() const;
    bool canBeUndone() const;
    /// A run that moved back what an earlier one had moved.
    bool isUndoing() const;
};

/// All runs, newest first. What was in the trash and is not there any more is noted as emptied. Asks the disk.
Result<std::vector<RunRecord>> readHistory(Logbook& logbook);

/// What a run freed, and why it is less than what was taken off the drive.
struct Proof {
    std::int64_t cameFree = 0;          ///< free after less free before; bytes of the place's drive
    std::uint64_t cleared = 0;          ///< on disk, of all that was trashed, deleted or moved
    std::uint64_t inTrash = 0;          ///< still there
    std::uint64_t otherLinks = 0;       ///< further hard links hold it
    std::uint64_t heldOpen = 0;         ///< a program does
    std::uint64_t unexplained = 0;      ///< what of the rest did not come free
    std::vector<std::string> sentences; ///< the same, for people; empty where all came free
};

/// `filesystem`: the kind of the place's drive ("btrfs"), which may keep snapshots; may be empty.
Proof proofOf(const RunRecord& record, const std::string& filesystem);

} // namespace kurvo
