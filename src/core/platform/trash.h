// SPDX-License-Identifier: GPL-3.0-or-later
// The trash, by the FreeDesktop.org Trash Specification 1.0: the home trash for what lies on its filesystem, and
// $topdir/.Trash/$uid or $topdir/.Trash-$uid for other mounts. Putting something there is always one rename: nothing
// is ever copied, so it either happens whole or not at all. The information file is written and synced first.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"
#include "core/platform/folders.h"

namespace kurvo {

/// One trash folder. `topFolder` is the top of its mount; empty for the home trash.
struct TrashFolder {
    std::string path;
    std::string topFolder;
    bool operator==(const TrashFolder&) const = default;
};

/// One thing in a trash folder.
struct TrashedItem {
    TrashFolder folder;
    std::string name;         ///< in `files/`; the information file is `info/NAME.trashinfo`
    std::string originalPath; ///< where it was; bytes
    std::int64_t deleted = 0; ///< UTC seconds
    bool operator==(const TrashedItem&) const = default;
};

/// The trash folder for something at `path`, made where it is missing. Unsupported, with the reason, where this mount
/// can have none (read-only, no permission at its top, a `.Trash` that is a link, ...).
Result<TrashFolder> trashFolderFor(const std::string& path, const UserFolders& user);

/// Puts `path` into its trash folder. `expected` is what was checked: should something else stand at the path by the
/// time of the rename, it is put back and the answer is Changed.
/// `onClaimed` is told where it will be right before the rename; when it fails, nothing is done and its error returned.
Result<TrashedItem> moveToTrash(const std::string& path, const EntryStat& expected, const UserFolders& user,
                                const std::function<Result<Done>(const TrashedItem&)>& onClaimed = {});

/// Puts it back to where it was. Fails, changing nothing, where something stands at that path or its folder is gone.
Result<Done> restoreFromTrash(const TrashedItem& item);

/// The trash folders of this user that hold what was deleted from the mount of `path`; none is made.
std::vector<TrashFolder> existingTrashFolders(const std::string& path, const UserFolders& user);

/// What a trash folder holds, oldest first. Entries without a readable information file are listed with an empty
/// originalPath.
Result<std::vector<TrashedItem>> listTrash(const TrashFolder& folder);

/// Removes one item from the trash for good, with everything in it; links are removed, never followed, and other
/// mounts are not entered. `onRemoved` is called with the number of entries gone so far. On failure or stop what is
/// left stays listed in the trash.
Result<Done> removeFromTrash(const TrashedItem& item, std::stop_token stop = {},
                             const std::function<void(std::uint64_t)>& onRemoved = {});

} // namespace kurvo
