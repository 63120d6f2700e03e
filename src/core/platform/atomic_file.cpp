// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/atomic_file.h"

#include <fcntl.h>
#include <stdlib.h>

#include <cerrno>
#include <cstdio>

#include "core/base/text.h"

namespace kurvo {

Result<AtomicFile> AtomicFile::create(const std::string& path)
{
    AtomicFile file;
    file.path_ = path;
    file.temporary_ = joinPath(parentPath(path), ".kurvo-partial-XXXXXX");
    file.fd_ = UniqueFd(::mkostemp(file.temporary_.data(), O_CLOEXEC));
    if (!file.fd_) {
        file.temporary_.clear();
        return systemError("write", path, errno);
    }
    return file;
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
    if (error_ == 0 && ::rename(temporary_.c_str(), path_.c_str()) != 0)
        error_ = errno;
    if (error_ != 0)
        return systemError("write", path_, error_);
    temporary_.clear();
    fd_.reset();
    // The rename itself is durable only once the folder is synced.
    UniqueFd folder(::open(std::string(parentPath(path_)).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (folder)
        ::fsync(folder.get());
    return Done{};
}

} // namespace kurvo
