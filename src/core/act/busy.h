// SPDX-License-Identifier: GPL-3.0-or-later
// Whether somebody is at work with what is about to be moved or removed: asked of the kernel where it can tell, and of
// /proc where not. Several threads may ask one.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "core/base/locks.h"
#include "core/base/result.h"
#include "core/platform/writers.h"

namespace kurvo {

class Busy {
public:
    using Path = std::function<std::string()>; ///< put together only when something is to be said

    /// Changed where a program can write to the file `name`; NoPermission where that cannot be told without
    /// administrator rights.
    Result<Done> check(int folder, const char* name, const EntryStat& stat, const Path& path);
    /// The same of a file that is open for reading already.
    Result<Done> check(int fd, const EntryStat& stat, const Path& path, Lease lease = Lease::GiveBack);
    /// Some program could open it for writing without a path (OpenByOthers::mayOpenAgain).
    bool mayOpenAgain(const EntryStat& stat);
    /// Changed where a program works in the folder or holds it open, by which it could put something into it.
    Result<Done> checkFolder(const EntryStat& stat, const Path& path);

private:
    Result<Done> judge(Writing writing, const EntryStat& stat, const Path& path);
    const OpenByOthers& others() KURVO_REQUIRES(mutex_);

    Mutex mutex_;
    std::optional<OpenByOthers> others_ KURVO_GUARDED_BY(mutex_);
};

} // namespace kurvo
