// SPDX-License-Identifier: GPL-3.0-or-later
// Whether anybody can write to a file at this moment without opening it anew.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>

#include "core/platform/entry_stat.h"

namespace kurvo {

enum class Writing {
    Nobody,   ///< no descriptor and no shared mapping of any process can
    Somebody, ///< some can
    NotKnown, ///< the kernel tells only the owner (F_SETLEASE needs to own the file, or CAP_LEASE)
    NoLeases  ///< this filesystem has none
};

/// Asks the kernel by taking a read lease and giving it back at once (fcntl(2), F_SETLEASE): it is refused while the
/// file is open for writing, or mapped so that it can be written. `fd`: a regular file, open for reading only. Programs
/// that open it meanwhile wait for the microseconds between. With `Keep` it is held until the descriptor is closed.
enum class Lease { GiveBack, Keep };
Writing writingTo(int fd, Lease lease = Lease::GiveBack);

/// What processes hold, read from /proc once: for where there are no leases, and for who is at work in a folder. Only
/// the processes that this user may look into are seen; not this process itself. Not thread-safe.
class OpenByOthers {
public:
    using Key = std::pair<std::uint64_t, std::uint64_t>; ///< device, inode

    static OpenByOthers read();
    /// The program that can write to that file; empty where none is seen.
    std::string writerOf(const EntryStat& file) const;
    /// Some program has that file open, for whatever: it could open it once more for writing (/proc/self/fd). True as
    /// well for a file that others than its owner may write to, where not all programs are seen.
    bool mayOpenAgain(const EntryStat& file) const;
    /// The program that works in that folder, or holds it open; empty where none is seen.
    std::string userOf(const EntryStat& folder) const;
    /// Some program has this file open.
    bool isOpen(std::uint64_t device, std::uint64_t inode) const { return open_.contains({device, inode}); }
    bool anyFolder() const { return !folders_.empty(); }
    /// Some processes may not be looked into.
    bool isBlind() const { return blind_; }

private:
    std::map<Key, std::string> writers_, folders_; ///< "program (pid)"
    std::set<Key> open_;                           ///< files, for reading or writing
    bool blind_ = false;
};

} // namespace kurvo
