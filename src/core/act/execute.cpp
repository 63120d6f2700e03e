// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/execute.h"

#include <fcntl.h>
#include <sys/random.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>

#include "core/act/step_work.h"
#include "core/act/tree_content.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/rename.h"

namespace kurvo {
namespace {

/// Times are given by another machine's clock there.
bool isElsewhere(int fd)
{
    constexpr std::array<unsigned long, 8> kinds{
        0x6969 /* NFS */,      0x517b /* SMB */,    0xfe534d42 /* SMB 2 */, 0xff534d42 /* CIFS */,
        0x65735546 /* FUSE */, 0x01021997 /* 9P */, 0x00c36400 /* Ceph */,  0x5346414f /* AFS */};
    struct statfs about { };
    return ::fstatfs(fd, &about) != 0 ||
           std::find(kinds.begin(), kinds.end(), static_cast<unsigned long>(about.f_type)) != kinds.end();
}

class Executor : StepWork {
public:
    using StepWork::StepWork;

    Result<Done> run()
    {
        auto source = At::open(step_.path);
        if (!source)
            return failed(source.error());
        EntryStat now;
        if (const int error = source->stat(now); error != 0)
            return failed(error == ENOENT
                              ? Error{ErrorKind::NotFound, step_.path, error, shown() + " is no longer there."}
                              : systemError("look at", step_.path, error));
        if (!now.sameObject(step_.stat))
            return failed(replaced());
        if (step_.token.empty())
            step_.token = freshToken();
        step_.stat.mode = now.mode;
        step_.stat.uid = now.uid;
        step_.stat.gid = now.gid;
        step_.sourceDrive = driveIdentity(source->fd());
        switch (step_.action) {
        case Action::Trash:
            return trash(*source);
        case Action::Delete:
            return remove(*source);
        case Action::EmptyTrash:
            return emptyTrash(*source);
        case Action::Move:
            break;
        }
        return move(*source);
    }

private:
    Result<Done> trash(const At& source)
    {
        const auto folder = trashFolderFor(step_.path, options_.user);
        if (!folder)
            return failed(folder.error());
        if (isAtOrBelow(step_.path, folder->path) || isAtOrBelow(folder->path, step_.path))
            return failed({ErrorKind::Unsupported, step_.path, 0,
                           shown() + " is, holds, or already lies in the trash folder itself. Nothing was changed."});
        const auto claimed = [this](const TrashedItem& item) {
            step_.trashed = item;
            return note(StepState::Trashing);
        };
        if (::geteuid() != 0 || options_.user.uid == 0) {
            const auto moved =
                putIntoTrash(source.fd(), source.name, step_.path, step_.stat, *folder, options_.user, claimed);
            EntryStat now;
            if (!moved && step_.state == StepState::Trashing && (source.stat(now) != 0 || !now.sameObject(step_.stat)))
                stuck_ = true; // the drive failed between: the next start sees where it is
            return moved ? note(StepState::Done) : failed(moved.error());
        }
        // With rights: out of its place as root, looked at where nobody else gets, and only then into a folder of the
        // user's, in which nothing is believed.
        const auto held = setAside(source, step_.stat);
        if (!held)
            return failed(held.error());
        const auto moved = putIntoTrash(held->fd, held->name, step_.path, step_.stat, *folder, options_.user, claimed);
        EntryStat now;
        if (!moved && statEntry(held->fd, held->name.c_str(), now, StatSync::Fresh) == 0)
            return failedWith(source, *held, moved.error());
        if (!moved) { // in the trash, or wherever its owner took it from there
            (void)closeFolder(source, *held->folder);
            return failed(moved.error());
        }
        return isOnDisk(closeFolder(source, *held->folder)) ? note(StepState::Done) : Result<Done>(unsure());
    }

