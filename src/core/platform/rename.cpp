// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/rename.h"

#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

#include "core/platform/private_folder.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

namespace {

int renamePlainly(int fromFolder, const char* from, int toFolder, const char* to)
{
    if (::renameat2(fromFolder, from, toFolder, to, RENAME_NOREPLACE) == 0)
        return 0;
    if (errno != EINVAL && errno != ENOSYS && errno != EOPNOTSUPP)
        return errno;
    EntryStat stat;
    if (const int error = statEntry(fromFolder, from, stat, StatSync::Fresh); error != 0)
        return error;
    if (stat.kind == EntryKind::Folder) {
        EntryStat there;
        const int error = statEntry(toFolder, to, there, StatSync::Fresh);
        if (error != ENOENT)
            return error == 0 ? EEXIST : error;
        if (::renameat(fromFolder, from, toFolder, to) == 0)
            return 0;
        return errno == ENOTEMPTY || errno == ENOTDIR ? EEXIST : errno;
    }
    if (::linkat(fromFolder, from, toFolder, to, 0) != 0)
        return errno == EPERM || errno == ENOSYS ? EOPNOTSUPP : errno;
    if (::unlinkat(fromFolder, from, 0) == 0)
        return 0;
    const int error = errno;
    (void)::unlinkat(toFolder, to, 0); // the further name that was just made
    return error;
}

} // namespace

int renameNoReplace(int fromFolder, const char* from, int toFolder, const char* to)
{
    const int refused = renamePlainly(fromFolder, from, toFolder, to);
    if (refused != EACCES)
        return refused;
    // A folder that comes into another one has its ".." changed, which takes the right to write to it (rename(2)).
    const UniqueFd folder(::openat(fromFolder, from, O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
    EntryStat stat;
    if (!folder || statEntry(folder.get(), "", stat, StatSync::Fresh) != 0 || (stat.mode & S_IWUSR) != 0 ||
        changeMode(folder.get(), (stat.mode & 07777) | S_IWUSR) != 0)
        return refused;
    const int error = renamePlainly(fromFolder, from, toFolder, to);
    (void)changeMode(folder.get(), stat.mode & 07777);
    return error;
}

int syncFolder(int folder)
{
    if (::fsync(folder) == 0)
        return 0;
    // One that may not be read (an O_PATH descriptor), and filesystems that have no such thing.
    return errno == EBADF || errno == EINVAL || errno == ENOSYS || errno == EOPNOTSUPP || errno == EROFS ? 0 : errno;
}

int renameExchange(int folderA, const char* a, int folderB, const char* b)
{
    return ::renameat2(folderA, a, folderB, b, RENAME_EXCHANGE) == 0 ? 0 : errno;
}

} // namespace kurvo
