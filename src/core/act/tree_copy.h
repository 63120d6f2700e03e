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
    static constexpr std::uint32_t top = 0xFFFFFFFF;
    std::uint32_t parent = top; ///< place of its folder among the entries
};

/// What a destination does not keep of what is moved there.
struct Losses {
    bool owners = false;     ///< another owner or group could not be set
    bool attributes = false; ///< extended attributes and ACLs
    bool rights = false;     ///< of programs: capabilities, and set-user-ID bits where the owner is not kept
    bool flags = false;      ///< no-dump and the like (chattr(1))

    bool any() const { return owners || attributes || rights || flags; }
    /// Nothing is lost that is not in `other` as well.
    bool within(const Losses& other) const
    {
        return (!owners || other.owners) && (!attributes || other.attributes) && (!rights || other.rights) &&
               (!flags || other.flags);
    }
    void add(const Losses& more)
    {
        owners |= more.owners;
        attributes |= more.attributes;
        rights |= more.rights;
        flags |= more.flags;
    }
    /// "The destination does not keep owners, attributes."; empty where it keeps all.
    std::string sentence() const;
};

struct TreeCopy {
    std::vector<CopiedEntry> entries;
    std::uint64_t bytes = 0; ///< of data
    Losses losses;
};

/// Told how many more bytes were read or written; called from the thread that copies.
using BytesReport = std::function<void(std::uint64_t)>;

/// Copies `name` in the open folder `from` to `newName` in the open folder `to`, where nothing of that name may be.
/// On failure or stop what was written so far stays for the caller to remove. Errors are sentences that name paths
/// below `shownFrom` and `shownTo`. Sockets and what cannot be made at the destination are Unsupported; another
/// filesystem mounted inside is Unsupported, too. Changed where a program has a file open for writing: what it writes
/// after its file was read would be missing from the copy. `to` should be a PrivateFolder, so that nothing is inherited
/// from it and nobody sees a file before its mode is set.
Result<TreeCopy> copyTree(int from, const std::string& name, const std::string& shownFrom, int to,
                          const std::string& newName, const std::string& shownTo, std::stop_token stop,
                          const BytesReport& onBytes);

/// Reads the copy from the disk and compares it with what was read when it was made. Damaged, naming the path, where
/// it differs.
Result<Done> verifyCopy(const TreeCopy& copy, int to, const std::string& newName, const std::string& shownTo,
                        std::stop_token stop, const BytesReport& onBytes);

/// What a copy into the open folder `to` would lose of `name` in `from`, found out before anything is written. Reads no
/// content.
Result<Losses> expectedLosses(int from, const std::string& name, const std::string& shownFrom, int to,
                              std::stop_token stop);

/// Compares two trees by content: for what a killed run left behind, when nothing is known of how it was copied.
/// Changed, naming the path, where they differ. With `Part` folders of the second may hold more: all of the first is in
/// it.
enum class Compare { Whole, Part };
Result<Done> compareTrees(int a, const std::string& nameA, const std::string& shownA, int b, const std::string& nameB,
                          const std::string& shownB, std::stop_token stop, Compare compare = Compare::Whole);

} // namespace kurvo
