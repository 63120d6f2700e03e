// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/user_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>

#include "core/base/text.h"

namespace kurvo {

Result<AtomicFile::Existing> mayWrite(const std::string& path, const std::string& what, bool force,
                                      const IsOwnKind& isOwnKind)
{
    const auto shown = displayText(path);
    const auto refused = [&](const std::string& why) { return Error{ErrorKind::Unsupported, path, EEXIST, why}; };
    if (path.empty() || path.ends_with('/'))
        return refused("\"" + shown + "\" names no file.");
    struct stat s { };
    const bool there = ::lstat(path.c_str(), &s) == 0;
    if (!there && errno != ENOENT)
        return systemError("write", path, errno);
    if (there && !S_ISREG(s.st_mode))
        return refused(shown + " is not an ordinary file. It is not replaced.");
    if (there && !force)
        return refused(shown + " is there already. To replace it, add --force.");
    if (there) {
        const UniqueFd fd(::open(path.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC));
        char begin[64];
        const auto size = fd ? ::read(fd.get(), begin, sizeof begin) : -1;
        if (size < 0)
            return systemError("read", path, errno);
        if (size > 0 && !isOwnKind({begin, static_cast<std::size_t>(size)}))
            return refused(shown + " is not " + what + " of Kurvo's. It is not replaced.");
    }
    const auto existing = there ? AtomicFile::Existing::Replace : AtomicFile::Existing::Keep;
    const auto tried = AtomicFile::create(path, AtomicFile::Readers::OwnerOnly, existing); // and let go
    return tried ? Result<AtomicFile::Existing>(existing) : tried.error();
}

} // namespace kurvo
