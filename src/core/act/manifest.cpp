// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/manifest.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cerrno>
#include <condition_variable>
#include <ctime>
#include <map>
#include <mutex>
#include <thread>

#include "core/act/busy.h"
#include "core/act/tree_content.h"
#include "core/act/tree_copy.h"
#include "core/base/figures.h"
#include "core/platform/private_folder.h"
#include "core/platform/writers.h"

namespace kurvo {
namespace {

constexpr std::int64_t second = 1'000'000'000;

std::int64_t momentOf(std::int64_t seconds, std::uint32_t nanoseconds)
{
    return seconds * second + nanoseconds;
}

/// The path of an entry, put together only when something is to be said.
std::string pathOf(const ListedFolder* folder, std::string_view name, const std::string& shown)
{
    if (!folder->parent)
        return shown;
    std::string path(name);
    for (; folder->parent->parent; folder = folder->parent)
        path = folder->name + "/" + path;
    return joinPath(shown, path);
}

std::string pathOf(const ListedFolder* folder, const std::string& shown)
{
    return folder->parent && folder->parent->parent ? pathOf(folder->parent, folder->name, shown) : shown;
}

/// Opens the folders of a manifest one after the other, keeping those on the way to the last one open, but few of them.
class FolderCursor {
public:
    FolderCursor(int base, std::string topName) : base_(base), topName_(std::move(topName)) { }

    /// The descriptor of that folder, or -1 and errno in `error`; ESTALE where another folder has its name.
    int go(const ListedFolder* folder, int& error)
    {
        if (!folder->parent)
            return base_;
        while (!way_.empty() && !isOn(way_.back().folder, folder))
            way_.pop_back();
        std::vector<const ListedFolder*> down;
        for (auto* f = folder; f->parent && (way_.empty() || f != way_.back().folder); f = f->parent)
            down.push_back(f);
        for (; !down.empty(); down.pop_back()) {
            const int at = way_.empty() ? base_ : way_.back().fd.get();
            auto opened = open(at, down.back(), error);
            if (!opened)
                return -1;
            way_.push_back({down.back(), std::move(opened)});
            if (way_.size() > mostOpen)
                way_.erase(way_.begin());
        }
        return way_.back().fd.get();
    }
    const std::string& nameOf(const ListedFolder* folder) const
    {
        return folder->parent && !folder->parent->parent ? topName_ : folder->name;
    }

private:
    struct Open {
        const ListedFolder* folder;
        UniqueFd fd;
    };

