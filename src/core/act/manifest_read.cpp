// SPDX-License-Identifier: GPL-3.0-or-later
// The part of manifest.h that reads.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <condition_variable>
#include <ctime>
#include <mutex>
#include <optional>
#include <thread>

#include "core/act/busy.h"
#include "core/act/folder_cursor.h"
#include "core/act/manifest.h"
#include "core/base/locks.h"
#include "core/base/team.h"
#include "core/platform/private_folder.h"

namespace kurvo {

/// Reads a manifest: several threads, each a folder at a time.
class ManifestReader {
public:
    ManifestReader(int base, std::string name, const std::string& shown, Manifest::For purpose, std::stop_token stop)
        : base_(base), name_(std::move(name)), shown_(shown), removing_(purpose == Manifest::For::Removing),
          stop_(std::move(stop))
    {
    }

    Result<Manifest> run()
    {
        auto& holder = manifest_.folders_.front();
        if (auto first = entry(holder, base_, name_.c_str(), 0); !first)
            return first.error();
        bool isFolder = false;
        {
            const Lock lock(mutex_);
            isFolder = !waiting_.empty();
        }
        if (isFolder)
            inTeam(sideBySide(), [this] { work(); });
        const Lock lock(mutex_);
        if (problem_) {
            manifest_.restoreModes(base_, name_);
            return *problem_;
        }
        return std::move(manifest_);
    }

private:
    void work()
    {
        FolderCursor cursor(base_, name_);
        Lock lock(mutex_);
        for (;;) {
            while (waiting_.empty() && busy_ > 0 && !problem_)
                wake_.wait(lock.forWaiting());
            if (problem_ || (waiting_.empty() && busy_ == 0)) {
                wake_.notify_all();
                return;
            }
            auto* folder = waiting_.back(); // the deepest first, so that few are on the way at once
            waiting_.pop_back();
            ++busy_;
            lock.unlock();
            auto done = readOrFail(*folder, cursor);
            lock.lock();
            --busy_;
            if (!done && !problem_)
                problem_ = done.error();
            if (problem_ || waiting_.empty())
                wake_.notify_all();
        }
    }

    Result<Done> readOrFail(ListedFolder& folder, FolderCursor& cursor)
    {
        try {
            return read(folder, cursor);
        } catch (const std::bad_alloc&) { // the others wait for this folder
            return failed(shown_, ENOMEM);
        }
    }

    Result<Done> read(ListedFolder& folder, FolderCursor& cursor)
    {
        int error = 0;
        int fd = cursor.go(&folder, error);
        if (fd < 0 && error == EACCES && removing_ && folder.stat.uid == ::geteuid())
            fd = openMode(folder, cursor, error);
        if (fd < 0)
            return failed(pathOf(&folder, shown_), error);
        if (removing_) {
            if (auto may = mayRemoveIn(folder, fd); !may)
                return may;
            if (auto idle = busyness_.checkFolder(folder.stat, [&] { return pathOf(&folder, shown_); }); !idle)
                return idle;
        }
        FolderReader reader;
        reader.start(fd);
        while (const char* name = reader.next()) {
            if (stop_.stop_requested())
                return cancelled(pathOf(&folder, shown_));
            if (auto done = entry(folder, fd, name, folder.depth + 1); !done)
                return done;
        }
        return reader.error() == 0 ? Result<Done>(Done{}) : failed(pathOf(&folder, shown_), reader.error());
    }

    Result<Done> entry(ListedFolder& folder, int fd, const char* name, std::uint32_t depth)
    {
        const auto path = [&] { return pathOf(&folder, name, shown_); };
        EntryStat stat;
        if (const int error = statEntry(fd, name, stat, StatSync::Fresh); error != 0)
            return failed(path(), error);
        if (depth == 0) {
            device_ = stat.device;
            mountId_ = stat.mountId;
        } else if (stat.mountId != mountId_ || (mountId_ == 0 && stat.device != device_)) {
            return Error{ErrorKind::Unsupported, path(), EXDEV,
                         displayText(shown_) + " was left alone: another filesystem is mounted inside it, at " +
                             displayText(path()) + "."};
        }
        if (removing_ && stat.fixed)
            return Error{
                ErrorKind::Unsupported, path(), EPERM,
                displayText(path()) +
                    " is marked immutable or append-only (chattr). It cannot be removed until that is taken off."};
        if (removing_ && depth > 0 && isStickyForOthers(folder.stat, stat))
            return mayNot(path());
        if (stat.kind == EntryKind::Folder) {
            const Lock lock(mutex_);
            auto& made = manifest_.folders_.emplace_back();
            made.parent = &folder;
            made.depth = depth + 1;
            made.name = name;
            made.stat = stat;
            folder.folders.push_back(&made);
            waiting_.push_back(&made);
            wake_.notify_one();
            return Done{};
        }
        if (removing_ && stat.kind == EntryKind::File) {
            if (auto idle = busyness_.check(fd, name, stat, path); !idle)
                return idle;
            // The top was renamed a moment ago, and who sets aside holds a lease on it.
            if (auto settled = depth == 0 ? Result<Done>(Done{}) : settle(fd, name, stat, path); !settled)
                return settled;
        }
        folder.add(name, stat);
        if (removing_ && stat.kind == EntryKind::File && depth > 0)
            folder.files.back().watched = busyness_.mayOpenAgain(stat);
        return Done{};
    }

