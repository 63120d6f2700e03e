// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/tree_copy.h"

#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <sys/xattr.h>
#include <unistd.h>
#include <xxhash.h>

#include <climits>
#include <map>
#include <memory>

#include "core/act/tree_walk.h"

namespace kurvo {
namespace {

constexpr int mostOpen = 64;     ///< levels whose folders stay open
constexpr int mostLevels = 4000; ///< each takes a frame of the stack
constexpr std::size_t bufferSize = 1 << 20;

Error cancelled(const std::string& path)
{
    return {ErrorKind::Cancelled, path, ECANCELED, "Stopped at " + displayText(path) + "."};
}

Error changed(const std::string& path, const std::string& what)
{
    return {ErrorKind::Changed, path, 0,
            displayText(path) + " " + what + " while it was copied. It was left as it is."};
}

Error tooDeep(const std::string& path)
{
    return {ErrorKind::Unsupported, path, ELOOP, displayText(path) + " is nested too deeply to be moved."};
}

Error unlike(const std::string& path)
{
    return {ErrorKind::Damaged, path, EIO,
            displayText(path) +
                " does not read as it was written. The drive that it was copied to is not to be trusted."};
}

/// XXH3-128 over pieces; of the pieces' bytes alone.
class Hasher {
public:
    Hasher() : state_(XXH3_createState()) { XXH3_128bits_reset(state_.get()); }
    void add(const void* bytes, std::size_t size) { XXH3_128bits_update(state_.get(), bytes, size); }
    ContentHash hash() const
    {
        const auto h = XXH3_128bits_digest(state_.get());
        return {h.high64, h.low64};
    }

private:
    struct Free {
        void operator()(XXH3_state_t* state) const { XXH3_freeState(state); }
    };
    std::unique_ptr<XXH3_state_t, Free> state_;
};

ContentHash hashOf(const std::string& text)
{
    Hasher hasher;
    hasher.add(text.data(), text.size());
    return hasher.hash();
}

/// 0 or errno.
int readLink(int folder, const char* name, std::string& target)
{
    target.resize(PATH_MAX);
    const auto n = ::readlinkat(folder, name, target.data(), target.size());
    if (n < 0)
        return errno;
    target.resize(static_cast<std::size_t>(n));
    return 0;
}

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

/// Calls `piece(begin, end)` for the data of an entry.
template <typename Piece>
Result<Done> forEachPiece(const std::vector<std::uint64_t>& data, std::uint64_t size, const Piece& piece)
{
    if (data.empty())
        return size == 0 ? Result<Done>(Done{}) : piece(0, size);
    for (std::size_t i = 0; i + 1 < data.size(); i += 2)
        if (auto done = piece(data[i], data[i + 1]); !done)
            return done;
    return Done{};
}

bool sameFile(const EntryStat& a, const EntryStat& b)
{
    return a.sameObject(b) && a.modified == b.modified && a.modifiedNs == b.modifiedNs &&
           (a.kind == EntryKind::Folder || a.size == b.size);
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

/// Calls `visit(parent folder, name, stat, shown path)` for an entry and everything below it, folders first, names by
/// their bytes.
template <typename Visit>
class Walk {
public:
    Walk(Visit& visit, const std::string& shown) : visit_(visit), shown_(shown) { }

    Result<Done> entry(int parent, const std::string& name, WalkFolder* above, int level)
    {
        EntryStat stat;
        if (const int error = statEntry(parent, name.c_str(), stat, StatSync::Fresh); error != 0)
            return systemError("read", shown_.text(), error);
        if (auto done = visit_(parent, name, stat, shown_.text()); !done || stat.kind != EntryKind::Folder)
            return done;
        if (level >= mostLevels)
            return tooDeep(shown_.text());
        WalkFolder own;
        std::vector<std::string> names;
        if (int error = own.open(parent, name.c_str()); error != 0 || (error = own.list(names)) != 0)
            return systemError("read", shown_.text(), error);
        if (above && level > mostOpen)
            above->close();
        for (const auto& child : names) {
            shown_.down(child);
            if (auto done = entry(own.fd(), child, &own, level + 1); !done)
                return done;
            shown_.up();
        }
        if (above && level > mostOpen)
            if (const int error = above->reopen(own.fd()); error != 0)
                return systemError("read", shown_.text(), error);
        return Done{};
    }

private:
    Visit& visit_;
    ShownPath shown_;
};

template <typename Visit>
Result<Done> walk(int top, const std::string& name, const std::string& shown, Visit visit)
{
    return Walk<Visit>(visit, shown).entry(top, name, nullptr, 0);
}

/// Reads the data of a file, from the disk where it can; what lies between must be zero.
class Reader {
public:
    Reader(std::stop_token stop, const BytesReport& onBytes)
        : stop_(std::move(stop)), onBytes_(onBytes), buffer_(bufferSize)
    {
    }

    Result<ContentHash> hash(int parent, const std::string& name, const std::vector<std::uint64_t>& data,
                             std::uint64_t size, const std::string& shown)
    {
        UniqueFd fd(::openat(parent, name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
        if (!fd)
            return systemError("read", shown, errno);
        ::posix_fadvise(fd.get(), 0, 0,
                        POSIX_FADV_DONTNEED); // what was written is read from the drive, not from memory
        ::posix_fadvise(fd.get(), 0, 0, POSIX_FADV_SEQUENTIAL);
        Hasher hasher;
        std::uint64_t last = 0;
        const auto read = forEachPiece(data, size, [&](std::uint64_t begin, std::uint64_t end) -> Result<Done> {
            if (auto zero = piece(fd.get(), last, begin, nullptr, shown); !zero)
                return zero;
            last = end;
            return piece(fd.get(), begin, end, &hasher, shown);
        });
        if (!read)
            return read.error();
        if (auto zero = piece(fd.get(), last, size, nullptr, shown); !zero)
            return zero.error();
        return hasher.hash();
    }

private:
    /// With a hasher it takes what is read; without one there should be nothing but zeros, and holes are passed over.
    Result<Done> piece(int fd, std::uint64_t at, std::uint64_t end, Hasher* hasher, const std::string& shown)
    {
        while (at < end) {
            if (stop_.stop_requested())
                return cancelled(shown);
            if (!hasher) {
                const auto data = ::lseek(fd, static_cast<off_t>(at), SEEK_DATA);
                if (data < 0 && errno == ENXIO)
                    return Done{};
                if (data >= 0)
                    at = static_cast<std::uint64_t>(data);
                if (at >= end)
                    return Done{};
            }
            const auto want = std::min<std::uint64_t>(buffer_.size(), end - at);
            const auto got = ::pread(fd, buffer_.data(), want, static_cast<off_t>(at));
            if (got < 0 && errno == EINTR)
                continue;
            if (got < 0)
                return systemError("read", shown, errno);
            if (got == 0)
                return unlike(shown);
            const auto size = static_cast<std::size_t>(got);
            if (hasher)
                hasher->add(buffer_.data(), size);
            else if (std::any_of(buffer_.begin(), buffer_.begin() + got, [](char c) { return c != 0; }))
                return unlike(shown);
            at += size;
            if (onBytes_ && hasher)
                onBytes_(size);
        }
        return Done{};
    }

    std::stop_token stop_;
    const BytesReport& onBytes_;
    std::vector<char> buffer_;
};

} // namespace

Result<TreeCopy> copyTree(int from, const std::string& name, const std::string& shownFrom, int to,
                          const std::string& newName, const std::string& shownTo, std::stop_token stop,
                          const BytesReport& onBytes)
{
    return Copier(to, newName, std::move(stop), onBytes).run(from, name, shownFrom, shownTo);
}

Result<Done> verifyCopy(const TreeCopy& copy, int to, const std::string& newName, const std::string& shownTo,
                        std::stop_token stop, const BytesReport& onBytes)
{
    Reader reader(stop, onBytes);
    std::size_t next = 0;
    const auto walked =
        walk(to, newName, shownTo,
             [&](int parent, const std::string& name, const EntryStat& stat, const std::string& shown) -> Result<Done> {
                 if (stop.stop_requested())
                     return cancelled(shown);
                 if (next == copy.entries.size())
                     return unlike(shown);
                 const auto& entry = copy.entries[next++];
                 if (stat.kind != entry.stat.kind || (next > 1 && name != entry.name))
                     return unlike(shown);
                 if (stat.kind == EntryKind::SymbolicLink) {
                     std::string target;
                     if (const int error = readLink(parent, name.c_str(), target); error != 0)
                         return systemError("read", shown, error);
                     return hashOf(target) == entry.hash ? Result<Done>(Done{}) : unlike(shown);
                 }
                 if (stat.kind != EntryKind::File)
                     return Done{};
                 if (stat.size != entry.stat.size)
                     return unlike(shown);
                 if (entry.linkedAgain)
                     return Done{};
                 const auto hash = reader.hash(parent, name, entry.data, stat.size, shown);
                 if (!hash)
                     return hash.error();
                 return *hash == entry.hash ? Result<Done>(Done{}) : unlike(shown);
             });
    if (!walked)
        return walked;
    return next == copy.entries.size() ? Result<Done>(Done{}) : unlike(shownTo);
}

Result<Done> verifySource(const TreeCopy& copy, int from, const std::string& name, const std::string& shownFrom)
{
    std::size_t next = 0;
    const auto walked =
        walk(from, name, shownFrom,
             [&](int, const std::string& entryName, const EntryStat& stat, const std::string& shown) -> Result<Done> {
                 if (next == copy.entries.size())
                     return changed(shown, "was added");
                 const auto& entry = copy.entries[next++];
                 if (next > 1 && entryName != entry.name)
                     return changed(shown, "was added, or something before it went,");
                 // A folder's times change when the copying of what is in it is over; its entries are compared instead.
                 const bool same =
                     stat.kind == EntryKind::Folder ? stat.sameObject(entry.stat) : sameFile(stat, entry.stat);
                 return same ? Result<Done>(Done{}) : changed(shown, "was written to");
             });
    if (!walked)
        return walked;
    return next == copy.entries.size() ? Result<Done>(Done{}) : changed(shownFrom, "lost something");
}

Result<Done> compareTrees(int a, const std::string& nameA, const std::string& shownA, int b, const std::string& nameB,
                          const std::string& shownB, std::stop_token stop)
{
    TreeCopy read;
    const BytesReport nobody;
    Reader reader(stop, nobody);
    const auto walked =
        walk(a, nameA, shownA,
             [&](int parent, const std::string& name, const EntryStat& stat, const std::string& shown) -> Result<Done> {
                 CopiedEntry entry;
                 entry.name = name;
                 entry.stat = stat;
                 if (stat.kind == EntryKind::SymbolicLink) {
                     std::string target;
                     if (const int error = readLink(parent, name.c_str(), target); error != 0)
                         return systemError("read", shown, error);
                     entry.hash = hashOf(target);
                 } else if (stat.kind == EntryKind::File) {
                     const auto hash = reader.hash(parent, name, {}, stat.size, shown);
                     if (!hash)
                         return hash.error();
                     entry.hash = *hash;
                 }
                 read.entries.push_back(std::move(entry));
                 return Done{};
             });
    if (!walked)
        return walked;
    auto same = verifyCopy(read, b, nameB, shownB, stop, nobody);
    if (!same && same.error().kind == ErrorKind::Damaged)
        return Error{ErrorKind::Changed, same.error().path, 0,
                     displayText(same.error().path) + " differs from what is at " + displayText(shownA) + "."};
    return same;
}

} // namespace kurvo
