// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/atomic_file.h"

#include <fcntl.h>
#include <stdlib.h>
#include <sys/stat.h>

#include <cerrno>
#include <cstdio>

#include "core/base/text.h"
#include "core/platform/rename.h"

namespace kurvo {

Result<AtomicFile> AtomicFile::create(const std::string& path, Readers readers, Existing existing)
{
    AtomicFile file;
    // A bare name is one of the current folder; its parent, as a path, would be the root.
    file.path_ = path.find('/') == path.npos ? "./" + path : path;
    file.existing_ = existing;
    struct stat there { };
    if (::lstat(file.path_.c_str(), &there) == 0 && !S_ISREG(there.st_mode) && !S_ISLNK(there.st_mode))
        return Error{ErrorKind::Unsupported, path, EEXIST,
                     displayText(path) + " is not an ordinary file. It is not replaced."};
    const std::string folder(parentPath(file.path_));
    file.fd_ =
        UniqueFd(::open(folder.c_str(), O_TMPFILE | O_WRONLY | O_CLOEXEC, readers == Readers::OwnerOnly ? 0600 : 0666));
    if (file.fd_)
        return file;
    if (errno != EOPNOTSUPP && errno != EISDIR && errno != EINVAL)
        return systemError("write", path, errno);
    // Filesystems without nameless files (vfat, some network ones): a hidden name that is removed on failure.
    file.temporary_ = joinPath(folder, ".kurvo-partial-XXXXXX");
    file.fd_ = UniqueFd(::mkostemp(file.temporary_.data(), O_CLOEXEC));
    if (!file.fd_) {
        const int error = errno;
        file.temporary_.clear();
        return systemError("write", path, error);
    }
    return file;
}

/// Gives a nameless file a name beside its place, from where it can be renamed over what is there.
int AtomicFile::giveName()
{
    const auto self = "/proc/self/fd/" + std::to_string(fd_.get());
    for (unsigned attempt = 0; attempt < 1000; ++attempt) {
        const auto name =
            joinPath(parentPath(path_), ".kurvo-partial-" + std::to_string(getpid()) + "-" + std::to_string(attempt));
        if (::linkat(AT_FDCWD, self.c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) == 0) {
            temporary_ = name;
            return 0;
        }
        if (errno != EEXIST)
            return errno;
    }
    return EEXIST;
}

AtomicFile::~AtomicFile()
{
    if (fd_ && !temporary_.empty())
        ::unlink(temporary_.c_str());
}

void AtomicFile::write(const void* data, std::size_t size)
{
    const char* bytes = static_cast<const char*>(data);
    buffer_.insert(buffer_.end(), bytes, bytes + size);
    if (buffer_.size() >= (1u << 20))
        flush();
}

void AtomicFile::flush()
{
    std::size_t done = 0;
    while (done < buffer_.size() && error_ == 0) {
        const auto n = ::write(fd_.get(), buffer_.data() + done, buffer_.size() - done);
        if (n > 0)
            done += static_cast<std::size_t>(n);
        else if (errno != EINTR)
            error_ = n == 0 ? EIO : errno;
    }
    buffer_.clear();
}

Result<Done> AtomicFile::commit()
{
    flush();
    if (error_ == 0 && ::fsync(fd_.get()) != 0)
        error_ = errno;
    if (error_ == 0 && temporary_.empty())
        error_ = giveName();
    if (error_ == 0 && existing_ == Existing::Keep)
        error_ = renameNoReplace(AT_FDCWD, temporary_.c_str(), AT_FDCWD, path_.c_str());
    else if (error_ == 0 && ::rename(temporary_.c_str(), path_.c_str()) != 0)
        error_ = errno;
    if (error_ == EEXIST)
        return Error{ErrorKind::Unsupported, path_, error_,
                     "Something stands at " + displayText(path_) + " already. It is not replaced."};
    if (error_ != 0)
        return systemError("write", path_, error_);
    temporary_.clear();
    fd_.reset();
    // The rename itself is durable only once the folder is synced.
    UniqueFd folder(::open(std::string(parentPath(path_)).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (const int error = folder ? syncFolder(folder.get()) : 0; error != 0)
        return systemError("write", path_, error);
    return Done{};
}

} // namespace kurvo
