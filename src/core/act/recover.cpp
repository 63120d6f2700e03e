// SPDX-License-Identifier: GPL-3.0-or-later
// The part of execute.h that ends what a kill or a power cut left under way. It judges only when the drives that it is
// about are the ones that are there, deletes only what it can show to be what was checked, and otherwise gives back.
#include <fcntl.h>
#include <unistd.h>

#include <cerrno>

#include "core/act/execute.h"
#include "core/act/step_work.h"
#include "core/base/figures.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/filesystem_limits.h"
#include "core/platform/rename.h"
#include "core/platform/running_system.h"

namespace kurvo {
namespace {

using Sentence = Result<std::string>;

class Recovery : StepWork {
public:
    using StepWork::StepWork;

    Sentence run()
    {
        if (step_.sourceDrive.starts_with(memoryDrive) && step_.changed < bootTime())
            return ended(StepState::Failed, shown() + " was on a drive in memory, which is gone since this machine was "
                                                      "started again.");
        auto source = At::open(step_.path);
        if (!source || !isThere(step_.sourceDrive, source->fd()))
            return waits(step_.path);
        switch (step_.action) {
        case Action::Trash:
            return step_.state == StepState::Restoring ? restoring(*source) : trashing(*source);
        case Action::Delete:
            return deleting(*source);
        case Action::EmptyTrash:
            return emptying();
        case Action::Move:
            break;
        }
        auto target = At::open(step_.target);
        if (!target || !isTargetThere(*source, *target))
            return waits(step_.target);
        return moving(*source, *target);
    }

private:
    static bool isThere(const std::string& drive, int fd) { return drive.empty() || driveIdentity(fd) == drive; }
    bool isTargetThere(const At& source, const At& target) const
    {
        if (!step_.targetDrive.empty())
            return isThere(step_.targetDrive, target.fd());
        // Of a logbook from before drives were noted: where nothing is mounted, the folder is on the original's drive.
        EntryStat above, below;
        return statEntry(target.fd(), "", above) == 0 && statEntry(source.fd(), "", below) == 0 &&
               above.device != below.device;
    }
    Error waits(const std::string& path) const
    {
        return {ErrorKind::NotFound, path, ENOENT,
                "The drive of " + displayText(path) + " is not there. What was under way with " + shown() +
                    " waits for it and is kept."};
    }

    Sentence ended(StepState state, const std::string& sentence)
    {
        step_.note = sentence;
        if (stuck_) {
            (void)logbook_.update(step_);
            return Error{ErrorKind::System, step_.path, 0, sentence};
        }
        if (const auto noted = note(state); !noted)
            return noted.error();
        return sentence;
    }
    /// The original has its place again, or `giveBack` says where it is.
    Sentence backAgain(const At& source, const std::optional<Held>& held, const std::string& sentence)
    {
        auto whole = sentence;
        if (held)
            whole += giveBackWhole(source, *held);
        return ended(StepState::Failed, whole);
    }
    std::string giveBackWhole(const At& source, const Held& held)
    {
        auto said = giveBack(source, held);
        if (held.name.empty() && held.folder)
            (void)closeFolder(source, *held.folder);
        EntryStat now;
        // A folder's mode was widened for the moment of a rename.
        if (step_.stat.mode != 0 && source.stat(now) == 0 && now.mode != step_.stat.mode &&
            now.inode == step_.stat.inode && now.kind == EntryKind::Folder &&
            (now.mode & ~0700u) == (step_.stat.mode & ~0700u)) {
            const UniqueFd fd(::openat(source.fd(), source.name.c_str(), O_PATH | O_NOFOLLOW | O_CLOEXEC));
            EntryStat opened;
            if (fd && statEntry(fd.get(), "", opened, StatSync::Fresh) == 0 && opened.sameObject(now))
                (void)changeMode(fd.get(), step_.stat.mode & 07777);
        }
        return said;
    }

    /// It says how things are; not that they could not be looked at (a drive that fails, a stop), which means to wait.
    static bool isAnswer(const Error& error)
    {
        return error.kind == ErrorKind::Changed || error.kind == ErrorKind::NoPermission ||
               error.kind == ErrorKind::Unsupported;
    }

