// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/result.h"

#include <cerrno>

#include "core/base/text.h"

namespace kurvo {
namespace {

ErrorKind kindOf(int sysError)
{
    switch (sysError) {
    case ENOENT:
        return ErrorKind::NotFound;
    case ENOTDIR:
        return ErrorKind::NotAFolder;
    case EACCES:
    case EPERM:
        return ErrorKind::NoPermission;
    case ENOSPC:
    case EDQUOT:
        return ErrorKind::NoSpace;
    default:
        return ErrorKind::System;
    }
}

std::string reasonOf(int sysError)
{
    switch (sysError) {
    case ENOENT:
        return "it is not there";
    case ENOTDIR:
        return "it is not a folder";
    case EACCES:
        return "permission denied";
    case EPERM:
        return "the system does not allow it";
    case ENOSPC:
        return "the disk is full";
    case EDQUOT:
        return "the disk quota is used up";
    case EROFS:
        return "the filesystem is read-only";
    case EIO:
        return "the device reported a read or write error";
    case EXDEV:
        return "it lies on another filesystem";
    case ELOOP:
        return "it is, or leads through, a symbolic link";
    default:
        return systemErrorText(sysError);
    }
}

} // namespace

Error systemError(const std::string& what, const std::string& path, int sysError)
{
    return {kindOf(sysError), path, sysError,
            "Could not " + what + (path.empty() ? "" : " " + displayText(path)) + ": " + reasonOf(sysError) + "."};
}

} // namespace kurvo
