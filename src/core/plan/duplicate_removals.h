// SPDX-License-Identifier: GPL-3.0-or-later
// What may go because the same stays elsewhere: chosen among duplicates, without contradictions, and compared byte by
// byte before it is planned. What was compared is planned with its twin (plan.h), so that it goes only while that
// stays.
#pragma once

#include <atomic>
#include <cstdint>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/find/duplicates.h"
#include "core/plan/plan.h"

namespace kurvo {

/// One that goes because another one with the same content stays.
struct DuplicateRemoval {
    NodeId goes = noNode;
    NodeId stays = noNode;
};

/// All of a group but the one to keep; none where chooseToRemove() chooses none.
std::vector<DuplicateRemoval> allButOne(const std::vector<DuplicateFile>& files,
                                        const std::shared_ptr<const FileTree>& tree, Keep keep,
                                        const std::string& folder = {});

/// Of these removals in one tree those that can be done together, with what is planned already: none of what stays for
/// one goes with another one or with the plan. The first of two that contradict each other is kept. Of a file with
/// several hard links all paths in the tree go, or nothing would come free.
std::vector<DuplicateRemoval> consistentRemovals(const FileTree& tree, const std::vector<NodeId>& planned,
                                                 const std::vector<DuplicateRemoval>& removals);

/// Bytes that comparing them reads of what goes.
std::uint64_t bytesToCompare(const FileTree& tree, const std::vector<DuplicateRemoval>& removals);

struct ComparedRemovals {
    Twins same;                ///< what goes, and what stays for it
    std::size_t different = 0; ///< no longer identical, or not to be read
    std::string problem;       ///< why the first of these could not be read; a sentence
    bool stopped = false;      ///< not all were compared
    std::vector<NodeId> goes() const;
};

/// Compares files byte by byte, folders name by name and file by file. Reads the disk, for long. `bytesDone` may be
/// read by any thread meanwhile.
ComparedRemovals compareRemovals(const FileTree& tree, const std::vector<DuplicateRemoval>& removals,
                                 std::atomic<std::uint64_t>& bytesDone, const std::stop_token& stop);

} // namespace kurvo
