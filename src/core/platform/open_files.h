// SPDX-License-Identifier: GPL-3.0-or-later
// Files without a name that programs still hold open or mapped: their space is used until the program closes them or
// ends, and no folder shows them (proc(5)).
#pragma once

#include <sys/types.h>

#include <chrono>
#include <cstdint>
#include <map>
#include <optional>
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
    std::string path;   ///< of one thing it holds
    unsigned files = 1; ///< how often
};

struct Holders {
    std::vector<Holder> holders; ///< by pid
    unsigned notLookedInto = 0;  ///< processes of others that this user may not look into
};

/// The paths that other programs have open, run or work in, as they were when /proc was read. Not thread-safe.
class OpenPaths {
public:
    static Result<OpenPaths> read();
    /// Which programs hold the file at `path`; for a folder, anything at or below it.
    Holders holdersOf(const std::string& path) const;

private:
    std::map<std::string, std::vector<std::size_t>> paths_; ///< which programs, one for each time they hold it
    std::vector<Holder> programs_;                          ///< by pid
    unsigned notLookedInto_ = 0;
};

/// OpenPaths for many questions in a row: each reading is asked for no longer than a second.
class OpenPathsMeanwhile {
public:
    /// As OpenPaths::holdersOf; nobody where /proc cannot be read.
    Holders holdersOf(const std::string& path);
    /// What is asked next is read anew.
    void forget() { last_.reset(); }

private:
    std::optional<OpenPaths> last_;
    std::chrono::steady_clock::time_point read_ = {};
};

} // namespace kurvo
