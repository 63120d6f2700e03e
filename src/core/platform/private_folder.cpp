// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/private_folder.h"

#include <fcntl.h>
#include <sys/fsuid.h>
#include <sys/stat.h>
#include <sys/statfs.h>
#include <sys/syscall.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include "core/base/text.h"

namespace kurvo {
bool keepsNoOwners(int fd)
{
    constexpr std::array<unsigned long, 7> without{0x4d44 /* FAT */,
                                                   0x2011bab0 /* exFAT */,
                                                   0x7366746e /* ntfs3 */,
                                                   0x65735546 /* FUSE */,
                                                   0x517b /* SMB */,
                                                   0xfe534d42 /* SMB 2 */,
                                                   0xff534d42 /* CIFS */};
    struct statfs about { };
    return ::fstatfs(fd, &about) == 0 &&
           std::find(without.begin(), without.end(), static_cast<unsigned long>(about.f_type)) != without.end();
}

Result<PrivateFolder> PrivateFolder::opened(int parent, const std::string& name, const std::string& shown)
{
    PrivateFolder folder;
    folder.name_ = name;
    folder.path_ = shown;
    folder.fd_ = UniqueFd(::openat(parent, name.c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    if (!folder.fd_)
        return errno == ENOENT ? Error{ErrorKind::NotFound, shown, errno, displayText(shown) + " is not there."}
                               : systemError("open", shown, errno);
    if (const int error = statEntry(folder.fd_.get(), "", folder.self_, StatSync::Fresh); error != 0)
        return systemError("open", shown, error);
    const auto self = static_cast<std::uint32_t>(::setfsuid(static_cast<uid_t>(-1))); // asks, and changes nothing
    if ((folder.self_.uid != self || (folder.self_.mode & 077) != 0) && !keepsNoOwners(folder.fd_.get()))
        return Error{ErrorKind::Changed, shown, 0,
                     displayText(shown) + " is not a folder of Kurvo's own. Nothing in it is touched."};
    return folder;
}

Result<PrivateFolder> PrivateFolder::make(int parent, const std::string& name, const std::string& shown)
{
    if (::mkdirat(parent, name.c_str(), 0700) != 0)
        return systemError("make the folder", shown, errno);
    auto folder = opened(parent, name, shown);
    if (!folder)
        return folder;
    // What a folder hands down to new ones would go on to what is made in this one.
    (void)::fremovexattr(folder->fd(), "system.posix_acl_default");
    (void)::fremovexattr(folder->fd(), "system.posix_acl_access");
    if ((folder->self_.mode & 07777) != 0700)
        (void)::fchmod(folder->fd(), 0700);
    return folder;
}

Result<PrivateFolder> PrivateFolder::open(int parent, const std::string& name, const std::string& shown)
{
    return opened(parent, name, shown);
}

int PrivateFolder::remove(int parent) const
{
    EntryStat now;
    if (const int error = statEntry(parent, name_.c_str(), now, StatSync::Fresh); error != 0)
        return error;
    if (!now.sameObject(self_))
        return ENOENT; // somebody gave it another name
    return ::unlinkat(parent, name_.c_str(), AT_REMOVEDIR) == 0 ? 0 : errno;
}

int changeMode(int pathFd, std::uint32_t mode)
{
#ifdef SYS_fchmodat2
    constexpr long fchmodat2 = SYS_fchmodat2;
#else
    constexpr long fchmodat2 = 452; // Linux 6.6, the same number everywhere
#endif
    if (::syscall(fchmodat2, pathFd, "", mode, AT_EMPTY_PATH) == 0)
        return 0;
    if (errno != ENOSYS && errno != EPERM)
        return errno;
    return ::chmod(("/proc/self/fd/" + std::to_string(pathFd)).c_str(), mode) == 0 ? 0 : errno;
}

} // namespace kurvo
