// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/file_copy.h"

#include <fcntl.h>
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/xattr.h>

#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <string_view>

#include "core/act/tree_walk.h"
#include "core/platform/private_folder.h"

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

/// Flags that go with a file when it is moved, where both filesystems have them (ioctl_iflags(2)).
constexpr unsigned keptFlags = FS_NODUMP_FL | FS_NOATIME_FL | FS_SYNC_FL | FS_DIRSYNC_FL;

unsigned fileFlags(int fd)
{
    int flags = 0;
    return ::ioctl(fd, FS_IOC_GETFLAGS, &flags) == 0 ? static_cast<unsigned>(flags) : 0;
}

bool isOfPrograms(const char* attribute)
{
    return std::string_view(attribute) == "security.capability";
}

} // namespace

FileCopier::FileCopier(std::stop_token stop, BytesReport onBytes, Busy& busy)
    : stop_(std::move(stop)), onBytes_(std::move(onBytes)), busy_(busy), buffer_(bufferSize), user_(::geteuid()),
      group_(::getegid())
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
    if (!opened.sameContent(made.stat))
        return changed(shown.fromText(), "was written to or replaced");
    // From here on whatever is written to it shows in its times: nobody has it open for writing, and a change would
    // get another time than the last one had.
    const auto path = [&] { return shown.fromText(); };
    if (auto idle = busy_.check(source.get(), opened, path); !idle)
        return idle;
    if (waitUntilSettled(opened)) {
        EntryStat again;
        if (const int error = statEntry(source.get(), "", again, StatSync::Fresh); error != 0)
            return fromError(error);
        if (!again.untouched(opened))
            return changed(shown.fromText(), "was written to");
        if (auto idle = busy_.check(source.get(), opened, path); !idle)
            return idle;
    }
    made.stat = opened;
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
    return finish(source.get(), target.get(), made.stat, groupKept, shown);
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
            const auto n = ::pwrite(target, buffer_.data() + written, size - written, static_cast<off_t>(at + written));
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
    losses.attributes |= got < 0;
    std::vector<char> value;
    for (const char* name = names.data(); got > 0 && name < names.data() + got;
         name += std::string_view(name).size() + 1) {
        const auto length = ::fgetxattr(source, name, nullptr, 0);
        value.resize(length > 0 ? static_cast<std::size_t>(length) : 0);
        const auto read = length > 0 ? ::fgetxattr(source, name, value.data(), value.size()) : length;
        if (read >= 0 && ::fsetxattr(target, name, value.data(), static_cast<std::size_t>(read), 0) == 0)
            continue;
        (isOfPrograms(name) ? losses.rights : losses.attributes) = true;
    }
}

void FileCopier::copyFlags(int source, int target)
{
    const auto flags = fileFlags(source) & keptFlags;
    if (flags == 0)
        return;
    int now = 0;
    if (::ioctl(target, FS_IOC_GETFLAGS, &now) != 0 ||
        (now |= static_cast<int>(flags), ::ioctl(target, FS_IOC_SETFLAGS, &now) != 0))
        losses.flags = true;
}

Result<Done> FileCopier::finish(int source, int target, const EntryStat& stat, bool groupKept, const ShownEntry& shown)
{
    bool ownerKept = stat.uid == user_ && stat.gid == group_ && groupKept; // it was made so
    if (!ownerKept && ::fchown(target, stat.uid, stat.gid) == 0)
        ownerKept = true;
    if (!ownerKept) {
        losses.owners = true;
        losses.rights |= (stat.mode & 06000u) != 0;
        (void)::fchown(target, static_cast<uid_t>(-1), stat.gid); // the group alone may be allowed
    }
    // Without its owner a program must not run with another's rights.
    const auto mode = stat.mode & (ownerKept ? 07777u : 01777u);
    if (::fchmod(target, mode) != 0 && errno != EPERM && errno != EOPNOTSUPP)
        return systemError("write", shown.toText(), errno);
    copyAttributes(source, target);
    copyFlags(source, target);
    const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
    if (::futimens(target, times) != 0)
        return systemError("write", shown.toText(), errno);
    return Done{};
}

