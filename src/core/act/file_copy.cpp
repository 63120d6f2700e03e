// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/file_copy.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>

namespace kurvo {
namespace {

/// Where the data of a file lies, begin and end in turn; nothing when all of it is data or the filesystem has no word
/// for holes (lseek(2)).
std::vector<std::uint64_t> dataOf(int fd, std::uint64_t size)
{
    std::vector<std::uint64_t> data;
    for (off_t at = 0; static_cast<std::uint64_t>(at) < size;) {
        const off_t begin = ::lseek(fd, at, SEEK_DATA);
        if (begin < 0 && errno == ENXIO)
            break; // nothing but a hole from here
        if (begin < 0)
            return {};
        off_t end = ::lseek(fd, begin, SEEK_HOLE);
        if (end < 0)
            return {};
        end = std::min(end, static_cast<off_t>(size));
        data.push_back(static_cast<std::uint64_t>(begin));
        data.push_back(static_cast<std::uint64_t>(end));
        at = end;
    }
    if (data.size() == 2 && data[0] == 0 && data[1] == size)
        return {};
    if (data.empty() && size > 0)
        data = {size, size}; // all of it is a hole
    return data;
}

} // namespace

FileCopier::FileCopier(std::stop_token stop, BytesReport onBytes)
    : stop_(std::move(stop)), onBytes_(std::move(onBytes)), buffer_(bufferSize), user_(::geteuid()), group_(::getegid())
{
}

Result<Done> FileCopier::copy(int from, const std::string& name, int to, const std::string& newName, bool groupKept,
                              CopiedEntry& made, const ShownEntry& shown)
{
    const auto fromError = [&](int error) { return systemError("copy", shown.fromText(), error); };
    const auto toError = [&](int error) { return systemError("write", shown.toText(), error); };
    UniqueFd source(::openat(from, name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
    if (!source)
        return fromError(errno);
    EntryStat opened;
    if (const int error = statEntry(source.get(), "", opened, StatSync::Fresh); error != 0)
        return fromError(error);
    if (!sameFile(opened, made.stat))
        return changed(shown.fromText(), "was written to or replaced");
    UniqueFd target(::openat(to, newName.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600));
    if (!target)
        return toError(errno);
    const auto size = made.stat.size;
    // Fewer blocks than bytes: there may be holes (lseek(2)), or it is compressed.
    if (made.stat.blocks * 512 < size)
        made.data = dataOf(source.get(), size);
    if (size > bufferSize)
        ::posix_fadvise(source.get(), 0, 0, POSIX_FADV_SEQUENTIAL);
    hasher_.reset();
    const auto copied = forEachPiece(made.data, size, [&](std::uint64_t begin, std::uint64_t end) {
        return copyPiece(source.get(), target.get(), begin, end, shown);
    });
    if (!copied)
        return copied;
    if (!made.data.empty() && ::ftruncate(target.get(), static_cast<off_t>(size)) != 0)
        return toError(errno);
    made.hash = hasher_.hash();
    copyAttributes(source.get(), target.get());
    return finish(target.get(), made.stat, groupKept, shown);
}

Result<Done> FileCopier::copyPiece(int source, int target, std::uint64_t at, std::uint64_t end, const ShownEntry& shown)
{
    while (at < end) {
        if (stop_.stop_requested())
            return cancelled(shown.fromText());
        const auto want = std::min<std::uint64_t>(buffer_.size(), end - at);
        const auto got = ::pread(source, buffer_.data(), want, static_cast<off_t>(at));
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return systemError("copy", shown.fromText(), errno);
        if (got == 0)
            return changed(shown.fromText(), "became shorter");
        const auto size = static_cast<std::size_t>(got);
        hasher_.add(buffer_.data(), size);
        for (std::size_t written = 0; written < size;) {
            const auto n =
                ::pwrite(target, buffer_.data() + written, size - written, static_cast<off_t>(at + written));
            if (n < 0 && errno == EINTR)
                continue;
            if (n <= 0)
                return systemError("write", shown.toText(), n == 0 ? ENOSPC : errno);
            written += static_cast<std::size_t>(n);
        }
        at += size;
        // What is written starts on its way to the drive at once, so that the sync at the end finds little left.
        if (size == bufferSize)
            ::sync_file_range(target, static_cast<off_t>(at - size), static_cast<off_t>(size), SYNC_FILE_RANGE_WRITE);
        bytes += size;
        if (onBytes_)
            onBytes_(size);
    }
    return Done{};
}

void FileCopier::copyAttributes(int source, int target)
{
    const auto size = ::flistxattr(source, nullptr, 0);
    if (size <= 0)
        return;
    std::vector<char> names(static_cast<std::size_t>(size));
    const auto got = ::flistxattr(source, names.data(), names.size());
    bool lost = got < 0;
    std::vector<char> value;
    for (const char* name = names.data(); got > 0 && name < names.data() + got;
         name += std::string_view(name).size() + 1) {
        const auto length = ::fgetxattr(source, name, nullptr, 0);
        value.resize(length > 0 ? static_cast<std::size_t>(length) : 0);
        const auto read = length > 0 ? ::fgetxattr(source, name, value.data(), value.size()) : length;
        if (read < 0 || ::fsetxattr(target, name, value.data(), static_cast<std::size_t>(read), 0) != 0)
            lost = true;
    }
    attributesLost += lost ? 1 : 0;
}

Result<Done> FileCopier::finish(int target, const EntryStat& stat, bool groupKept, const ShownEntry& shown)
{
    const bool isOwn = stat.uid == user_ && stat.gid == group_ && groupKept; // it was made so
    if (!isOwn && ::fchown(target, stat.uid, stat.gid) != 0) {
        ownersKept = false;
        (void)::fchown(target, static_cast<uid_t>(-1), stat.gid); // the group alone may be allowed
    }
    // Without its owner a program must not run with another's rights.
    const auto mode = stat.mode & (ownersKept ? 07777u : 01777u);
    if (::fchmod(target, mode) != 0 && errno != EPERM && errno != EOPNOTSUPP)
        return systemError("write", shown.toText(), errno);
    const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
    if (::futimens(target, times) != 0)
        return systemError("write", shown.toText(), errno);
    return Done{};
}

} // namespace kurvo