    Result<Done> remove(const At& source)
    {
        const auto held = setAside(source, step_.stat);
        if (!held)
            return failed(held.error());
        const auto manifest = Manifest::read(held->fd, held->name, step_.path, Manifest::For::Removing, options_.stop);
        if (!manifest)
            return failedWith(source, *held, manifest.error());
        const auto give = [&](const Error& why) {
            manifest->restoreModes(held->fd, held->name);
            return failedWith(source, *held, why);
        };
        if (auto same = isAsPlanned(*manifest, source.fd()); !same)
            return give(same.error());
        step_.sealed = momentNow();
        if (auto noted = note(StepState::Removing); !noted) {
            auto why = noted.error();
            why.sentence += giveBack(source, *held);
            return why;
        }
        switch (removeHeld(source, *held, *manifest)) {
        case Removal::Part:
            return failed({ErrorKind::Changed, step_.path, 0, step_.note});
        case Removal::Unsure:
            return unsure();
        case Removal::All:
            break;
        }
        removeTrashNote();
        return note(StepState::Done);
    }

    /// What was planned and checked, and nothing in it was changed since the check began.
    Result<Done> isAsPlanned(const Manifest& manifest, int folder) const
    {
        if (options_.contentIsSame)
            if (auto same = options_.contentIsSame(manifest.summary()); !same)
                return same;
        if (options_.checkedSince == 0 || isElsewhere(folder))
            return Done{};
        return manifest.unchangedSince(options_.checkedSince, step_.path);
    }

    /// One after the other, each listed until it is gone, so that nothing has to be taken back when it is ended.
    Result<Done> emptyTrash(const At& source)
    {
        const auto whole = Manifest::read(source.fd(), source.name, step_.path, Manifest::For::Looking, options_.stop);
        if (!whole)
            return failed(whole.error());
        if (auto same = isAsPlanned(*whole, source.fd()); !same)
            return failed(same.error());
        const auto trashes = existingTrashFolders(step_.path, options_.user);
        const auto folder = std::find_if(trashes.begin(), trashes.end(),
                                         [&](const TrashFolder& trash) { return trash.path == step_.path; });
        if (folder == trashes.end())
            return failed({ErrorKind::Unsupported, step_.path, 0,
                           shown() + " is not a trash folder of yours. Nothing in it is touched."});
        const auto trash = OpenTrash::open(*folder, options_.user.uid);
        const auto listed = listTrash(*folder);
        if (!trash || !listed)
            return failed(trash ? listed.error() : trash.error());
        if (auto noted = note(StepState::Removing); !noted)
            return noted;
        auto files = At::open(joinPath(step_.path, "files"));
        if (!files)
            return failed(files.error());
        auto aside = PrivateFolder::make(files->fd(), step_.privateName(), joinPath(step_.path, step_.privateName()));
        if (!aside)
            return failed(aside.error());
        std::optional<Error> surprise;
        for (const auto& [name, content] : whole->summariesIn("files")) {
            const auto item = std::find_if(listed->begin(), listed->end(),
                                           [&, &wanted = name](const TrashedItem& i) { return i.name == wanted; });
            if (item == listed->end() || options_.stop.stop_requested())
                continue;
            if (auto gone = removeTrashed(*trash, *item, content, *aside); !gone && !surprise)
                surprise = gone.error();
        }
        int error = closeFolder(*files, *aside);
        if (error == 0)
            error = trash->sync();
        stuck_ = stuck_ || error != 0;
        if (error != 0 && !surprise)
            surprise = systemError("empty", step_.path, error);
        if (options_.stop.stop_requested() && !surprise)
            surprise = Error{ErrorKind::Cancelled, step_.path, ECANCELED,
                             "Stopped. What is left in the trash is still listed there."};
        return surprise ? failed(*surprise) : note(StepState::Done);
    }

    /// What lies there under that name, if it is what was there when the trash was looked through.
    Result<Done> removeTrashed(const OpenTrash& trash, const TrashedItem& item, const ContentSummary& then,
                               const PrivateFolder& aside)
    {
        const auto shownName = joinPath(joinPath(item.folder.path, "files"), item.name);
        if (const int error = renameNoReplace(trash.files(), item.name.c_str(), aside.fd(), item.name.c_str());
            error != 0)
            return error == ENOENT ? Result<Done>(Done{}) : systemError("remove from the trash:", shownName, error);
        const auto back = [&](Error why) {
            if (renameNoReplace(aside.fd(), item.name.c_str(), trash.files(), item.name.c_str()) != 0)
                why.sentence += " It is at " + displayText(joinPath(aside.path(), item.name)) + ".";
            else
                why.sentence += " It is in the trash still.";
            return why;
        };
        const auto manifest = Manifest::read(aside.fd(), item.name, shownName, Manifest::For::Removing, options_.stop);
        if (!manifest)
            return back(manifest.error());
        if (manifest->summary() != then) {
            manifest->restoreModes(aside.fd(), item.name);
            return back({ErrorKind::Changed, shownName, 0,
                         displayText(shownName) + " is not what was in the trash when it was checked."});
        }
        const auto removed = manifest->remove(aside.fd(), item.name, shownName, options_.stop);
        if (removed.surprise) {
            manifest->restoreModes(aside.fd(), item.name);
            return back(*removed.surprise);
        }
        trash.removeNote(item);
        return Done{};
    }

