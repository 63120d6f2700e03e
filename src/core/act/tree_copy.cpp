// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/tree_copy.h"

#include <sys/stat.h>
#include <sys/xattr.h>

#include <map>

#include "core/act/tree_content.h"
#include "core/act/tree_walk.h"

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

class Copier {
public:
    Copier(int top, std::string topName, std::stop_token stop, const BytesReport& onBytes)
        : top_(top), topName_(std::move(topName)), stop_(std::move(stop)), onBytes_(onBytes), buffer_(bufferSize)
    {
    }

    Result<TreeCopy> run(int from, const std::string& name, const std::string& shownFrom, const std::string& shownTo)
    {
        EntryStat stat;
        if (const int error = statEntry(from, name.c_str(), stat, StatSync::Fresh); error != 0)
            return systemError("copy", shownFrom, error);
        device_ = stat.device;
        mountId_ = stat.mountId;
        shownFrom_ = ShownPath(shownFrom);
        shownTo_ = ShownPath(shownTo);
        below_ = topName_;
        if (auto done = entry(from, name, top_, topName_, nullptr, 0); !done)
            return done.error();
        return std::move(copy_);
    }

private:
    Error fromError(int error) const { return systemError("copy", shownFrom_.text(), error); }
    Error toError(int error) const { return systemError("write", shownTo_.text(), error); }

    struct Pair {
        WalkFolder source, target;
    };

    Result<Done> entry(int from, const std::string& name, int to, const std::string& newName, Pair* above, int level)
    {
        if (stop_.stop_requested())
            return cancelled(shownFrom_.text());
        CopiedEntry made;
        made.name = name;
        if (const int error = statEntry(from, name.c_str(), made.stat, StatSync::Fresh); error != 0)
            return fromError(error);
        if (made.stat.device != device_ || made.stat.mountId != mountId_)
            return Error{ErrorKind::Unsupported, shownFrom_.text(), EXDEV,
                         "Another filesystem is mounted at " + displayText(shownFrom_.text()) +
                             ". It is not moved along."};
        if (made.stat.fixed)
            return Error{ErrorKind::Unsupported, shownFrom_.text(), EPERM,
                         displayText(shownFrom_.text()) +
                             " is marked immutable (chattr +i), so that the original could not be removed."};
        switch (made.stat.kind) {
        case EntryKind::Folder:
            return folder(from, name, to, newName, made, above, level);
        case EntryKind::File:
            return file(from, name, to, newName, made);
        case EntryKind::SymbolicLink:
            return link(from, name, to, newName, made);
        default:
            return special(to, newName, made);
        }
    }

    Result<Done> folder(int from, const std::string& name, int to, const std::string& newName, const CopiedEntry& made,
                        Pair* above, int level)
    {
        if (level >= mostLevels)
            return tooDeep(shownFrom_.text());
        if (::mkdirat(to, newName.c_str(), 0700) != 0)
            return toError(errno);
        Pair own;
        if (const int error = own.source.open(from, name.c_str()); error != 0)
            return fromError(error);
        if (!own.source.self().sameObject(made.stat))
            return changed(shownFrom_.text(), "was replaced by something else");
        if (made.stat.uid != ::geteuid() && ::faccessat(own.source.fd(), ".", W_OK | X_OK, AT_EACCESS) != 0)
            return Error{ErrorKind::NoPermission, shownFrom_.text(), EACCES,
                         "You may not remove what is in " + displayText(shownFrom_.text()) +
                             ". Administrator rights are needed."};
        if (const int error = own.target.open(to, newName.c_str()); error != 0)
            return toError(error);
        if (above && level > mostOpen) {
            above->source.close();
            above->target.close();
        }
        copy_.entries.push_back(made);
        std::vector<std::string> names;
        if (const int error = own.source.list(names); error != 0)
            return fromError(error);
        for (const auto& child : names) {
            const auto length = below_.size();
            shownFrom_.down(child);
            shownTo_.down(child);
            below_ += '/' + child;
            if (auto done = entry(own.source.fd(), child, own.target.fd(), child, &own, level + 1); !done)
                return done;
            below_.resize(length);
            shownFrom_.up();
            shownTo_.up();
        }
        copyAttributes(own.source.fd(), own.target.fd());
        if (above && level > mostOpen) {
            if (const int error = above->source.reopen(own.source.fd()); error != 0)
                return fromError(error);
            if (const int error = above->target.reopen(own.target.fd()); error != 0)
                return toError(error);
        }
        return finish(own.target.fd(), made.stat);
    }

