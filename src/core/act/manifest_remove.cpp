// SPDX-License-Identifier: GPL-3.0-or-later
// The part of manifest.h that removes.
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <optional>

#include "core/act/folder_cursor.h"
#include "core/act/manifest.h"
#include "core/base/locks.h"
#include "core/base/team.h"
#include "core/platform/writers.h"

namespace kurvo {
namespace {

/// Removes by several threads: first what is no folder, each thread a folder at a time, then the folders.
class ManifestRemover {
public:
    ManifestRemover(int base, std::string name, const std::string& shown, std::stop_token stop)
        : base_(base), name_(std::move(name)), shown_(shown), stop_(std::move(stop))
    {
    }

    Manifest::Removed run(const std::deque<ListedFolder>& folders)
    {
        for (const auto& folder : folders)
            if (!folder.files.empty() || folder.parent)
                all_.push_back(&folder);
        constexpr std::size_t worthAThread = 200; // entries
        std::size_t files = 0;
        for (const auto& folder : folders)
            files += folder.files.size();
        inTeam(std::min({sideBySide(), all_.size(), files / worthAThread + 1}), [this] { work(); });
        FolderCursor cursor(base_, name_);
        for (auto folder = folders.rbegin(); folder != folders.rend() && folder->parent && !over_; ++folder) {
            int error = 0;
            const int above = cursor.go(folder->parent, error);
            if (above < 0)
                surprised(pathOf(&*folder, shown_), error);
            else if (::unlinkat(above, cursor.nameOf(&*folder).c_str(), AT_REMOVEDIR) == 0)
                ++removed_;
            else if (errno != ENOENT)
                surprised(pathOf(&*folder, shown_), errno);
        }
        const Lock lock(mutex_);
        return {removed_, surprise_};
    }

private:
    void work()
    {
        FolderCursor cursor(base_, name_);
        std::string name;
        for (auto i = next_++; i < all_.size() && !over_; i = next_++) {
            const auto& folder = *all_[i];
            int error = 0;
            const int fd = cursor.go(&folder, error);
            if (fd < 0) {
                surprised(pathOf(&folder, shown_), error);
                return;
            }
            // A folder without write permission keeps its entries; it is ours and about to go.
            if (folder.parent && (folder.stat.mode & S_IRWXU) != S_IRWXU && folder.stat.uid == ::geteuid())
                (void)::fchmod(fd, (folder.stat.mode & 07777) | S_IRWXU);
            std::uint64_t gone = 0;
            for (const auto& file : folder.files) {
                if (stop_.stop_requested())
                    stopped(pathOf(&folder, folder.nameOf(file), shown_));
                if (over_)
                    break;
                name = folder.parent ? folder.nameOf(file) : std::string_view(name_);
                EntryStat now;
                error = statEntry(fd, name.c_str(), now, StatSync::Fresh);
                if (error == ENOENT)
                    continue;
                if (error == 0 && !isStill(file, now, folder.stat.device, !folder.parent))
                    error = ESTALE;
                if (error == 0)
                    error = file.watched ? unlinkLeased(fd, name.c_str(), file, folder.stat.device)
                                         : unlinked(fd, name.c_str());
                if (error != 0)
                    surprised(pathOf(&folder, folder.nameOf(file), shown_), error);
                else
                    ++gone;
            }
            removed_ += gone;
        }
    }

    static int unlinked(int fd, const char* name) { return ::unlinkat(fd, name, 0) == 0 ? 0 : errno; }
    /// Whoever wants to open it for writing meanwhile waits until it is gone.
    static int unlinkLeased(int fd, const char* name, const ListedFile& file, std::uint64_t device)
    {
        const UniqueFd held(::openat(fd, name, O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
        EntryStat now;
        if (held && writingTo(held.get(), Lease::Keep) == Writing::Somebody)
            return ESTALE;
        // One that may not be read is looked at by its name, as all others are.
        if (const int error =
                held ? statEntry(held.get(), "", now, StatSync::Fresh) : statEntry(fd, name, now, StatSync::Fresh);
            error != 0)
            return error;
        return isStill(file, now, device, false) ? unlinked(fd, name) : ESTALE;
    }

    static bool isStill(const ListedFile& file, const EntryStat& now, std::uint64_t device, bool top)
    {
        return now.inode == file.inode && now.kind == file.kind && now.size == file.size &&
               (top || now.device == device) && now.modified == file.modified && now.modifiedNs == file.modifiedNs &&
               (file.linked || (now.changed == file.changed && now.changedNs == file.changedNs));
    }
    void surprised(const std::string& path, int error)
    {
        const Lock lock(mutex_);
        if (!surprise_) {
            if (error == ESTALE)
                surprise_ =
                    Error{ErrorKind::Changed, path, 0, displayText(path) + " was written to or replaced meanwhile."};
            else if (error == ENOTEMPTY || error == EEXIST)
                surprise_ = Error{ErrorKind::Changed, path, error,
                                  "Something was put into " + displayText(path) + " meanwhile."};
            else
                surprise_ = systemError("remove", path, error);
        }
        over_ = true;
    }
    void stopped(const std::string& path)
    {
        const Lock lock(mutex_);
        if (!surprise_)
            surprise_ = cancelled(path);
        over_ = true;
    }

    int base_;
    std::string name_;
    const std::string& shown_;
    std::stop_token stop_;
    std::vector<const ListedFolder*> all_;
    std::atomic<std::size_t> next_{0};
    std::atomic<bool> over_{false};
    std::atomic<std::uint64_t> removed_{0};
    Mutex mutex_;
    std::optional<Error> surprise_ KURVO_GUARDED_BY(mutex_);
};

} // namespace

Manifest::Removed Manifest::remove(int folder, const std::string& name, const std::string& shown,
                                   std::stop_token stop) const
{
    return ManifestRemover(folder, name, shown, std::move(stop)).run(folders_);
}

void Manifest::restoreModes(int folder, const std::string& name) const
{
    FolderCursor cursor(folder, name);
    for (auto f = folders_.rbegin(); f != folders_.rend() && f->parent; ++f) { // the inner ones first
        const bool narrow = (f->stat.mode & S_IRWXU) != S_IRWXU && f->stat.uid == ::geteuid();
        int error = 0;
        const int fd = f->opened || narrow ? cursor.go(&*f, error) : -1;
        EntryStat now;
        if (fd >= 0 && statEntry(fd, "", now, StatSync::Fresh) == 0 && now.mode != f->stat.mode)
            (void)::fchmod(fd, f->stat.mode & 07777);
    }
}

} // namespace kurvo
