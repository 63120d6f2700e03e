// SPDX-License-Identifier: GPL-3.0-or-later
// Renames that never replace anything, on every filesystem (renameat2(2), Linux 3.15).
#pragma once

#include "core/platform/entry_stat.h"

namespace kurvo {

/// Gives `from` in the open folder `fromFolder` the name `to` in `toFolder`, where nothing may stand. 0 or errno;
/// EEXIST where something does. Where the filesystem cannot be asked not to replace (EINVAL), a file gets its new name
/// as a hard link, which fails on anything that stands there, and a folder by rename(2), which replaces an empty folder
/// at most. EOPNOTSUPP where none of it is to be had. A folder of one's own that may not be written to gets that right
/// for the moment that a rename into another folder needs it.
int renameNoReplace(int fromFolder, const char* from, int toFolder, const char* to);

/// Both names change places, or neither. 0 or errno.
int renameExchange(int folderA, const char* a, int folderB, const char* b);

/// What was renamed, made or removed in an open folder is on the disk afterwards: 0 or errno.
int syncFolder(int folder);

} // namespace kurvo
