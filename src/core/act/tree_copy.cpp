// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/tree_copy.h"

#include <fcntl.h>
#include <sys/stat.h>

#include <atomic>
#include <map>
#include <mutex>

#include "core/act/file_copy.h"
#include "core/act/tree_walk.h"
#include "core/base/team.h"
#include "core/platform/private_folder.h"

namespace kurvo {
namespace {

class Copier {
public:
    Copier(int top, std::string topName, std::stop_token stop, const BytesReport& onBytes)
        : top_(top), topName_(std::move(topName)), stop_(std::move(stop))
    {
        const auto report = [this, &onBytes](std::uint64_t bytes) {
            const std::lock_guard lock(reporting_);
            if (onBytes)
                onBytes(bytes);
        };
        for (std::size_t i = 0; i < sideBySide(); ++i)
            copiers_.push_back(std::make_unique<FileCopier>(stop_, report, busy_));
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
        EntryStat above;
        const bool groupKept = statEntry(top_, "", above, StatSync::Fresh) == 0 && (above.mode & S_ISGID) == 0;
        if (auto done = entry(from, name, top_, topName_, groupKept, nullptr, 0, nullptr); !done)
            return done.error();
        for (const auto& copier : copiers_) {
            copy_.bytes += copier->bytes;
            copy_.losses.add(copier->losses);
        }
        return std::move(copy_);
    }

private:
    Error fromError(int error) const { return systemError("copy", shownFrom_.text(), error); }
    Error toError(int error) const { return systemError("write", shownTo_.text(), error); }

    struct Pair {
        WalkFolder source, target;
        std::uint32_t entry = CopiedEntry::top; ///< its place among the entries
    };

    Result<Done> entry(int from, const std::string& name, int to, const std::string& newName, bool groupKept,
                       Pair* above, int level, std::vector<std::size_t>* waiting)
    {
        if (stop_.stop_requested())
            return cancelled(shownFrom_.text());
        CopiedEntry made;
        made.name = name;
        made.parent = above ? above->entry : CopiedEntry::top;
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
            return folder(from, name, to, newName, groupKept, made, above, level);
        case EntryKind::File:
            if (waiting && made.stat.links == 1) {
                waiting->push_back(copy_.entries.size());
                copy_.entries.push_back(std::move(made));
                return Done{};
            }
            return file(from, name, to, newName, groupKept, made);
        case EntryKind::SymbolicLink:
            return link(from, name, to, newName, made);
        default:
            return special(to, newName, made);
        }
    }

    Result<Done> folder(int from, const std::string& name, int to, const std::string& newName, bool groupKept,
                        const CopiedEntry& made, Pair* above, int level)
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
        own.entry = static_cast<std::uint32_t>(copy_.entries.size());
        copy_.entries.push_back(made);
        std::vector<std::string> names;
        if (const int error = own.source.list(names); error != 0)
            return fromError(error);
        const bool ownGroup = (own.target.self().mode & S_ISGID) == 0;
        std::vector<std::size_t> waiting; ///< places among the entries
        for (const auto& child : names) {
            const auto length = below_.size();
            shownFrom_.down(child);
            shownTo_.down(child);
            below_ += '/' + child;
            if (auto done = entry(own.source.fd(), child, own.target.fd(), child, ownGroup, &own, level + 1, &waiting);
                !done)
                return done;
            below_.resize(length);
            shownFrom_.up();
            shownTo_.up();
        }
        if (auto done = copyWaiting(own, waiting, ownGroup); !done)
            return done;
        if (above && level > mostOpen) {
            if (const int error = above->source.reopen(own.source.fd()); error != 0)
                return fromError(error);
            if (const int error = above->target.reopen(own.target.fd()); error != 0)
                return toError(error);
        }
        return copiers_.front()->finish(own.source.fd(), own.target.fd(), made.stat, groupKept,
                                        {shownFrom_.text(), shownTo_.text()});
    }

    Result<Done> file(int from, const std::string& name, int to, const std::string& newName, bool groupKept,
                      CopiedEntry& made)
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
        if (auto done =
                copiers_.front()->copy(from, name, to, newName, groupKept, made, {shownFrom_.text(), shownTo_.text()});
            !done)
            return done;
        copy_.entries.push_back(std::move(made));
        return Done{};
    }

    /// The files of one folder, by several threads: to make a small file costs more than to fill it.
    Result<Done> copyWaiting(const Pair& folder, const std::vector<std::size_t>& waiting, bool groupKept)
    {
        constexpr std::size_t worthAThread = 16; // files
        const auto workers = std::min(copiers_.size(), waiting.size() / worthAThread + 1);
        std::atomic<std::size_t> next{0};
        std::atomic<bool> over{false};
        std::atomic<std::size_t> member{0};
        std::mutex mutex;
        Result<Done> outcome = Done{};
        inTeam(workers, [&] {
            auto& copier = *copiers_[member++];
            for (auto i = next++; i < waiting.size() && !over; i = next++) {
                auto& made = copy_.entries[waiting[i]];
                const auto done = stop_.stop_requested()
                                      ? Result<Done>(cancelled(joinPath(shownFrom_.text(), made.name)))
                                      : copier.copy(folder.source.fd(), made.name, folder.target.fd(), made.name,
                                                    groupKept, made, {shownFrom_.text(), shownTo_.text(), &made.name});
                if (done)
                    continue;
                const std::lock_guard lock(mutex);
                outcome = done.error();
                over = true;
            }
        });
        return outcome;
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
            copy_.losses.owners = true;
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
        // Through a descriptor that is known to be the pipe: a name could be swapped for a link.
        const UniqueFd pipe(::openat(to, newName.c_str(), O_PATH | O_NOFOLLOW | O_CLOEXEC));
        EntryStat now;
        if (!pipe || statEntry(pipe.get(), "", now, StatSync::Fresh) != 0 || now.kind != EntryKind::Fifo)
            return changed(shownTo_.text(), "was replaced");
        if ((now.uid != stat.uid || now.gid != stat.gid) &&
            ::fchownat(pipe.get(), "", stat.uid, stat.gid, AT_EMPTY_PATH) != 0)
            copy_.losses.owners = true;
        (void)changeMode(pipe.get(), stat.mode & 07777);
        const timespec times[2] = {{0, UTIME_OMIT}, {stat.modified, static_cast<long>(stat.modifiedNs)}};
        (void)::utimensat(pipe.get(), "", times, AT_EMPTY_PATH); // Linux 5.8
        return Done{};
    }

    Busy busy_;
    int top_;
    std::string topName_;
    std::stop_token stop_;
    std::mutex reporting_;
    std::vector<std::unique_ptr<FileCopier>> copiers_; ///< the first is this thread's
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
