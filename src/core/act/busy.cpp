// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/busy.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

Result<Done> Busy::check(int folder, const char* name, const EntryStat& stat, const Path& path)
{
    const UniqueFd fd(::openat(folder, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
    if (!fd && errno != EACCES)
        return systemError("look at", path(), errno);
    return judge(fd ? writingTo(fd.get(), Lease::Keep) : Writing::NotKnown, stat, path);
}

Result<Done> Busy::check(int fd, const EntryStat& stat, const Path& path, Lease lease)
{
    return judge(writingTo(fd, lease), stat, path);
}

Result<Done> Busy::judge(Writing writing, const EntryStat& stat, const Path& path)
{
    if (writing == Writing::Nobody)
        return Done{};
    const Lock lock(mutex_);
    const auto writer = others().writerOf(stat);
    if (writing == Writing::Somebody || !writer.empty())
        return Error{ErrorKind::Changed, path(), ETXTBSY,
                     displayText(path()) + " is open for writing" + (writer.empty() ? std::string() : " by " + writer) +
                         ". It was left as it is; close it there first."};
    if (writing == Writing::NotKnown && stat.uid != ::geteuid() && others().isBlind())
        return Error{ErrorKind::NoPermission, path(), EACCES,
                     displayText(path()) + " belongs to somebody else. Only with administrator rights can it be told "
                                           "whether a program is writing to it."};
    return Done{};
}

bool Busy::mayOpenAgain(const EntryStat& stat)
{
    const Lock lock(mutex_);
    return others().mayOpenAgain(stat);
}

Result<Done> Busy::checkFolder(const EntryStat& stat, const Path& path)
{
    const Lock lock(mutex_);
    const auto user = others().userOf(stat);
    if (user.empty())
        return Done{};
    return Error{ErrorKind::Changed, path(), EBUSY,
                 user + " is at work in " + displayText(path()) + ". It was left as it is; end that first."};
}

const OpenByOthers& Busy::others()
{
    if (!others_)
        others_ = OpenByOthers::read();
    return *others_;
}

} // namespace kurvo
