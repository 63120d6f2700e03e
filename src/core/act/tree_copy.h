// SPDX-License-Identifier: GPL-3.0-or-later
// A copy of a file or a whole folder that can be trusted: with holes, times to the nanosecond, mode, owner where it may
// be set, extended attributes (which hold the ACLs) and hard links inside of it; written to the disk, read again and
// compared by content hash, and its source shown to be what it was before. Nothing is followed: every step down goes
// through an open folder, so that nobody can put a link in the way.
#pragma once

#include <cstdint>
#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"
#include "core/platform/file_content.h"

namespace kurvo {

/// One entry of the source, in the order of the walk: folders before what is in them, names by their bytes.
struct CopiedEntry {
    std::string name;
    EntryStat stat;                  ///< as it was when it was copied
    ContentHash hash;                ///< of a file's data, holes left out; of a link's target
    std::vector<std::uint64_t> data; ///< where data begins and ends, in turn; empty when the whole file is data
    bool linkedAgain = false;        ///< a further link to a file that was copied before
};

struct TreeCopy {
    std::vector<CopiedEntry> entries;
    std::uint64_t bytes = 0;          ///< of data
    bool ownersKept = true;           ///< false where another owner could not be set
    std::uint64_t attributesLost = 0; ///< entries with extended attributes that the destination does not take
};

/// Told how many more bytes were read or written; called from the thread that copies.
using BytesReport = std::function<void(std::uint64_t)>;

/// Copies `name` in the open folder `from` to `newName` in the open folder `to`, where nothing of that name may be.
/// On failure or stop what was written so far stays for the caller to remove. Errors are sentences that name paths
/// below `shownFrom` and `shownTo`. Sockets and what cannot be made at the destination are Unsupported; another
/// filesystem mounted inside is Unsupported, too.
Result<TreeCopy> copyTree(int from, const std::string& name, const std::string& shownFrom, int to,
                          const std::string& newName, const std::string& shownTo, std::stop_token stop,
                          const BytesReport& onBytes);

/// Reads the copy from the disk and compares it with what was read when it was made. Damaged, naming the path, where
/// it differs.
Result<Done> verifyCopy(const TreeCopy& copy, int to, const std::string& newName, const std::string& shownTo,
                        std::stop_token stop, const BytesReport& onBytes);

/// Whether the source still is what was copied: the same entries with the same inodes, sizes and times. Changed, naming
/// the path, where it is not. Reads no content.
Result<Done> verifySource(const TreeCopy& copy, int from, const std::string& name, const std::string& shownFrom);

/// Compares two trees by content: for what a killed run left behind, when nothing is known of how it was copied.
/// Changed, naming the path, where they differ. With `Part` folders of the second may hold more: all of the first is in
/// it.
enum class Compare { Whole, Part };
Result<Done> compareTrees(int a, const std::string& nameA, const std::string& shownA, int b, const std::string& nameB,
                          const std::string& shownB, std::stop_token stop, Compare compare = Compare::Whole);

} // namespace kurvo