    /// A file that changed within the grain of its times could change again without showing: waits until it would show.
    Result<Done> settle(int fd, const char* name, EntryStat& stat, const std::function<std::string()>& path)
    {
        if (!waitUntilSettled(stat))
            return Done{};
        EntryStat again;
        if (const int error = statEntry(fd, name, again, StatSync::Fresh); error != 0)
            return failed(path(), error);
        if (!again.untouched(stat))
            return changed(path(), "was written to");
        return busyness_.check(fd, name, again, path);
    }

    Error failed(const std::string& path, int error) const
    {
        if (error == ENOENT || error == ESTALE || error == ENOTDIR || error == ELOOP)
            return changed(path, "was taken away or replaced");
        return systemError("read", path, error);
    }
    static Error mayNot(const std::string& path)
    {
        return {ErrorKind::NoPermission, path, EACCES,
                "You may not remove what is in " + displayText(path) + ". Administrator rights are needed."};
    }
    static Error changed(const std::string& path, const std::string& what)
    {
        return {ErrorKind::Changed, path, 0, displayText(path) + " " + what + " meanwhile. It was left as it is."};
    }

    /// Only owners take things out of a sticky folder (inode(7)).
    bool isStickyForOthers(const EntryStat& folder, const EntryStat& stat) const
    {
        return user_ != 0 && (folder.mode & S_ISVTX) != 0 && folder.uid != user_ && stat.uid != user_;
    }
    Result<Done> mayRemoveIn(const ListedFolder& folder, int fd) const
    {
        if (user_ == 0 || folder.stat.uid == user_ || ::faccessat(fd, ".", W_OK | X_OK, AT_EACCESS) == 0)
            return Done{};
        return mayNot(pathOf(&folder, shown_));
    }
    /// A folder of one's own that lets nobody in.
    int openMode(ListedFolder& folder, FolderCursor& cursor, int& error)
    {
        const int above = cursor.go(folder.parent, error);
        if (above < 0)
            return -1;
        const UniqueFd path(
            ::openat(above, cursor.nameOf(&folder).c_str(), O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        EntryStat now;
        if (!path || statEntry(path.get(), "", now, StatSync::Fresh) != 0 || !now.sameObject(folder.stat))
            return error = ESTALE, -1;
        if ((error = changeMode(path.get(), (now.mode & 07777) | S_IRWXU)) != 0)
            return -1;
        folder.opened = true;
        return cursor.go(&folder, error);
    }

    int base_;
    std::string name_;
    const std::string& shown_;
    bool removing_;
    const std::uint32_t user_ = ::geteuid();
    std::stop_token stop_;
    Manifest manifest_;
    Busy busyness_;
    std::uint64_t device_ = 0, mountId_ = 0;

    Mutex mutex_; ///< also of the list of folders in the manifest
    std::condition_variable wake_;
    std::vector<ListedFolder*> waiting_ KURVO_GUARDED_BY(mutex_);
    std::size_t busy_ KURVO_GUARDED_BY(mutex_) = 0;
    std::optional<Error> problem_ KURVO_GUARDED_BY(mutex_);
};

bool waitUntilSettled(const EntryStat& stat)
{
    // Times are as coarse as the kernel's tick, or as two seconds where a filesystem keeps no fractions.
    const std::int64_t grain = stat.changedNs == 0 && stat.modifiedNs == 0 ? 2 * second : second / 50;
    const auto last = std::max(momentOf(stat.changed, stat.changedNs), momentOf(stat.modified, stat.modifiedNs));
    const auto since = momentNow() - last;
    if (since > grain || since < 0) // of the future: it tells nothing, and waiting would not help
        return false;
    const auto rest = grain - since + second / 1000;
    const timespec wait{rest / second, rest % second};
    ::nanosleep(&wait, nullptr);
    return true;
}

Result<Manifest> Manifest::read(int folder, const std::string& name, const std::string& shown, For purpose,
                                std::stop_token stop)
{
    return ManifestReader(folder, name, shown, purpose, std::move(stop)).run();
}

} // namespace kurvo