    Sentence trashing(const At& source)
    {
        auto held = findHeld(source);
        if (!held)
            return held.error();
        const auto trash = OpenTrash::open(step_.trashed.folder, options_.user.uid);
        if (!trash && trash.error().sysError == EIO)
            return trash.error(); // a drive that fails is no answer
        if (isInTrash(trash)) {
            closeEmpty(source, *held);
            return ended(StepState::Done, shown() + " is in the trash.");
        }
        EntryStat now;
        if (trash && statEntry(trash->files(), step_.trashed.name.c_str(), now, StatSync::Fresh) == ENOENT)
            trash->removeNote(step_.trashed); // the name was claimed and not used
        const bool isSomewhere =
            (*held && !(*held)->name.empty()) || (source.stat(now) == 0 && sameAfterRestart(now, step_.stat));
        return backAgain(source, *held,
                         isSomewhere
                             ? shown() + " was not put into the trash and is where it was."
                             : shown() + " is neither where it was nor in the trash: somebody took it from there.");
    }

    bool isInTrash(const Result<OpenTrash>& trash) const
    {
        EntryStat now;
        return trash && statEntry(trash->files(), step_.trashed.name.c_str(), now, StatSync::Fresh) == 0 &&
               sameAfterRestart(now, step_.stat);
    }
    void closeEmpty(const At& source, const std::optional<Held>& held)
    {
        if (held && held->folder)
            (void)closeFolder(source, *held->folder);
    }
    static EntryStat statOf(const Held& held)
    {
        EntryStat stat;
        (void)statEntry(held.fd, held.name.c_str(), stat, StatSync::Fresh);
        return stat;
    }

    Sentence restoring(const At& source)
    {
        auto held = findHeld(source);
        if (!held)
            return held.error();
        const auto trash = OpenTrash::open(step_.trashed.folder, options_.user.uid);
        if (!trash && trash.error().sysError == EIO)
            return trash.error(); // a drive that fails is no answer
        if (isInTrash(trash)) {
            closeEmpty(source, *held);
            return ended(StepState::Done, shown() + " is in the trash still.");
        }
        std::string more;
        if (*held && !(*held)->name.empty() && !isWhatWentIn(statOf(**held))) {
            // It was taken out and not looked at yet: back where it came from, and to no other place.
            if (!trash ||
                renameNoReplace((*held)->fd, (*held)->name.c_str(), trash->files(), step_.trashed.name.c_str()) != 0)
                stuck_ = true;
            else if ((*held)->folder)
                (void)closeFolder(source, *(*held)->folder);
            return ended(StepState::Done, "What was in the trash as " + displayText(step_.trashed.name) +
                                              " is not what was put there as " + shown() + ". It stays in the trash.");
        }
        if (*held)
            more = giveBackWhole(source, **held);
        if (trash)
            trash->removeNote(step_.trashed);
        EntryStat now;
        const bool isBack =
            (*held && !(*held)->name.empty()) || (source.stat(now) == 0 && sameAfterRestart(now, step_.stat));
        return ended(StepState::Undone, isBack
                                            ? shown() + " came back from the trash." + more
                                            : shown() + " came out of the trash and is not at its old path any more.");
    }

    Sentence deleting(const At& source)
    {
        auto held = findHeld(source);
        if (!held)
            return held.error();
        EntryStat now;
        const bool inPlace = source.stat(now) == 0 && sameAfterRestart(now, step_.stat);
        if (step_.state == StepState::SettingAside || (!*held && inPlace))
            return backAgain(source, *held, shown() + " was not deleted and is where it was.");
        if (!*held || (*held)->name.empty()) {
            if (*held && (*held)->folder)
                (void)closeFolder(source, *(*held)->folder);
            return ended(StepState::Done, "The deletion of " + shown() + " was finished.");
        }
        const auto rest =
            Manifest::read((*held)->fd, (*held)->name, step_.path, Manifest::For::Removing, options_.stop);
        const auto unchanged =
            !rest ? Result<Done>(rest.error())
            : step_.sealed == 0
                ? Result<Done>(Error{ErrorKind::Changed, step_.path, 0, "It is not known when it was checked."})
                : rest->unchangedSince(step_.sealed, step_.path, Manifest::Top::Too);
        if (!unchanged) {
            if (rest)
                rest->restoreModes((*held)->fd, (*held)->name);
            if (!isAnswer(unchanged.error()))
                return unchanged.error();
            return backAgain(source, *held,
                             "The deletion of " + shown() + " was interrupted. " + unchanged.error().sentence +
                                 " What is left is at its old path.");
        }
        const auto removed = removeHeld(source, **held, *rest);
        if (removed == Removal::Unsure)
            return unsure();
        if (removed == Removal::Part)
            return ended(StepState::Failed, "The deletion of " + shown() + " was interrupted. " + step_.note);
        return ended(StepState::Done, "The deletion of " + shown() + " was finished.");
    }

