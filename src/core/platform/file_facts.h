// SPDX-License-Identifier: GPL-3.0-or-later
// What a scan does not keep of an entry, read when someone looks at it.
#pragma once

#include <cstdint>
#include <string>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"

namespace kurvo {

struct FileFacts {
    EntryStat stat;
    std::string owner, group; ///< names; the numbers where there is no name
    std::string linkTarget;   ///< of a symbolic link, as it is written there
    bool linkBroken = false;  ///< and nothing is there
    // Of a regular file whose blocks can be asked for (FIEMAP, which not every filesystem answers):
    bool compressed = false;   ///< by the filesystem
    bool preallocated = false; ///< has blocks that nothing was written to yet
    bool shared = false;       ///< has blocks that belong to other files as well
};

/// Asks the disk: not for the interface thread. Follows no symbolic link. The error says why.
Result<FileFacts> readFileFacts(const std::string& path);

/// The first bytes of a regular file, for telling what it is. Never waits for the other end of a pipe.
Result<std::string> readBeginning(const std::string& path, std::size_t most);

/// When a file was read last, UTC seconds, as the filesystem keeps it (relatime(7): a day exact at best; not at all
/// with noatime, and then it says when it was made). Nothing where it cannot be asked. Follows no link.
std::optional<std::int64_t> lastOpened(const std::string& path);

} // namespace kurvo
