// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/file_content.h"

#include <fcntl.h>
#include <linux/fiemap.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstddef>
#include <cstring>
#include <memory>

#define XXH_INLINE_ALL
#include <xxhash.h>

#include "core/base/text.h"

namespace kurvo {
namespace {

ContentHash hashOf(const XXH128_hash_t& hash)
{
    return {hash.high64, hash.low64};
}

Error changed(const std::string& path)
{
    return {ErrorKind::Changed, path, 0, displayText(path) + " has changed since it was scanned."};
}

bool isAsSeen(const struct stat& s, const SeenFile& seen)
{
    return S_ISREG(s.st_mode) && s.st_ino == seen.inode && static_cast<std::uint64_t>(s.st_size) == seen.size &&
           s.st_mtim.tv_sec == seen.modified && static_cast<std::uint32_t>(s.st_mtim.tv_nsec) == seen.modifiedNs;
}

} // namespace

Result<FileContent> FileContent::open(const std::string& path, const SeenFile& seen)
{
    constexpr int flags = O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_CLOEXEC | O_NOCTTY;
    UniqueFd fd(::open(path.c_str(), flags | O_NOATIME)); // the owner may
    if (!fd && errno == EPERM)
        fd = UniqueFd(::open(path.c_str(), flags));
    if (!fd)
        return errno == ELOOP ? changed(path) : systemError("read", path, errno);
    struct stat s { };
    if (::fstat(fd.get(), &s) != 0)
        return systemError("look at", path, errno);
    if (!isAsSeen(s, seen))
        return changed(path);
    return FileContent(std::move(fd), path, seen);
}

Result<std::size_t> FileContent::readAt(char* to, std::size_t size, std::uint64_t offset) const
{
    std::size_t done = 0;
    while (done < size) {
        const auto got = ::pread(fd_.get(), to + done, size - done, static_cast<off_t>(offset + done));
        if (got < 0 && errno == EINTR)
            continue;
        if (got < 0)
            return systemError("read", path_, errno);
        if (got == 0)
            break;
        done += static_cast<std::size_t>(got);
    }
    return done;
}

Result<ContentHash> FileContent::hashEnds()
{
    std::array<char, 2 * blockSize> ends;
    const bool whole = seen_.size <= ends.size();
    const auto first = readAt(ends.data(), whole ? static_cast<std::size_t>(seen_.size) : blockSize, 0);
    if (!first)
        return first.error();
    std::size_t length = *first;
    if (!whole) {
        const auto last = readAt(ends.data() + blockSize, blockSize, seen_.size - blockSize);
        if (!last)
            return last.error();
        length += *last;
    }
    if (length != std::min<std::uint64_t>(seen_.size, ends.size()))
        return changed(path_);
    return hashOf(XXH3_128bits(ends.data(), length));
}

Result<ContentHash> FileContent::hashWhole(std::vector<char>& buffer, std::stop_token stop,
                                           const std::function<void(std::uint64_t)>& onBytes)
{
    ::posix_fadvise(fd_.get(), 0, 0, POSIX_FADV_SEQUENTIAL);
    struct FreeState {
        void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
    };
    const std::unique_ptr<XXH3_state_t, FreeState> state(XXH3_createState());
    XXH3_128bits_reset(state.get());
    for (std::uint64_t at = 0; at < seen_.size;) {
        if (stop.stop_requested())
            return Error{ErrorKind::Cancelled, path_, 0, "Stopped."};
        const auto wanted = static_cast<std::size_t>(std::min<std::uint64_t>(buffer.size(), seen_.size - at));
        const auto got = readAt(buffer.data(), wanted, at);
        if (!got)
            return got.error();
        if (*got != wanted)
            return changed(path_);
        XXH3_128bits_update(state.get(), buffer.data(), wanted);
        at += wanted;
        onBytes(wanted);
    }
    return hashOf(XXH3_128bits_digest(state.get()));
}

std::uint64_t FileContent::sharedBlocks() const
{
    constexpr std::uint32_t most = 128;
    alignas(fiemap) std::array<std::byte, sizeof(fiemap) + most * sizeof(fiemap_extent)> memory;
    std::uint64_t hash = 1;
    for (std::uint64_t at = 0;;) {
        memory.fill(std::byte{0});
        auto* map = reinterpret_cast<fiemap*>(memory.data());
        map->fm_start = at;
        map->fm_length = FIEMAP_MAX_OFFSET - at;
        map->fm_flags = at == 0 ? FIEMAP_FLAG_SYNC : 0; // blocks of what was just written have no place yet
        map->fm_extent_count = most;
        if (::ioctl(fd_.get(), FS_IOC_FIEMAP, map) != 0 || (map->fm_mapped_extents == 0 && at == 0))
            return 0;
        const auto* extents = reinterpret_cast<const fiemap_extent*>(memory.data() + offsetof(fiemap, fm_extents));
        for (std::uint32_t i = 0; i < map->fm_mapped_extents; ++i) {
            const auto& e = extents[i];
            if ((e.fe_flags & FIEMAP_EXTENT_SHARED) == 0 || (e.fe_flags & FIEMAP_EXTENT_UNKNOWN) != 0)
                return 0;
            const std::uint64_t place[] = {e.fe_logical, e.fe_physical, e.fe_length, hash};
            hash = XXH3_64bits(place, sizeof place);
            at = e.fe_logical + e.fe_length;
            if ((e.fe_flags & FIEMAP_EXTENT_LAST) != 0)
                return hash;
        }
        if (map->fm_mapped_extents == 0)
            return hash;
    }
}

Result<Done> FileContent::verify() const
{
    struct stat s { };
    if (::fstat(fd_.get(), &s) != 0)
        return systemError("look at", path_, errno);
    if (!isAsSeen(s, seen_))
        return changed(path_);
    return Done{};
}

Result<bool> sameContent(const std::string& a, const SeenFile& seenA, const std::string& b, const SeenFile& seenB,
                         std::stop_token stop)
{
    if (seenA.size != seenB.size)
        return false;
    const auto first = FileContent::open(a, seenA);
    if (!first)
        return first.error();
    const auto second = FileContent::open(b, seenB);
    if (!second)
        return second.error();
    constexpr std::size_t step = 1 << 18;
    std::vector<char> left(step), right(step);
    const auto read = [](int fd, std::vector<char>& to, std::size_t size, std::uint64_t at) {
        std::size_t done = 0;
        while (done < size) {
            const auto got = ::pread(fd, to.data() + done, size - done, static_cast<off_t>(at + done));
            if (got < 0 && errno == EINTR)
                continue;
            if (got <= 0)
                return got < 0 ? errno : ENODATA;
            done += static_cast<std::size_t>(got);
        }
        return 0;
    };
    for (std::uint64_t at = 0; at < seenA.size;) {
        if (stop.stop_requested())
            return Error{ErrorKind::Cancelled, a, 0, "Stopped."};
        const auto size = static_cast<std::size_t>(std::min<std::uint64_t>(step, seenA.size - at));
        if (const int error = read(first->fd(), left, size, at); error != 0)
            return error == ENODATA ? changed(a) : systemError("read", a, error);
        if (const int error = read(second->fd(), right, size, at); error != 0)
            return error == ENODATA ? changed(b) : systemError("read", b, error);
        if (std::memcmp(left.data(), right.data(), size) != 0)
            return false;
        at += size;
    }
    if (const auto still = first->verify(); !still)
        return still.error();
    if (const auto still = second->verify(); !still)
        return still.error();
    return true;
}

} // namespace kurvo