    /// What lies in a trash folder has a note of where it was, which goes with it.
    void removeTrashNote() const
    {
        const auto files = parentPath(step_.path);
        if (fileName(files) != "files")
            return;
        const auto trashes = existingTrashFolders(std::string(files), options_.user);
        const auto folder = std::find_if(trashes.begin(), trashes.end(),
                                         [&](const TrashFolder& trash) { return trash.path == parentPath(files); });
        if (folder == trashes.end())
            return;
        if (const auto trash = OpenTrash::open(*folder, options_.user.uid))
            trash->removeNote(trash->noteOn(std::string(fileName(step_.path))));
    }

    Result<Done> move(const At& source)
    {
        auto target = At::open(step_.target);
        if (!target)
            return failed(target.error());
        EntryStat there;
        const int seen = target->stat(there);
        const bool ownLink = seen == 0 && there.kind == EntryKind::SymbolicLink && target->readLink() == step_.path;
        if (!ownLink && seen != ENOENT)
            return failed(
                seen == 0 ? Error{ErrorKind::Unsupported, step_.target, EEXIST,
                                  "Something stands at " + displayText(step_.target) + " already. It is not replaced."}
                          : systemError("look at", step_.target, seen));
        step_.targetDrive = driveIdentity(target->fd());
        if (auto noted = note(StepState::Copying); !noted)
            return noted;
        auto room = PrivateFolder::make(target->fd(), step_.privateName(),
                                        joinPath(parentPath(step_.target), step_.privateName()));
        if (!room)
            return failed(room.error());
        const auto copy = makeCopy(source, *room, *target);
        if (!copy)
            return takeCopyBack(*target, copy.error());
        const auto held = setAside(source, copy->entries.front().stat);
        if (!held)
            return takeCopyBack(*target, held.error());
        const auto original = Manifest::read(held->fd, held->name, step_.path, Manifest::For::Removing, options_.stop);
        const auto give = [&](Error why) {
            if (original)
                original->restoreModes(held->fd, held->name);
            why.sentence += giveBack(source, *held);
            return takeCopyBack(*target, why);
        };
        if (!original)
            return give(original.error());
        if (auto same = original->sameAs(Manifest::of(*copy), step_.path); !same)
            return give(same.error());
        if (auto same = isAsPlanned(*original, source.fd()); !same)
            return give(same.error());
        if (auto noted = note(StepState::Placing); !noted)
            return give(noted.error());
        if (auto placed = place(*room, *target, ownLink); !placed)
            return give(placed.error());
        if (auto durable = settlePlaced(*room, *target); !durable) {
            // What is at the target may or may not outlast a power cut: the original stays.
            original->restoreModes(held->fd, held->name);
            auto why = durable.error();
            why.sentence += giveBack(source, *held);
            why.sentence += " A copy may stand at " + displayText(step_.target) + ".";
            stuck_ = true; // the next start sees what came of it
            return failed(why);
        }
        step_.sealed = momentNow();
        step_.note = copy->losses.sentence();
        if (auto noted = note(StepState::Removing); !noted) {
            auto why = noted.error();
            why.sentence += giveBack(source, *held);
            return why;
        }
        return removeMoved(source, *held, *original);
    }