std::string Losses::sentence() const
{
    std::string what;
    for (const auto& [is, name] : {std::pair{owners, "owners"},
                                   {attributes, "extended attributes and ACLs"},
                                   {rights, "the rights of programs (capabilities, set-user-ID)"},
                                   {flags, "file flags (chattr)"}})
        if (is)
            what += (what.empty() ? "" : ", ") + std::string(name);
    return what.empty() ? what : "The destination does not keep " + what + ".";
}

namespace {

/// What a destination keeps.
struct Keeps {
    bool owners, attributes, acls, flags;
    EntryStat folder; ///< where it goes
};

/// What one entry would lose. `path`: an O_PATH descriptor.
Losses lossesOf(int path, const EntryStat& stat, const Keeps& keeps)
{
    const auto [owners, attributes, acls, flags, folder] = keeps;
    Losses losses;
    const bool root = ::geteuid() == 0;
    if (!owners) {
        losses.owners = stat.uid != folder.uid || stat.gid != folder.gid;
        losses.rights = losses.owners && stat.kind == EntryKind::File && (stat.mode & 06000u) != 0;
    } else if (!root && (stat.uid != ::geteuid() || (stat.gid != ::getegid() && ::group_member(stat.gid) == 0))) {
        losses.owners = true;
        losses.rights = stat.kind == EntryKind::File && (stat.mode & 06000u) != 0;
    }
    if (stat.kind != EntryKind::File && stat.kind != EntryKind::Folder)
        return losses;
    const auto self = "/proc/self/fd/" + std::to_string(path);
    char names[16384];
    const auto got = ::listxattr(self.c_str(), names, sizeof names);
    losses.attributes = got < 0 && errno == ERANGE && !attributes;
    for (const char* name = names; got > 0 && name < names + got; name += std::string_view(name).size() + 1) {
        const std::string_view text(name);
        if (isOfPrograms(name))
            losses.rights |= !root || !attributes;
        else if (text.starts_with("system.posix_acl"))
            losses.attributes |= !acls;
        else
            losses.attributes |= !attributes || (!root && !text.starts_with("user."));
    }
    if (!flags) {
        const UniqueFd fd(::open(self.c_str(), O_RDONLY | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
        losses.flags = fd && (fileFlags(fd.get()) & keptFlags) != 0;
    }
    return losses;
}

} // namespace

Result<Losses> expectedLosses(int from, const std::string& name, const std::string& shownFrom, int to,
                              std::stop_token stop)
{
    char value[64];
    const bool attributes = ::fgetxattr(to, "user.kurvo", value, sizeof value) >= 0 || errno != EOPNOTSUPP;
    const bool acls = ::fgetxattr(to, "system.posix_acl_access", value, sizeof value) >= 0 || errno != EOPNOTSUPP;
    int now = 0;
    const bool flags = ::ioctl(to, FS_IOC_GETFLAGS, &now) == 0;
    Keeps keeps{!keepsNoOwners(to), attributes, acls, flags, {}};
    (void)statEntry(to, "", keeps.folder, StatSync::Fresh);
    Losses losses;
    const auto walked = walkTree(
        from, name, shownFrom,
        [&](int parent, const std::string& entry, const EntryStat& stat, const std::string& shown) -> Result<Done> {
            if (stop.stop_requested())
                return cancelled(shown);
            const UniqueFd path(::openat(parent, entry.c_str(), O_PATH | O_NOFOLLOW | O_CLOEXEC));
            EntryStat opened;
            if (path && statEntry(path.get(), "", opened, StatSync::Fresh) == 0 && opened.sameObject(stat))
                losses.add(lossesOf(path.get(), stat, keeps));
            return Done{};
        });
    return walked ? Result<Losses>(losses) : walked.error();
}

} // namespace kurvo