    static bool isOn(const ListedFolder* upper, const ListedFolder* lower)
    {
        while (lower->depth > upper->depth)
            lower = lower->parent;
        return lower == upper;
    }
    UniqueFd open(int at, const ListedFolder* folder, int& error) const
    {
        UniqueFd fd(::openat(at, nameOf(folder).c_str(), O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        EntryStat now;
        error = fd ? statEntry(fd.get(), "", now, StatSync::Fresh) : errno;
        if (error == 0 && !now.sameObject(folder->stat))
            error = ESTALE;
        return error == 0 ? std::move(fd) : UniqueFd();
    }

    int base_;
    std::string topName_;
    std::vector<Open> way_; ///< downwards; the upper ones may be closed already
};

std::size_t threadsFor()
{
    return std::clamp<std::size_t>(std::thread::hardware_concurrency(), 1, 4);
}

ContentSummary& operator+=(ContentSummary& sum, const ContentSummary& more)
{
    sum.entries += more.entries;
    sum.apparent += more.apparent;
    sum.fingerprint += more.fingerprint;
    return sum;
}

ContentSummary summaryOf(const ListedFile& file)
{
    const bool counts = file.kind == EntryKind::File || file.kind == EntryKind::SymbolicLink;
    const auto apparent = counts ? file.size : 0;
    return {1, apparent, entryFingerprint(file.kind, file.inode, apparent, file.modified, file.modifiedNs), 0};
}

ContentSummary summaryOf(const ListedFolder& folder)
{
    ContentSummary sum{1, 0, entryFingerprint(EntryKind::Folder, folder.stat.inode, 0, 0, 0), 0};
    for (const auto& file : folder.files)
        sum += summaryOf(file);
    return sum;
}

} // namespace

std::int64_t momentNow()
{
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    return momentOf(now.tv_sec, static_cast<std::uint32_t>(now.tv_nsec));
}

void ListedFolder::add(std::string_view fileName, const EntryStat& s)
{
    files.push_back({static_cast<std::uint32_t>(names.size()), static_cast<std::uint16_t>(fileName.size()), s.kind,
                     false, s.links > 1, s.inode, s.size, s.modified, s.changed, s.modifiedNs, s.changedNs});
    names += fileName;
}

Manifest::Manifest() : folders_(1) { }

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
        if (!waiting_.empty()) {
            std::vector<std::jthread> others;
            for (std::size_t i = 1; i < threadsFor(); ++i)
                others.emplace_back([this] { work(); });
            work();
        }
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
        std::unique_lock lock(mutex_);
        for (;;) {
            wake_.wait(lock, [this] { return !waiting_.empty() || busy_ == 0 || problem_; });
            if (problem_ || (waiting_.empty() && busy_ == 0)) {
                wake_.notify_all();
                return;
            }
            auto* folder = waiting_.back(); // the deepest first, so that few are on the way at once
            waiting_.pop_back();
            ++busy_;
            lock.unlock();
            auto done = read(*folder, cursor);
            lock.lock();
            --busy_;
            if (!done && !problem_)
                problem_ = done.error();
            if (problem_ || waiting_.empty())
                wake_.notify_all();
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
            return Error{ErrorKind::Unsupported, path(), EPERM,
                         displayText(path()) +
                             " is marked immutable or append-only (chattr). It cannot be removed until that is taken off."};
        if (removing_ && depth > 0 && isStickyForOthers(folder.stat, stat))
            return mayNot(path());
        if (stat.kind == EntryKind::Folder) {
            const std::lock_guard lock(mutex_);
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
        const UniqueFd path(::openat(above, cursor.nameOf(&folder).c_str(), O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
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

    std::mutex mutex_;
    std::condition_variable wake_;
    std::vector<ListedFolder*> waiting_;
    std::size_t busy_ = 0;
    std::optional<Error> problem_;
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

Manifest Manifest::of(const TreeCopy& copy)
{
    Manifest manifest;
    std::vector<ListedFolder*> at(copy.entries.size(), nullptr);
    for (std::size_t i = 0; i < copy.entries.size(); ++i) {
        const auto& entry = copy.entries[i];
        auto* parent = entry.parent == CopiedEntry::top ? &manifest.folders_.front() : at[entry.parent];
        if (entry.stat.kind != EntryKind::Folder) {
            parent->add(entry.name, entry.stat);
            continue;
        }
        auto& made = manifest.folders_.emplace_back();
        made.parent = parent;
        made.depth = parent->depth + 1;
        made.name = entry.name;
        made.stat = entry.stat;
        parent->folders.push_back(&made);
        at[i] = &made;
    }
    return manifest;
}

std::uint64_t Manifest::entries() const
{
    std::uint64_t sum = folders_.size() - 1;
    for (const auto& folder : folders_)
        sum += folder.files.size();
    return sum;
}

ContentSummary Manifest::summary() const
{
    ContentSummary sum;
    for (const auto& folder : folders_)
        sum += summaryOf(folder);
    sum.entries -= 1; // the folder that it is in
    sum.fingerprint -= entryFingerprint(EntryKind::Folder, folders_.front().stat.inode, 0, 0, 0);
    return sum;
}

std::vector<std::pair<std::string, ContentSummary>> Manifest::summariesIn(const std::string& name) const
{
    std::vector<std::pair<std::string, ContentSummary>> all;
    const auto& top = folders_.front().folders;
    const auto& below = top.empty() ? top : top.front()->folders;
    const auto found = std::find_if(below.begin(), below.end(), [&](const ListedFolder* f) { return f->name == name; });
    if (found == below.end())
        return all;
    for (const auto& file : (*found)->files)
        all.emplace_back((*found)->nameOf(file), summaryOf(file));
    for (const auto* item : (*found)->folders) {
        ContentSummary sum;
        std::vector<const ListedFolder*> left{item};
        while (!left.empty()) {
            const auto* folder = left.back();
            left.pop_back();
            sum += summaryOf(*folder);
            left.insert(left.end(), folder->folders.begin(), folder->folders.end());
        }
        all.emplace_back(item->name, sum);
    }
    return all;
}

namespace {

Error notTheSame(const std::string& path, const std::string& what)
{
    return {ErrorKind::Changed, path, 0, displayText(path) + " " + what + " meanwhile. It was left as it is."};
}

/// The files of a folder by name.
std::vector<const ListedFile*> byName(const ListedFolder& folder)
{
    std::vector<const ListedFile*> files;
    for (const auto& file : folder.files)
        files.push_back(&file);
    std::sort(files.begin(), files.end(),
              [&](const ListedFile* a, const ListedFile* b) { return folder.nameOf(*a) < folder.nameOf(*b); });
    return files;
}

bool sameFile(const ListedFile& now, const ListedFile& then, bool top)
{
    return now.kind == then.kind && now.inode == then.inode && now.size == then.size && now.modified == then.modified &&
           now.modifiedNs == then.modifiedNs &&
           (top || (now.changed == then.changed && now.changedNs == then.changedNs));
}

} // namespace

Result<Done> Manifest::sameAs(const Manifest& then, const std::string& shown) const
{
    std::vector<std::pair<const ListedFolder*, const ListedFolder*>> left{{&folders_.front(), &then.folders_.front()}};
    while (!left.empty()) {
        const auto [now, was] = left.back();
        left.pop_back();
        const bool top = !now->parent; // whose entry is the item itself
        const auto a = byName(*now), b = byName(*was);
        for (std::size_t i = 0, j = 0; i < a.size() || j < b.size(); ++i, ++j) {
            if (j == b.size() || (!top && i < a.size() && now->nameOf(*a[i]) < was->nameOf(*b[j])))
                return notTheSame(pathOf(now, now->nameOf(*a[i]), shown), "was added");
            if (i == a.size() || (!top && was->nameOf(*b[j]) < now->nameOf(*a[i])))
                return notTheSame(pathOf(was, was->nameOf(*b[j]), shown), "was taken away");
            if (!sameFile(*a[i], *b[j], top))
                return notTheSame(pathOf(now, now->nameOf(*a[i]), shown), "was written to or replaced");
        }
        if (now->folders.size() != was->folders.size())
            return notTheSame(pathOf(now, shown), "gained or lost a folder");
        std::map<std::string_view, const ListedFolder*> known;
        for (const auto* folder : was->folders)
            known.emplace(top ? std::string_view() : std::string_view(folder->name), folder);
        for (const auto* folder : now->folders) {
            const auto found = known.find(top ? std::string_view() : std::string_view(folder->name));
            if (found == known.end() || !folder->stat.sameObject(found->second->stat))
                return notTheSame(pathOf(folder, shown), "was added or replaced");
            left.emplace_back(folder, found->second);
        }
    }
    return Done{};
}

Result<Done> Manifest::unchangedSince(std::int64_t moment, const std::string& shown, Top top) const
{
    const auto now = momentNow();
    const auto since = [&](const ListedFile& file) { // a time that is still to come says that a clock was wrong once
        const auto changed = momentOf(file.changed, file.changedNs);
        return changed > moment && changed <= now;
    };
    for (const auto& folder : folders_)
        for (const auto& file : folder.files)
            if ((folder.parent || top == Top::Too) && since(file))
                return notTheSame(pathOf(&folder, folder.nameOf(file), shown), "was changed");
    return Done{};
}

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
        {
            std::vector<std::jthread> others;
            for (std::size_t i = 1; i < std::min(threadsFor(), all_.size()) && files > worthAThread * i; ++i)
                others.emplace_back([this] { work(); });
            work();
        }
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
                    error = file.watched ? unlinkLeased(fd, name.c_str(), file, folder.stat.device) : unlinked(fd, name.c_str());
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
        if (const int error = held ? statEntry(held.get(), "", now, StatSync::Fresh) : statEntry(fd, name, now, StatSync::Fresh);
            error != 0)
            return error;
        return isStill(file, now, device, false) ? unlinked(fd, name) : ESTALE;
    }

    static bool isStill(const ListedFile& file, const EntryStat& now, std::uint64_t device, bool top)
    {
        return now.inode == file.inode && now.kind == file.kind && now.size == file.size && (top || now.device == device) &&
               now.modified == file.modified && now.modifiedNs == file.modifiedNs &&
               (file.linked || (now.changed == file.changed && now.changedNs == file.changedNs));
    }
    void surprised(const std::string& path, int error)
    {
        const std::lock_guard lock(mutex_);
        if (!surprise_) {
            if (error == ESTALE)
                surprise_ = Error{ErrorKind::Changed, path, 0, displayText(path) + " was written to or replaced meanwhile."};
            else if (error == ENOTEMPTY || error == EEXIST)
                surprise_ = Error{ErrorKind::Changed, path, error, "Something was put into " + displayText(path) + " meanwhile."};
            else
                surprise_ = systemError("remove", path, error);
        }
        over_ = true;
    }
    void stopped(const std::string& path)
    {
        const std::lock_guard lock(mutex_);
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
    std::mutex mutex_;
    std::optional<Error> surprise_;
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
