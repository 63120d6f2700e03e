// SPDX-License-Identifier: GPL-3.0-or-later
// Files without a name that programs still hold open or mapped: their space is used until the program closes them or
// ends, and no folder shows them (proc(5)).
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

struct NamelessFile {
    std::string path; ///< the last it had, as far as known; bytes
    std::uint64_t inode = 0;
    std::uint64_t disk = 0; ///< bytes
    std::string program;    ///< of the first holder found
    pid_t pid = 0;
    std::uint32_t uid = 0;    ///< whose program it is
    unsigned holders = 1;     ///< how many processes hold it
    std::string restart = {}; ///< the command that restarts the service it is of; empty when it is of none
};

struct NamelessFiles {
    std::vector<NamelessFile> files; ///< largest first
    unsigned notLookedInto = 0;      ///< processes of others that this user may not look into
    std::uint64_t disk() const;
};

/// Those on the filesystem that is mounted at `mountPoint`.
Result<NamelessFiles> readNamelessFiles(const std::string& mountPoint);

/// A program that has something open.
struct Holder {
    std::string program;
    pid_t pid = 0;
    std::string path; ///< of the first thing it holds
    unsigned files = 1;
};

struct Holders {
    std::vector<Holder> holders; ///< by pid
    unsigned notLookedInto = 0;  ///< processes of others that this user may not look into
};

/// Which programs have the file at `path` open, run it or work in it; for a folder, anything at or below it.
Result<Holders> readHolders(const std::string& path);

} // namespace kurvo
