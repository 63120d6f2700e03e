// SPDX-License-Identifier: GPL-3.0-or-later
// The trash, by the FreeDesktop.org Trash Specification 1.0: the home trash for what lies on its filesystem, and
// $topdir/.Trash/$uid or $topdir/.Trash-$uid for other mounts. Putting something there is always one rename: nothing
// is ever copied, so it either happens whole or not at all. The information file is written and synced first.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
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

/// A trash folder whose parts are held open, shown to be the user's: nothing in it is found by its path again. Opening,
/// and all that has to do with the notes, is done as that user (FilesAs), so that a helper with rights has no more of
/// them there than the user.
class OpenTrash {
public:
    static Result<OpenTrash> open(const TrashFolder& folder, std::uint32_t uid);

    const TrashFolder& folder() const { return folder_; }
    int files() const { return files_.get(); }
    /// Writes the note of something at `path` under a free name, which claims that name; on the disk when it returns.
    Result<TrashedItem> claim(const std::string& path) const;
    /// Takes the note away again, but only the one that claim() wrote for just this item.
    void removeNote(const TrashedItem& item) const;
    /// What the note on a name in `files` says; an empty originalPath where there is none.
    TrashedItem noteOn(const std::string& name) const;
    /// What was renamed into or out of it is on the disk: 0 or errno.
    int sync() const;

private:
    TrashFolder folder_;
    std::uint32_t uid_ = 0;
    UniqueFd files_, info_;
};

/// Puts `name` in the open folder `from`, known to people as `path`, into `folder`, which is on the same mount.
/// `expected` is what was checked: should something else stand there by the time of the rename, it is put back and the
/// answer is Changed. `onClaimed` is told where it will be right before the rename; when it fails, nothing is done and
/// its error returned. It is durable when this returns; where the disk refuses that, it is put back.
Result<TrashedItem> putIntoTrash(int from, const std::string& name, const std::string& path, const EntryStat& expected,
                                 const TrashFolder& folder, const UserFolders& user,
                                 const std::function<Result<Done>(const TrashedItem&)>& onClaimed = {});
/// The same of what stands at `path`, into its trash folder.
Result<TrashedItem> moveToTrash(const std::string& path, const EntryStat& expected, const UserFolders& user,
                                const std::function<Result<Done>(const TrashedItem&)>& onClaimed = {});

/// Puts it back to where it was. Fails, changing nothing, where something stands at that path or its folder is gone.
Result<Done> restoreFromTrash(const TrashedItem& item);

/// The trash folders of this user that hold what was deleted from the mount of `path`; none is made.
std::vector<TrashFolder> existingTrashFolders(const std::string& path, const UserFolders& user);

/// What a trash folder holds, oldest first. Entries without a readable information file are listed with an empty
/// originalPath.
Result<std::vector<TrashedItem>> listTrash(const TrashFolder& folder);

} // namespace kurvo