    /// Written, on the drive, and read back from there.
    Result<TreeCopy> makeCopy(const At& source, const PrivateFolder& room, const At& target)
    {
        auto copy = copyTree(source.fd(), source.name, step_.path, room.fd(), target.name, step_.target, options_.stop,
                             options_.onBytes);
        if (!copy)
            return copy;
        if (options_.accepted && !copy->losses.within(*options_.accepted))
            return Error{ErrorKind::Unsupported, step_.target, 0,
                         copy->losses.sentence() + " That was not known beforehand, so that " + shown() +
                             " was left where it is."};
        if (::syncfs(room.fd()) != 0)
            return systemError("write", step_.target, errno);
        if (auto same = verifyCopy(*copy, room.fd(), target.name, step_.target, options_.stop, options_.onBytes); !same)
            return same.error();
        if (const int error = statEntry(room.fd(), target.name.c_str(), made_, StatSync::Fresh); error != 0)
            return systemError("read", step_.target, error);
        step_.copyInode = made_.inode;
        return copy;
    }

    /// The copy gets its name. What stood there and changed places with it is looked at: only the link that an earlier
    /// move left goes.
    Result<Done> place(const PrivateFolder& room, const At& target, bool ownLink)
    {
        const auto taken = [this] {
            return Error{ErrorKind::Changed, step_.target, EEXIST,
                         "There is something else at " + displayText(step_.target) + " now. It is not replaced."};
        };
        if (!ownLink) {
            const int error = renameNoReplace(room.fd(), target.name.c_str(), target.fd(), target.name.c_str());
            if (error == EEXIST || error == ENOTEMPTY)
                return taken();
            return error == 0 ? Result<Done>(Done{}) : systemError("write", step_.target, error);
        }
        if (const int error = renameExchange(room.fd(), target.name.c_str(), target.fd(), target.name.c_str());
            error != 0)
            return error == ENOENT ? taken() : systemError("write", step_.target, error);
        EntryStat out;
        const At was{UniqueFd(::fcntl(room.fd(), F_DUPFD_CLOEXEC, 0)), target.name, step_.target};
        if (was.stat(out) == 0 && out.kind == EntryKind::SymbolicLink && was.readLink() == step_.path)
            return ::unlinkat(room.fd(), target.name.c_str(), 0) == 0 ? Result<Done>(Done{})
                                                                      : systemError("write", step_.target, errno);
        if (const int error = renameExchange(room.fd(), target.name.c_str(), target.fd(), target.name.c_str());
            error != 0) {
            stuck_ = true;
            return systemError("put back", step_.target, error);
        }
        return taken();
    }

    /// The copy is where it should be and will be there after a power cut.
    Result<Done> settlePlaced(const PrivateFolder& room, const At& target)
    {
        EntryStat now;
        int error = target.stat(now);
        const bool isCopy = now.inode == step_.copyInode || // some filesystems give an entry a new number with its name
                            (now.kind == made_.kind && now.size == made_.size && now.modified == made_.modified);
        if (error == 0 && !isCopy)
            return Error{ErrorKind::Changed, step_.target, 0,
                         displayText(step_.target) + " was taken away as soon as it was there."};
        if (error == 0)
            error = closeFolder(target, room);
        return error == 0 ? Result<Done>(Done{}) : systemError("write", step_.target, error);
    }

    EntryStat made_; ///< of the copy

    /// The original stands; the copy, whole or not, goes again.
    Result<Done> takeCopyBack(const At& target, const Error& why)
    {
        if (const auto removed = removeCopy(target); !removed) {
            stuck_ = true;
            auto both = why;
            both.sentence += " What was copied could not be removed yet.";
            return failed(both);
        }
        return failed(why);
    }

    /// The copy is in its place: the rest of the way.
    Result<Done> removeMoved(const At& source, const Held& held, const Manifest& original)
    {
        const auto lost = step_.note;
        step_.note.clear();
        const auto removed = removeHeld(source, held, original);
        if (removed == Removal::Unsure)
            return unsure();
        if (removed == Removal::Part) {
            step_.note = shown() + " was moved, but not all of the original could be removed: " + step_.note;
        } else if (step_.leaveLink) {
            if (::symlinkat(step_.target.c_str(), source.fd(), source.name.c_str()) != 0)
                step_.note = "The link at the old path could not be made: " + systemErrorText(errno) + ".";
            else if (const int error = syncFolder(source.fd()); error != 0)
                step_.note = "The link at the old path may not be kept: " + systemErrorText(error) + ".";
        }
        if (!lost.empty())
            step_.note = lost + (step_.note.empty() ? "" : " ") + step_.note;
        return note(StepState::Done);
    }
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

} // namespace kurvo