    Sentence emptying()
    {
        auto files = At::open(joinPath(step_.path, "files"));
        if (!files)
            return waits(step_.path);
        std::string more;
        if (const auto aside =
                PrivateFolder::open(files->fd(), step_.privateName(), joinPath(step_.path, step_.privateName()))) {
            const auto trash = openFolder(joinPath(step_.path, "files"));
            if (!trash)
                return trash.error();
            FolderReader reader;
            reader.start(aside->fd());
            std::vector<std::string> names;
            while (const char* name = reader.next())
                names.emplace_back(name);
            for (const auto& name : names)
                if (renameNoReplace(aside->fd(), name.c_str(), trash->get(), name.c_str()) != 0) {
                    stuck_ = true;
                    more += " " + displayText(joinPath(aside->path(), name)) + " could not be given back yet.";
                }
            if (!stuck_ && !isOnDisk(closeFolder(*files, *aside)))
                return unsure();
        }
        return ended(StepState::Failed,
                     "The emptying of " + shown() +
                         " was interrupted. What had gone is gone; what is left is still listed there." + more);
    }

    /// What stands in the private folder at the destination.
    enum class Room { Nothing, Copy, OldLink, Other };
    Room lookIntoRoom(const std::optional<PrivateFolder>& room, const At& target) const
    {
        EntryStat stat;
        if (!room || statEntry(room->fd(), target.name.c_str(), stat, StatSync::Fresh) != 0)
            return Room::Nothing;
        if (step_.copyInode == 0 || stat.inode == step_.copyInode || step_.state < StepState::Placing ||
            step_.state == StepState::SettingAside)
            return Room::Copy;
        const At in{UniqueFd(::fcntl(room->fd(), F_DUPFD_CLOEXEC, 0)), target.name, step_.target};
        if (stat.kind == EntryKind::SymbolicLink && in.readLink() == step_.path)
            return Room::OldLink;
        return filesystemLimits(step_.target).inodesChange ? Room::Copy : Room::Other;
    }

    Sentence moving(const At& source, const At& target)
    {
        auto held = findHeld(source);
        if (!held)
            return held.error();
        if (auto old = removeOldPartial(target); !old)
            return old.error();
        std::optional<PrivateFolder> room;
        if (auto opened = PrivateFolder::open(target.fd(), step_.privateName(),
                                              joinPath(parentPath(target.path), step_.privateName())))
            room.emplace(std::move(*opened));
        else if (opened.error().kind != ErrorKind::NotFound && opened.error().kind != ErrorKind::Changed)
            return opened.error();
        const auto inRoom = lookIntoRoom(room, target);
        if (inRoom == Room::Other) {
            // What the copy changed places with was not the link that was meant: back.
            if (const int error = renameExchange(room->fd(), target.name.c_str(), target.fd(), target.name.c_str());
                error != 0)
                return systemError("put back", step_.target, error);
        } else if (inRoom == Room::OldLink) {
            ::unlinkat(room->fd(), target.name.c_str(), 0);
        }
        if (inRoom == Room::Copy || inRoom == Room::Other) {
            if (auto removed = removeCopy(target); !removed)
                return removed.error();
            return backAgain(source, *held,
                             shown() + " was not moved and is where it was. What had been copied was removed.");
        }
        if (room)
            (void)closeFolder(target, *room);
        const bool hasRest = *held && !(*held)->name.empty();
        if (step_.state != StepState::Removing && step_.state != StepState::Placing)
            return backAgain(source, *held, shown() + " was not moved and is where it was.");
        if (!hasRest)
            return withoutOriginal(source, target, *held);
        return withOriginal(source, target, **held);
    }