    Result<Done> file(int from, const std::string& name, int to, const std::string& newName, CopiedEntry& made)
    {
        if (made.stat.links > 1) {
            const auto known = links_.find(made.stat.inode);
            if (known != links_.end()) {
                if (::linkat(top_, known->second.c_str(), to, newName.c_str(), 0) == 0) {
                    made.linkedAgain = true;
                    copy_.entries.push_back(std::move(made));
                    return Done{};
                }
                if (errno != EPERM && errno != EOPNOTSUPP && errno != EMLINK && errno != ENAMETOOLONG)
                    return toError(errno);
                // The destination has no hard links: then it is a file of its own.
            } else {
                links_.emplace(made.stat.inode, below_);
            }
        }
        UniqueFd source(::openat(from, name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
        if (!source)
            return fromError(errno);
        EntryStat opened;
        if (const int error = statEntry(source.get(), "", opened, StatSync::Fresh); error != 0)
            return fromError(error);
        if (!sameFile(opened, made.stat))
            return changed(shownFrom_.text(), "was written to or replaced");
        UniqueFd target(::openat(to, newName.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600));
        if (!target)
            return toError(errno);
        ::posix_fadvise(source.get(), 0, 0, POSIX_FADV_SEQUENTIAL);
        made.data = dataOf(source.get(), made.stat.size);
        Hasher hasher;
        const auto copied = forEachPiece(made.data, made.stat.size, [&](std::uint64_t begin, std::uint64_t end) {
            return copyPiece(source.get(), target.get(), begin, end, hasher);
        });
        if (!copied)
            return copied;
        if (::ftruncate(target.get(), static_cast<off_t>(made.stat.size)) != 0)
            return toError(errno);
        made.hash = hasher.hash();
        copyAttributes(source.get(), target.get());
        if (const int error = statEntry(source.get(), "", opened, StatSync::Fresh); error != 0)
            return fromError(error);
        if (!sameFile(opened, made.stat))
            return changed(shownFrom_.text(), "was written to");
        const auto stat = made.stat;
        copy_.entries.push_back(std::move(made));
        return finish(target.get(), stat);
    }

    Result<Done> copyPiece(int source, int target, std::uint64_t at, std::uint64_t end, Hasher& hasher)
    {
        while (at < end) {
            if (stop_.stop_requested())
                return cancelled(shownFrom_.text());
            const auto want = std::min<std::uint64_t>(buffer_.size(), end - at);
            const auto got = ::pread(source, buffer_.data(), want, static_cast<off_t>(at));
            if (got < 0 && errno == EINTR)
                continue;
            if (got < 0)
                return fromError(errno);
            if (got == 0)
                return changed(shownFrom_.text(), "became shorter");
            const auto size = static_cast<std::size_t>(got);
            hasher.add(buffer_.data(), size);
            for (std::size_t written = 0; written < size;) {
                const auto n =
                    ::pwrite(target, buffer_.data() + written, size - written, static_cast<off_t>(at + written));
                if (n < 0 && errno == EINTR)
                    continue;
                if (n <= 0)
                    return toError(n == 0 ? ENOSPC : errno);
                written += static_cast<std::size_t>(n);
            }
            at += size;
            copy_.bytes += size;
            if (onBytes_)
                onBytes_(size);
        }
        return Done{};
    }

    Result<Done> link(int from, const std::string& name, int to, const std::string& newName, CopiedEntry& made)
    {
        std::string target;
        if (const int error = readLink(from, name.c_str(), target); error != 0)
            return fromError(error);
        if (::symlinkat(target.c_str(), to, newName.c_str()) != 0)
            return toError(errno);
        made.hash = hashOf(target);
        const auto stat = made.stat;
        copy_.entries.push_back(std::move(made));
        if (::fchownat(to, newName.c_str(), stat.uid, stat.gid, AT_SYMLINK_NOFOLLOW) != 0)
            copy_.ownersKept = false;
        const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
        ::utimensat(to, newName.c_str(), times, AT_SYMLINK_NOFOLLOW); // some filesystems keep none for links
        return Done{};
    }

    Result<Done> special(int to, const std::string& newName, CopiedEntry& made)
    {
        if (made.stat.kind != EntryKind::Fifo)
            return Error{ErrorKind::Unsupported, shownFrom_.text(), 0,
                         displayText(shownFrom_.text()) +
                             " is a socket or a device, which cannot be moved to another drive."};
        if (::mkfifoat(to, newName.c_str(), 0600) != 0)
            return toError(errno);
        const auto stat = made.stat;
        copy_.entries.push_back(std::move(made));
        if (::fchownat(to, newName.c_str(), stat.uid, stat.gid, AT_SYMLINK_NOFOLLOW) != 0)
            copy_.ownersKept = false;
        ::fchmodat(to, newName.c_str(), stat.mode & 07777, 0);
        const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
        ::utimensat(to, newName.c_str(), times, AT_SYMLINK_NOFOLLOW);
        return Done{};
    }

    /// Extended attributes, with the ACLs and capabilities that are kept as such.
    void copyAttributes(int source, int target)
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
        copy_.attributesLost += lost ? 1 : 0;
    }

    /// Owner, mode and times, in this order: a change of owner clears bits of the mode, and times come last.
    Result<Done> finish(int target, const EntryStat& stat)
    {
        if (::fchown(target, stat.uid, stat.gid) != 0) {
            copy_.ownersKept = false;
            (void)::fchown(target, static_cast<uid_t>(-1), stat.gid); // the group alone may be allowed
        }
        // Without its owner a program must not run with another's rights.
        const auto mode = stat.mode & (copy_.ownersKept ? 07777u : 01777u);
        if (::fchmod(target, mode) != 0 && errno != EPERM && errno != EOPNOTSUPP)
            return toError(errno);
        const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
        if (::futimens(target, times) != 0)
            return toError(errno);
        return Done{};
    }

    int top_;
    std::string topName_;
    std::stop_token stop_;
    const BytesReport& onBytes_;
    std::vector<char> buffer_;
    std::uint64_t device_ = 0, mountId_ = 0;
    ShownPath shownFrom_{""}, shownTo_{""};
    std::string below_;                          ///< the copy that is made now, from the top folder
    std::map<std::uint64_t, std::string> links_; ///< by inode: the first copy of a file with several links
    TreeCopy copy_;
};

} // namespace

Result<TreeCopy> copyTree(int from, const std::string& name, const std::string& shownFrom, int to,
                          const std::string& newName, const std::string& shownTo, std::stop_token stop,
                          const BytesReport& onBytes)
{
    return Copier(to, newName, std::move(stop), onBytes).run(from, name, shownFrom, shownTo);
}

} // namespace kurvo
