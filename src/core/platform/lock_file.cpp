// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/lock_file.h"

#include <fcntl.h>
#include <sys/file.h>

#include <cerrno>

namespace kurvo {

Result<UniqueFd> lockBeside(const std::string& file)
{
    const auto lock = file + ".lock";
    UniqueFd held(::open(lock.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600));
    if (!held)
        return systemError("open", lock, errno);
    while (::flock(held.get(), LOCK_EX) != 0)
        if (errno != EINTR)
            return systemError("lock", lock, errno);
    return held;
}

} // namespace kurvo
