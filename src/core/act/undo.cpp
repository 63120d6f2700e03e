// SPDX-License-Identifier: GPL-3.0-or-later
// The part of execute.h that takes a step back.
#include <unistd.h>

#include <cerrno>
#include <cstdlib>

#include "core/act/execute.h"
#include "core/act/step_work.h"
#include "core/platform/filesystem_limits.h"
#include "core/platform/rename.h"

namespace kurvo {
namespace {

/// Takes a step out of the trash again.
class Restorer : StepWork {
public:
    using StepWork::StepWork;

    Result<Done> run()
    {
        const auto& item = step_.trashed;
        const auto trash = OpenTrash::open(item.folder, options_.user.uid);
        if (!trash)
            return trash.error();
        const auto source = At::open(step_.path);
        if (!source) {
            auto why = source.error();
            why.sentence = "Could not restore " + shown() + ": " + why.sentence + " It stays in the trash.";
            return why;
        }
        EntryStat now;
        if (statEntry(trash->files(), item.name.c_str(), now, StatSync::Fresh) != 0)
            return Error{ErrorKind::NotFound, step_.path, ENOENT, shown() + " is no longer in the trash."};
        if (!isWhatWentIn(now))
            return notThat();
        if (auto noted = note(StepState::Restoring); !noted)
            return noted;
        if (auto out = takeOut(*trash, *source); !out) {
            if (stuck_)
                return out; // under way: the next start sees to it
            if (auto noted = note(StepState::Done); !noted)
                return noted;
            return out;
        }
        trash->removeNote(item);
        return note(StepState::Undone);
    }

private:
    Error notThat() const
    {
        return {ErrorKind::Changed, step_.path, 0,
                "What is in the trash as " + displayText(step_.trashed.name) + " is not what was put there as " +
                    shown() + ". It stays in the trash."};
    }

    Result<Done> takeOut(const OpenTrash& trash, const At& source)
    {
        const auto& name = step_.trashed.name;
        // With rights it is looked at where nobody else gets before it has a place that counts for something.
        std::optional<PrivateFolder> room;
        if (withRights()) {
            auto made = PrivateFolder::make(source.fd(), step_.privateName(),
                                            joinPath(parentPath(source.path), step_.privateName()));
            if (!made)
                return made.error();
            room.emplace(std::move(*made));
        }
        const int to = room ? room->fd() : source.fd();
        const auto back = [&](Error why) {
            if (renameNoReplace(to, source.name.c_str(), trash.files(), name.c_str()) != 0) {
                stuck_ = room.has_value();
                why.sentence += " It could not be put back into the trash.";
            }
            if (room)
                (void)closeFolder(source, *room);
            return why;
        };
        if (const int error = renameNoReplace(trash.files(), name.c_str(), to, source.name.c_str()); error != 0) {
            if (room)
                (void)closeFolder(source, *room);
            return inTheWay(error);
        }
        EntryStat now;
        if (statEntry(to, source.name.c_str(), now, StatSync::Fresh) != 0 || !isWhatWentIn(now))
            return back(notThat());
        if (room) {
            if (const int error = renameNoReplace(to, source.name.c_str(), source.fd(), source.name.c_str());
                error != 0)
                return back(inTheWay(error));
        }
        int error = room ? closeFolder(source, *room) : syncFolder(source.fd());
        if (error == 0)
            error = trash.sync();
        stuck_ = error != 0;
        return error == 0 ? Result<Done>(Done{}) : systemError("write", step_.path, error);
    }
    Error inTheWay(int error) const
    {
        auto why = systemError("restore", step_.path, error);
        if (error == EEXIST || error == ENOTEMPTY)
            why.sentence =
                "Could not restore " + shown() + ": something newer stands at that path. It stays in the trash.";
        if (error == ENOENT)
            why.sentence = shown() + " is no longer in the trash.";
        return why;
    }
};

} // namespace

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

namespace {

/// Root, for a user, moves nothing back that the user may have put in place of what was moved.
bool mayComeBack(const LoggedStep& step, const ActOptions& options)
{
    if (::geteuid() != 0 || options.user.uid == 0)
        return true;
    const auto parent = openParent(step.target);
    EntryStat now;
    return parent && statEntry(parent->folder.get(), parent->name.c_str(), now, StatSync::Fresh) == 0 &&
           isUnchangedFor(now, step.stat);
}

} // namespace

Result<Done> undo(Logbook& logbook, LoggedStep& step, LoggedStep* back, const ActOptions& options)
{
    if (step.state != StepState::Done)
        return Error{ErrorKind::Unsupported, step.path, 0, displayText(step.path) + " was not changed by this run."};
    switch (step.action) {
    case Action::Delete:
        return Error{ErrorKind::Unsupported, step.path, 0,
                     displayText(step.path) + " was deleted for good. That cannot be undone."};
    case Action::Trash:
        return Restorer(logbook, step, options).run();
    case Action::EmptyTrash:
        return Error{ErrorKind::Unsupported, step.path, 0,
                     "What was in " + displayText(step.path) + " was removed for good. That cannot be undone."};
    case Action::Move:
        break;
    }
    if (!isMovedThere(step) || !mayComeBack(step, options))
        return Error{ErrorKind::Changed, step.target, 0,
                     displayText(step.target) + " is not what was moved there. It was left alone."};
    auto done = execute(logbook, *back, options);
    if (!done)
        return done;
    back->state = StepState::Undone; // it is no step of its own that could be taken back
    back->note = undoingNote;
    step.state = StepState::Undone;
    std::vector<LoggedStep> both{*back, step}; // at once: both or none
    done = logbook.update(both);
    return done;
}

} // namespace kurvo
