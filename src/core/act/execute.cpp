// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/execute.h"

#include <fcntl.h>
#include <stdio.h>
#include <sys/random.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <climits>
#include <cstdlib>

#include "core/base/text.h"
#include "core/platform/filesystem_limits.h"
#include "core/platform/remove_tree.h"

namespace kurvo {
namespace {

/// An entry in a folder that is held open, found without following a link.
struct At {
    UniqueFd folder;
    std::string name;
    std::string path;

    static Result<At> open(const std::string& path)
    {
        auto parent = openParent(path);
        if (!parent)
            return parent.error();
        // One that can be synced, where the folder may be read.
        UniqueFd readable(::openat(parent->folder.get(), ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        return At{readable ? std::move(readable) : std::move(parent->folder), std::move(parent->name), path};
    }
    int fd() const { return folder.get(); }
    /// 0 or errno.
    int stat(EntryStat& out) const { return statEntry(fd(), name.c_str(), out, StatSync::Fresh); }
    bool exists() const
    {
        EntryStat s;
        return stat(s) == 0;
    }
    /// Another name in the same folder.
    At beside(const std::string& otherPath) const
    {
        return {UniqueFd(::fcntl(fd(), F_DUPFD_CLOEXEC, 0)), std::string(fileName(otherPath)), otherPath};
    }
    void sync() const { ::fsync(fd()); }
};

/// rename(2) onto nothing; 0 or errno. Some filesystems cannot be asked not to replace.
int renameTo(const At& from, const At& to)
{
    if (::renameat2(from.fd(), from.name.c_str(), to.fd(), to.name.c_str(), RENAME_NOREPLACE) == 0)
        return 0;
    if (errno != EINVAL && errno != ENOSYS)
        return errno;
    if (to.exists())
        return EEXIST;
    return ::renameat(from.fd(), from.name.c_str(), to.fd(), to.name.c_str()) == 0 ? 0 : errno;
}

std::string readLink(const At& at)
{
    std::string target(PATH_MAX, '\0');
    const auto n = ::readlinkat(at.fd(), at.name.c_str(), target.data(), target.size());
    target.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
    return target;
}

/// The same entry, also after the machine was started again (device numbers are given anew) or on a filesystem whose
/// inodes are new with each mount.
bool sameAfterRestart(const EntryStat& now, const EntryStat& then)
{
    if (now.kind != then.kind)
        return false;
    const bool unwritten = now.modified == then.modified && now.modifiedNs == then.modifiedNs;
    return now.inode == then.inode || (unwritten && (now.kind == EntryKind::Folder || now.size == then.size));
}

class Executor {
public:
    Executor(Logbook& logbook, LoggedStep& step, const ActOptions& options)
        : logbook_(logbook), step_(step), options_(options)
    {
    }

    Result<Done> run()
    {
        auto source = At::open(step_.path);
        if (!source)
            return failed(source.error());
        EntryStat now;
        if (const int error = source->stat(now); error != 0)
            return failed(error == ENOENT ? Error{ErrorKind::NotFound, step_.path, error,
                                                  displayText(step_.path) + " is no longer there."}
                                          : systemError("look at", step_.path, error));
        if (!now.sameObject(step_.stat))
            return failed(replaced());
        if (step_.token.empty())
            step_.token = freshToken();
        switch (step_.action) {
        case Action::Trash:
            return trash();
        case Action::Delete:
            return remove(*source);
        case Action::EmptyTrash:
            return emptyTrash(*source);
        case Action::Move:
            break;
        }
        return move(*source);
    }

    Result<std::string> recover()
    {
        switch (step_.action) {
        case Action::Trash:
            return recoverTrash();
        case Action::Delete:
            return recoverDelete();
        case Action::EmptyTrash:
            return ended(StepState::Failed, "The emptying of " + shown() +
                                                " was ended. What had gone is gone; what is left is still listed there.");
        case Action::Move:
            break;
        }
        return recoverMove();
    }

private:
    Error replaced() const
    {
        return {ErrorKind::Changed, step_.path, 0,
                displayText(step_.path) + " was replaced by something else. It was left alone."};
    }
    /// Set aside, it could not be found again by its path.
    Error lost() const
    {
        return {ErrorKind::Changed, step_.path, 0,
                "The folder that " + displayText(step_.path) +
                    " lies in was replaced while it was worked on. It was left alone."};
    }
    std::string shown() const { return displayText(step_.path); }

    Result<Done> note(StepState state)
    {
        step_.state = state;
        return logbook_.update(step_);
    }
    Result<Done> failed(const Error& error)
    {
        step_.note = error.sentence;
        if (const auto noted = note(StepState::Failed); !noted)
            return noted;
        return error;
    }

    Result<Done> trash()
    {
        const auto moved = moveToTrash(step_.path, step_.stat, options_.user, [this](const TrashedItem& claimed) {
            step_.trashed = claimed;
            return note(StepState::Trashing);
        });
        if (!moved)
            return failed(moved.error());
        return note(StepState::Done);
    }

    /// Out of the way, where no path leads: 0 or an error with the original where it was.
    Result<Done> setAside(const At& source, const At& aside)
    {
        if (auto noted = note(StepState::SettingAside); !noted)
            return noted;
        if (const int error = renameTo(source, aside); error != 0)
            return systemError("remove", step_.path, error);
        source.sync();
        EntryStat now;
        if (aside.stat(now) != 0 || !now.sameObject(step_.stat))
            return putBack(source, aside, replaced());
        return Done{};
    }
    /// After setAside(): the original has its name again.
    Error putBack(const At& source, const At& aside, Error why)
    {
        if (const int error = renameTo(aside, source); error != 0)
            why.sentence +=
                " It stands at " + displayText(aside.path) + " now, because its name could not be given back.";
        source.sync();
        return why;
    }

    Result<Done> remove(const At& source)
    {
        const auto aside = source.beside(step_.asidePath());
        if (auto set = setAside(source, aside); !set)
            return failed(set.error());
        if (options_.contentIsSame)
            if (auto same = options_.contentIsSame(aside.path); !same)
                return failed(putBack(source, aside, isAtOrBelow(same.error().path, aside.path) ? lost() : same.error()));
        if (auto noted = note(StepState::Removing); !noted)
            return putBack(source, aside, noted.error());
        return removeAside(source, aside);
    }

    /// One after the other, each listed until it is gone, so that nothing has to be taken back when it is ended.
    Result<Done> emptyTrash(const At& trash)
    {
        if (options_.contentIsSame)
            if (auto same = options_.contentIsSame(trash.path); !same)
                return failed(same.error());
        const TrashFolder folder{trash.path, ""};
        const auto items = listTrash(folder);
        if (!items)
            return failed(items.error());
        if (auto noted = note(StepState::Removing); !noted)
            return noted;
        for (const auto& item : *items)
            if (auto removed = removeFromTrash(item, options_.stop); !removed)
                return failed(removed.error());
        return note(StepState::Done);
    }

    /// What lies in a trash folder has a note of where it was, which goes with it.
    void removeTrashNote() const
    {
        const auto files = parentPath(step_.path);
        const auto trashes = fileName(files) == "files" ? existingTrashFolders(std::string(files), options_.user)
                                                        : std::vector<TrashFolder>();
        if (std::none_of(trashes.begin(), trashes.end(),
                         [&](const TrashFolder& trash) { return trash.path == parentPath(files); }))
            return;
        const auto info = openFolder(joinPath(parentPath(files), "info"));
        if (info)
            ::unlinkat(info->get(), (std::string(fileName(step_.path)) + ".trashinfo").c_str(), 0);
    }

    Result<Done> removeAside(const At& source, const At& aside)
    {
        const int error = removeTree(aside.fd(), aside.name.c_str());
        if (error != 0 && error != ENOENT) {
            auto why = systemError("delete all of", step_.path, error);
            why.sentence += " What is left of it is at its old path.";
            return failed(putBack(source, aside, why));
        }
        source.sync();
        removeTrashNote();
        return note(StepState::Done);
    }

    Result<Done> move(const At& source)
    {
        auto target = At::open(step_.target);
        if (!target)
            return failed(target.error());
        EntryStat there;
        const bool ownLink = target->stat(there) == 0 && isOwnLink(*target, there);
        if (!ownLink && target->exists())
            return failed({ErrorKind::Unsupported, step_.target, EEXIST,
                           "Something stands at " + displayText(step_.target) + " already. It is not replaced."});
        const auto partial = target->beside(step_.partialPath());
        if (auto noted = note(StepState::Copying); !noted)
            return noted;
        auto copy = copyTree(source.fd(), source.name, step_.path, partial.fd(), partial.name, step_.target,
                             options_.stop, options_.onBytes);
        if (!copy)
            return takeCopyBack(partial, copy.error());
        // To the drive, and read back from there.
        if (::syncfs(partial.fd()) != 0)
            return takeCopyBack(partial, systemError("write", step_.target, errno));
        if (auto same = verifyCopy(*copy, partial.fd(), partial.name, step_.target, options_.stop, options_.onBytes);
            !same)
            return takeCopyBack(partial, same.error());
        if (const int error = partial.stat(there); error != 0)
            return takeCopyBack(partial, systemError("read", step_.target, error));
        step_.copyInode = there.inode;
        if (auto noted = note(StepState::Placing); !noted)
            return takeCopyBack(partial, noted.error());
        if (const int error = place(partial, *target, ownLink); error != 0)
            return takeCopyBack(partial, systemError("write", step_.target, error));
        target->sync();

        const auto aside = source.beside(step_.asidePath());
        if (auto set = setAside(source, aside); !set)
            return takeCopyBack(*target, set.error());
        if (auto same = verifySource(*copy, aside.fd(), aside.name, step_.path); !same)
            return takeCopyBack(*target, putBack(source, aside, same.error()));
        if (auto noted = note(StepState::Removing); !noted)
            return takeCopyBack(*target, putBack(source, aside, noted.error()));
        if (!copy->ownersKept)
            step_.note = "The owner could not be kept at the destination.";
        if (copy->attributesLost > 0)
            step_.note += std::string(step_.note.empty() ? "" : " ") + "The destination does not take all attributes.";
        return removeMoved(source, aside);
    }

    /// The link that an earlier move left here, to what now comes back.
    bool isOwnLink(const At& at, const EntryStat& stat) const
    {
        return stat.kind == EntryKind::SymbolicLink && readLink(at) == step_.path;
    }

    /// 0 or errno.
    int place(const At& partial, const At& target, bool ownLink)
    {
        if (!ownLink)
            return renameTo(partial, target);
        if (::renameat2(partial.fd(), partial.name.c_str(), target.fd(), target.name.c_str(), RENAME_EXCHANGE) != 0)
            return errno;
        return ::unlinkat(partial.fd(), partial.name.c_str(), 0) == 0 ? 0 : errno; // the link
    }

    /// The original stands; the copy, whole or not, goes again.
    Result<Done> takeCopyBack(const At& copy, const Error& why)
    {
        const int error = removeTree(copy.fd(), copy.name.c_str());
        if (error != 0 && error != ENOENT) {
            step_.note = why.sentence + " What was copied could not be removed yet.";
            (void)logbook_.update(step_); // under way: recover() tries again
            return why;
        }
        return failed(why);
    }

    /// The copy is in its place: the rest of the way.
    Result<Done> removeMoved(const At& source, const At& aside)
    {
        if (step_.leaveLink && ::symlinkat(step_.target.c_str(), source.fd(), source.name.c_str()) != 0 &&
            errno != EEXIST)
            step_.note = "The link at the old path could not be made: " + systemErrorText(errno) + ".";
        const int error = removeTree(aside.fd(), aside.name.c_str());
        if (error != 0 && error != ENOENT)
            step_.note = "It was moved, but of the original something could not be removed (" + systemErrorText(error) +
                         "). That is at " + displayText(aside.path) + " now.";
        source.sync();
        return note(StepState::Done);
    }

    Result<std::string> ended(StepState state, const std::string& sentence)
    {
        step_.note = sentence;
        if (const auto noted = note(state); !noted)
            return noted.error();
        return sentence;
    }

    Result<std::string> recoverTrash()
    {
        auto files = openFolder(joinPath(step_.trashed.folder.path, "files"));
        if (!files)
            return files.error();
        EntryStat now;
        if (statEntry(files->get(), step_.trashed.name.c_str(), now, StatSync::Fresh) == 0 &&
            sameAfterRestart(now, step_.stat))
            return ended(StepState::Done, shown() + " is in the trash.");
        // The name was claimed and not used.
        const auto info = joinPath(joinPath(step_.trashed.folder.path, "info"), step_.trashed.name + ".trashinfo");
        if (statEntry(files->get(), step_.trashed.name.c_str(), now, StatSync::Fresh) == ENOENT)
            ::unlink(info.c_str());
        return ended(StepState::Failed, shown() + " was not put into the trash and is where it was.");
    }

    Result<std::string> recoverDelete()
    {
        auto source = At::open(step_.path);
        if (!source)
            return source.error();
        const auto aside = source->beside(step_.asidePath());
        if (step_.state == StepState::SettingAside) {
            if (!aside.exists())
                return ended(StepState::Failed, shown() + " was not deleted and is where it was.");
            if (const int error = renameTo(aside, *source); error != 0)
                return systemError("put back", step_.path, error);
            source->sync();
            return ended(StepState::Failed, shown() + " was not deleted and is where it was.");
        }
        if (const auto done = removeAside(*source, aside); !done)
            return done.error();
        return ended(StepState::Done, "The deletion of " + shown() + " was finished.");
    }

    Result<std::string> recoverMove()
    {
        auto source = At::open(step_.path);
        if (!source)
            return source.error();
        auto target = At::open(step_.target);
        EntryStat above, below;
        // Where nothing is mounted the folder is missing, or lies on the drive that the original is on.
        if (!target || statEntry(target->fd(), "", above) != 0 || statEntry(source->fd(), "", below) != 0 ||
            above.device == below.device)
            return Error{ErrorKind::NotFound, step_.target, ENOENT,
                         "The drive of " + displayText(step_.target) + " is not there. The move of " + shown() +
                             " waits for it; what was under way is kept."};
        const auto partial = target->beside(step_.partialPath());
        const auto aside = source->beside(step_.asidePath());
        EntryStat placed;
        const bool there = step_.copyInode != 0 && target->stat(placed) == 0;
        // Before the original goes, one that was written to is still the copy: both are compared below.
        const bool unwritten = step_.state != StepState::Removing || placed.kind != EntryKind::File ||
                               placed.size == step_.stat.size;
        const bool isSame =
            there && placed.inode == step_.copyInode && placed.kind == step_.stat.kind && unwritten;
        // Where inodes are new with each mount, what is left of the original decides: all of it must be in the copy.
        const auto isCopy = [&] {
            if (!there || partial.exists() || !filesystemLimits(step_.target).inodesChange)
                return false;
            if (step_.state == StepState::Removing && !aside.exists())
                return true; // nothing of it is left any more
            const auto& original = aside.exists() ? aside : *source;
            return original.exists() &&
                   compareTrees(original.fd(), original.name, step_.path, target->fd(), target->name, step_.target,
                                options_.stop, Compare::Part);
        };
        const bool isPlaced = isSame || isCopy();
        if (step_.state == StepState::Removing) {
            if (!isPlaced)
                return Error{ErrorKind::NotFound, step_.target, ENOENT,
                             displayText(step_.target) + " is not there, to which " + shown() +
                                 " was moved. The original is kept at " + displayText(aside.path) + "."};
            if (const auto done = removeMoved(*source, aside); !done)
                return done.error();
            return ended(StepState::Done, "The move of " + shown() + " was finished.");
        }
        if (!isPlaced) {
            // A copy that never got its name.
            if (aside.exists() && renameTo(aside, *source) != 0)
                return systemError("put back", step_.path, errno);
            const int error = removeTree(partial.fd(), partial.name.c_str());
            if (error != 0 && error != ENOENT)
                return systemError("remove", partial.path, error);
            return ended(StepState::Failed,
                         shown() + " was not moved and is where it was. What had been copied was removed.");
        }
        ::unlinkat(partial.fd(), partial.name.c_str(), 0); // the link that it changed places with
        // The copy has its name, and the original is there or aside: whether both still are the same decides.
        if (!aside.exists()) {
            EntryStat now;
            if (source->stat(now) != 0 || !sameAfterRestart(now, step_.stat))
                return ended(StepState::Failed, "Of " + shown() + " a copy stands at " + displayText(step_.target) +
                                                    ". The original was replaced meanwhile; both were left.");
            step_.stat = now; // as this start of the machine numbers it
            if (auto set = setAside(*source, aside); !set)
                return set.error();
        }
        const auto same =
            compareTrees(aside.fd(), aside.name, step_.path, target->fd(), target->name, step_.target, options_.stop);
        if (!same) {
            const auto why = putBack(*source, aside, same.error());
            return ended(StepState::Failed, "Of " + shown() + " a copy stands at " + displayText(step_.target) +
                                                ", which is not the same any more: " + why.sentence +
                                                " Both were left.");
        }
        if (auto noted = note(StepState::Removing); !noted)
            return noted.error();
        if (const auto done = removeMoved(*source, aside); !done)
            return done.error();
        return ended(StepState::Done, "The move of " + shown() + " was finished.");
    }

    Logbook& logbook_;
    LoggedStep& step_;
    const ActOptions& options_;
};

} // namespace

std::string freshToken()
{
    unsigned char random[6];
    if (::getrandom(random, sizeof random, 0) != sizeof random)
        for (auto& byte : random)
            byte = static_cast<unsigned char>(::getpid() + (&byte - random) * 31);
    std::string token;
    for (const auto byte : random) {
        token += "0123456789abcdef"[byte >> 4];
        token += "0123456789abcdef"[byte & 15];
    }
    return token;
}

Result<Done> execute(Logbook& logbook, LoggedStep& step, const ActOptions& options)
{
    return Executor(logbook, step, options).run();
}

Result<std::string> recover(Logbook& logbook, LoggedStep& step, const ActOptions& options)
{
    return Executor(logbook, step, options).recover();
}

LoggedStep undoingStep(const LoggedStep& step, std::int64_t run)
{
    LoggedStep back;
    back.run = run;
    back.action = Action::Move;
    back.path = step.target;
    back.target = step.path;
    back.disk = step.disk;
    back.token = freshToken();
    back.stat = step.stat;
    auto there = openParent(step.target);
    if (there)
        (void)statEntry(there->folder.get(), there->name.c_str(), back.stat, StatSync::Fresh);
    return back;
}

bool isMovedThere(const LoggedStep& step)
{
    const auto parent = openParent(step.target);
    EntryStat now;
    if (!parent || statEntry(parent->folder.get(), parent->name.c_str(), now, StatSync::Fresh) != 0 ||
        now.kind != step.stat.kind)
        return false;
    if (now.inode == step.copyInode)
        return true;
    constexpr std::int64_t coarse = 2; // FAT keeps even seconds
    return filesystemLimits(step.target).inodesChange && (now.kind != EntryKind::File || now.size == step.stat.size) &&
           std::abs(now.modified - step.stat.modified) <= coarse;
}

Result<Done> undo(Logbook& logbook, LoggedStep& step, LoggedStep* back, const ActOptions& options)
{
    if (step.state != StepState::Done)
        return Error{ErrorKind::Unsupported, step.path, 0, displayText(step.path) + " was not changed by this run."};
    Result<Done> done = Done{};
    switch (step.action) {
    case Action::Delete:
        return Error{ErrorKind::Unsupported, step.path, 0,
                     displayText(step.path) + " was deleted for good. That cannot be taken back."};
    case Action::Trash:
        done = restoreFromTrash(step.trashed);
        break;
    case Action::EmptyTrash:
        return Error{ErrorKind::Unsupported, step.path, 0,
                     "What was in " + displayText(step.path) + " was removed for good. That cannot be taken back."};
    case Action::Move:
        if (!isMovedThere(step))
            return Error{ErrorKind::Changed, step.target, 0,
                         displayText(step.target) + " is not what was moved there. It was left alone."};
        done = execute(logbook, *back, options);
        if (done) { // it is no step of its own that could be taken back
            back->state = StepState::Undone;
            back->note = undoingNote;
            done = logbook.update(*back);
        }
        break;
    }
    if (!done)
        return done;
    step.state = StepState::Undone;
    return logbook.update(step);
}

} // namespace kurvo
