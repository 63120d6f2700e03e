// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/step_work.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <climits>

#include "core/act/busy.h"
#include "core/act/tree_content.h"
#include "core/base/figures.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/filesystem_limits.h"
#include "core/platform/rename.h"

namespace kurvo {

Result<At> At::open(const std::string& path)
{
    auto parent = openParent(path);
    if (!parent)
        return parent.error();
    // One that can be synced, where the folder may be read.
    UniqueFd readable(::openat(parent->folder.get(), ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    return At{readable ? std::move(readable) : std::move(parent->folder), std::move(parent->name), path};
}

At At::beside(const std::string& otherName) const
{
    return {UniqueFd(::fcntl(fd(), F_DUPFD_CLOEXEC, 0)), otherName, joinPath(parentPath(path), otherName)};
}

std::string At::readLink() const
{
    std::string target(PATH_MAX, '\0');
    const auto n = ::readlinkat(fd(), name.c_str(), target.data(), target.size());
    target.resize(n > 0 ? static_cast<std::size_t>(n) : 0);
    return target;
}

bool sameAfterRestart(const EntryStat& now, const EntryStat& then)
{
    if (now.kind != then.kind)
        return false;
    const bool unwritten = now.modified == then.modified && now.modifiedNs == then.modifiedNs;
    return now.inode == then.inode || (unwritten && (now.kind == EntryKind::Folder || now.size == then.size));
}

bool isUnchangedFor(const EntryStat& now, const EntryStat& then)
{
    return now.uid == then.uid && now.gid == then.gid && now.mode == then.mode &&
           (now.kind == EntryKind::Folder ||
            (now.size == then.size && now.modified == then.modified && now.modifiedNs == then.modifiedNs));
}

Error StepWork::replaced() const
{
    return {ErrorKind::Changed, step_.path, 0, shown() + " was replaced by something else. It was left alone."};
}

bool StepWork::isWhatWentIn(const EntryStat& now) const
{
    return sameAfterRestart(now, step_.stat) && (!withRights() || isUnchangedFor(now, step_.stat));
}

Result<Done> StepWork::note(StepState state)
{
    step_.state = state;
    return logbook_.update(step_);
}

Result<Done> StepWork::failed(const Error& error)
{
    step_.note = error.sentence;
    // A drive that fails is no answer: what it holds now nobody knows.
    const bool drive = error.sysError == EIO && step_.isUnderWay();
    if (stuck_ || drive) { // still under way: the next start tries again
        (void)logbook_.update(step_);
        return error;
    }
    if (const auto noted = note(StepState::Failed); !noted)
        return noted;
    return error;
}

Result<Held> StepWork::setAside(const At& source, const EntryStat& expected)
{
    step_.sourceDrive = driveIdentity(source.fd());
    if (auto noted = note(StepState::SettingAside); !noted)
        return noted.error();
    Held held;
    if (expected.kind == EntryKind::File) {
        // Kept until it is gone or back: who opens it for writing meanwhile waits.
        held.lease = UniqueFd(
            ::openat(source.fd(), source.name.c_str(), O_RDONLY | O_NOFOLLOW | O_NONBLOCK | O_NOCTTY | O_CLOEXEC));
        EntryStat now;
        if (held.lease && statEntry(held.lease.get(), "", now, StatSync::Fresh) == 0) {
            if (!now.sameObject(expected))
                return replaced();
            if (step_.action != Action::Trash) {
                if (auto idle = Busy().check(
                        held.lease.get(), now, [&] { return step_.path; }, Lease::Keep);
                    !idle)
                    return idle.error();
                (void)statEntry(held.lease.get(), "", now, StatSync::Fresh);
                const bool known = expected.changed != 0;
                if (known ? !now.untouched(expected) : !now.sameContent(expected))
                    return Error{ErrorKind::Changed, step_.path, 0,
                                 shown() + " was written to or changed meanwhile. It was left as it is."};
            }
        }
    }
    auto folder =
        PrivateFolder::make(source.fd(), step_.privateName(), joinPath(parentPath(source.path), step_.privateName()));
    if (folder) {
        held.fd = folder->fd();
        held.name = source.name;
        held.path = joinPath(folder->path(), source.name);
        held.folder.emplace(std::move(*folder));
    } else if (const int error = folder.error().sysError; (error == ENOSPC || error == EDQUOT) && ::geteuid() != 0) {
        // To delete something on a full drive must be possible; only root works among folders of others.
        held.fd = source.fd();
        held.name = step_.asideName();
        held.path = joinPath(parentPath(source.path), held.name);
    } else {
        return folder.error().kind == ErrorKind::Changed ? folder.error()
                                                         : systemError("remove", step_.path, folder.error().sysError);
    }
    if (const int error = renameNoReplace(source.fd(), source.name.c_str(), held.fd, held.name.c_str()); error != 0) {
        if (held.folder)
            (void)closeFolder(source, *held.folder);
        return error == ENOENT ? replaced() : systemError("remove", step_.path, error);
    }
    EntryStat now;
    if (statEntry(held.fd, held.name.c_str(), now, StatSync::Fresh) != 0 || !now.sameObject(expected)) {
        auto why = replaced();
        why.sentence += giveBack(source, held);
        return why;
    }
    if (const int error = syncFolder(source.fd()); error != 0) {
        auto why = systemError("remove", step_.path, error);
        why.sentence += giveBack(source, held);
        return why;
    }
    return held;
}

Result<std::optional<Held>> StepWork::findHeld(const At& source) const
{
    Held held;
    const auto path = joinPath(parentPath(source.path), step_.privateName());
    auto folder = PrivateFolder::open(source.fd(), step_.privateName(), path);
    EntryStat stat;
    if (folder) {
        const int error = statEntry(folder->fd(), source.name.c_str(), stat, StatSync::Fresh);
        if (error != 0 && error != ENOENT)
            return systemError("look at", joinPath(path, source.name), error);
        held.fd = folder->fd();
        held.name = error == 0 ? source.name : std::string();
        held.path = joinPath(path, source.name);
        held.folder.emplace(std::move(*folder));
        return std::optional<Held>(std::move(held));
    }
    if (folder.error().kind != ErrorKind::NotFound && folder.error().kind != ErrorKind::Changed)
        return folder.error();
    // Without a private folder, and of versions before there were any.
    const auto aside = source.beside(step_.asideName());
    const int error = aside.stat(stat);
    if (error == ENOENT)
        return std::optional<Held>();
    if (error != 0)
        return systemError("look at", aside.path, error);
    held.fd = source.fd();
    held.name = aside.name;
    held.path = aside.path;
    return std::optional<Held>(std::move(held));
}

std::string StepWork::rescue(int from, const std::string& name, const At& place)
{
    for (int attempt = 0; attempt < 100; ++attempt) {
        auto to = place.name;
        if (attempt > 0) {
            const auto suffix = attempt == 1 ? std::string(" (kept)") : " (kept " + std::to_string(attempt) + ")";
            to.resize(std::min<std::size_t>(to.size(), NAME_MAX - suffix.size()));
            to += suffix;
        }
        const int error = renameNoReplace(from, name.c_str(), place.fd(), to.c_str());
        if (error == 0)
            return joinPath(parentPath(place.path), to);
        if (error != EEXIST && error != ENOTEMPTY)
            return {};
    }
    return {};
}

std::string StepWork::giveBack(const At& source, const Held& held)
{
    if (held.name.empty())
        return {};
    const auto at = rescue(held.fd, held.name, source);
    if (at.empty()) {
        stuck_ = true;
        return " It could not be given back yet and is kept at " + displayText(held.path) +
               "; the next start of Kurvo tries again.";
    }
    if (const int error = held.folder ? closeFolder(source, *held.folder) : syncFolder(source.fd()); error != 0)
        return stuck_ = true,
               " The drive reports an error: " + systemErrorText(error) + ". The next start sees what came of it.";
    return at == source.path ? std::string()
                             : " Something else has taken its name, so it is now at " + displayText(at) + ".";
}

Result<Done> StepWork::failedWith(const At& source, const Held& held, Error why)
{
    why.sentence += giveBack(source, held);
    return failed(why);
}

int StepWork::closeFolder(const At& source, const PrivateFolder& folder)
{
    const int error = folder.remove(source.fd());
    if (error == 0 || error == ENOENT)
        return syncFolder(source.fd());
    if (error != ENOTEMPTY && error != EEXIST)
        return error;
    FolderReader reader;
    const UniqueFd again(::openat(folder.fd(), ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    std::vector<std::string> names;
    reader.start(again.get());
    while (const char* name = reader.next())
        names.emplace_back(name);
    for (const auto& name : names) {
        const auto at = rescue(folder.fd(), name, source.beside(name));
        step_.note += (step_.note.empty() ? "" : " ") +
                      (at.empty() ? "Something was put into " + displayText(folder.path()) + " and is there still."
                                  : "Something was put beside it meanwhile and is at " + displayText(at) + " now.");
    }
    (void)folder.remove(source.fd());
    return syncFolder(source.fd());
}

bool StepWork::isOnDisk(int error)
{
    if (error == 0)
        return true;
    stuck_ = true;
    step_.note += (step_.note.empty() ? "" : " ") + std::string("The drive reports an error: ") +
                  systemErrorText(error) + ". The next start sees what came of it.";
    return false;
}

Error StepWork::unsure()
{
    (void)logbook_.update(step_);
    return {ErrorKind::System, step_.path, EIO, shown() + ": " + step_.note};
}

StepWork::Removal StepWork::removeHeld(const At& source, const Held& held, const Manifest& manifest)
{
    const auto removed = manifest.remove(held.fd, held.name, step_.path);
    if (!removed.surprise) {
        return isOnDisk(held.folder ? closeFolder(source, *held.folder) : syncFolder(source.fd())) ? Removal::All
                                                                                                   : Removal::Unsure;
    }
    manifest.restoreModes(held.fd, held.name);
    step_.note = removed.surprise->sentence;
    if (removed.entries > 0)
        step_.note += " " + formatItems(removed.entries, "entry", "entries") + " had been removed.";
    step_.note += " What is left is at its old path.";
    step_.note += giveBack(source, held);
    return stuck_ ? Removal::Unsure : Removal::Part;
}

Result<Done> StepWork::removeCopy(const At& target)
{
    auto folder =
        PrivateFolder::open(target.fd(), step_.privateName(), joinPath(parentPath(target.path), step_.privateName()));
    if (!folder)
        return folder.error().kind == ErrorKind::NotFound || folder.error().kind == ErrorKind::Changed
                   ? Result<Done>(Done{})
                   : folder.error();
    EntryStat made;
    if (step_.copyInode != 0 && statEntry(folder->fd(), target.name.c_str(), made, StatSync::Fresh) == 0 &&
        made.inode != step_.copyInode && !filesystemLimits(target.path).inodesChange)
        return Error{ErrorKind::Changed, folder->path(), 0,
                     "What is in " + displayText(folder->path()) +
                         " is not the copy that was made. It was left alone."};
    const auto manifest = Manifest::read(folder->fd(), target.name, folder->path(), Manifest::For::Looking);
    if (manifest) {
        const auto removed = manifest->remove(folder->fd(), target.name, folder->path());
        if (removed.surprise)
            return *removed.surprise;
    } else if (EntryStat stat; statEntry(folder->fd(), target.name.c_str(), stat, StatSync::Fresh) != ENOENT) {
        return manifest.error();
    }
    if (const int error = closeFolder(target, *folder); error != 0)
        return systemError("remove", folder->path(), error);
    return Done{};
}

} // namespace kurvo