    bool isCopyThere(const At& target) const
    {
        EntryStat placed;
        return step_.copyInode != 0 && target.stat(placed) == 0 && placed.kind == step_.stat.kind &&
               (placed.inode == step_.copyInode || filesystemLimits(step_.target).inodesChange);
    }

    /// Nothing is left of the original in a private folder.
    Sentence withoutOriginal(const At& source, const At& target, const std::optional<Held>& held)
    {
        EntryStat now;
        const int seen = source.stat(now);
        if (held && held->folder)
            (void)closeFolder(source, *held->folder);
        if (seen == 0 && sameAfterRestart(now, step_.stat)) // its renaming was not on the disk yet, or was taken back
            return ended(
                StepState::Failed,
                shown() + " is where it was." +
                    (isCopyThere(target) ? " A copy stands at " + displayText(step_.target) + "." : std::string()));
        if (step_.state == StepState::Placing)
            return ended(StepState::Failed, "Of " + shown() + " a copy stands at " + displayText(step_.target) +
                                                ". The original was replaced meanwhile; both were left.");
        if (step_.leaveLink && seen == ENOENT &&
            ::symlinkat(step_.target.c_str(), source.fd(), source.name.c_str()) != 0)
            return systemError("make the link", step_.path, errno);
        return ended(StepState::Done, "The move of " + shown() + " was finished.");
    }

    Sentence withOriginal(const At& source, const At& target, const Held& held)
    {
        const auto kept = [&](const std::string& sentence) { return sentence + giveBackWhole(source, held); };
        if (!isCopyThere(target))
            return ended(StepState::Failed, kept(displayText(step_.target) + " is not there, to which " + shown() +
                                                 " was to be moved. What is left of the original is at its old path."));
        const auto original = Manifest::read(held.fd, held.name, step_.path, Manifest::For::Removing, options_.stop);
        const auto same = !original ? Result<Done>(original.error())
                                    : compareTrees(held.fd, held.name, step_.path, target.fd(), target.name,
                                                   step_.target, options_.stop,
                                                   step_.state == StepState::Removing ? Compare::Part : Compare::Whole);
        if (!same && !isAnswer(same.error())) {
            if (original)
                original->restoreModes(held.fd, held.name);
            return same.error();
        }
        if (!same) {
            if (original)
                original->restoreModes(held.fd, held.name);
            return ended(StepState::Failed,
                         kept("Of " + shown() + " a copy stands at " + displayText(step_.target) + ". " +
                              same.error().sentence +
                              (step_.state == StepState::Removing ? " What is left of the original is at its old path."
                                                                  : " Both were left.")));
        }
        if (const int error = syncFolder(target.fd()); error != 0)
            return systemError("write", step_.target, error);
        if (auto noted = note(StepState::Removing); !noted)
            return noted.error();
        const auto removed = removeHeld(source, held, *original);
        if (removed == Removal::Unsure)
            return unsure();
        if (removed == Removal::Part)
            return ended(StepState::Done,
                         shown() + " was moved, but not all of the original could be removed: " + step_.note);
        return withoutOriginal(source, target, std::nullopt);
    }

    /// Until version 2 a copy was made under a name of its own beside its place.
    Result<Done> removeOldPartial(const At& target)
    {
        const auto partial = target.beside(step_.partialName());
        EntryStat stat;
        if (partial.stat(stat) != 0)
            return Done{};
        const auto manifest = Manifest::read(partial.fd(), partial.name, partial.path, Manifest::For::Looking);
        if (!manifest)
            return manifest.error();
        const auto removed = manifest->remove(partial.fd(), partial.name, partial.path);
        return removed.surprise ? Result<Done>(*removed.surprise) : Result<Done>(Done{});
    }
};

} // namespace

Result<std::string> recover(Logbook& logbook, LoggedStep& step, const ActOptions& options)
{
    return Recovery(logbook, step, options).run();
}

} // namespace kurvo
