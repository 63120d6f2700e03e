// SPDX-License-Identifier: GPL-3.0-or-later
// A folder that only this user may look into, made beside what is worked on: what was renamed into it is out of
// everybody's paths, whoever may write to the folder above, and whatever is made in it is private from its first byte.
#pragma once

#include <string>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

class PrivateFolder {
public:
    /// Makes `name` in the open folder `parent`: mode 0700, without the ACLs that a folder hands down. `shown`: its
    /// path, for people. An error where it cannot be made, or is not this user's by the time it is open.
    static Result<PrivateFolder> make(int parent, const std::string& name, const std::string& shown);
    /// One that was made before. NotFound where there is none; Changed where it is a link or somebody else's.
    static Result<PrivateFolder> open(int parent, const std::string& name, const std::string& shown);

    int fd() const { return fd_.get(); }
    const std::string& path() const { return path_; }
    std::uint64_t inode() const { return self_.inode; }
    /// Removes it, which must be empty; 0 or errno, ENOENT where something else has its name. `parent` as it was given.
    int remove(int parent) const;

private:
    static Result<PrivateFolder> opened(int parent, const std::string& name, const std::string& shown);

    UniqueFd fd_;
    std::string name_, path_;
    EntryStat self_;
};

/// Filesystems that give everything one owner, as they were mounted. `fd`: anything open on it.
bool keepsNoOwners(int fd);

/// Sets the mode of what an O_PATH descriptor stands for, following nothing: 0 or errno.
int changeMode(int pathFd, std::uint32_t mode);

} // namespace kurvo
