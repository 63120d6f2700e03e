// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/trash.h"

#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <ctime>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/drives.h"
#include "core/platform/privilege.h"
#include "core/platform/rename.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

constexpr std::string_view infoSuffix = ".trashinfo";

Error unsupported(const std::string& path, const std::string& reason)
{
    return {ErrorKind::Unsupported, path, 0,
            "There is no trash for " + displayText(path) + ": " + reason + " Nothing was changed."};
}

/// True when `path` is a folder of this user and not a link.
bool isOwnFolder(const std::string& path, std::uint32_t uid)
{
    struct stat s;
    return ::lstat(path.c_str(), &s) == 0 && S_ISDIR(s.st_mode) && s.st_uid == uid;
}

int makeOwnFolder(const std::string& path, std::uint32_t uid)
{
    if (::mkdir(path.c_str(), 0700) != 0 && errno != EEXIST)
        return errno;
    return isOwnFolder(path, uid) ? 0 : EPERM;
}

int makeTrashFolder(const std::string& path, std::uint32_t uid)
{
    for (const auto& part : {path, path + "/files", path + "/info"})
        if (const int error = makeOwnFolder(part, uid); error != 0)
            return error;
    return 0;
}

/// A shared `.Trash` counts only when it is a real folder with the sticky bit (specification, "Trash directories").
bool isSharedTrash(const std::string& path)
{
    struct stat s;
    return ::lstat(path.c_str(), &s) == 0 && S_ISDIR(s.st_mode) && (s.st_mode & S_ISVTX) != 0;
}

bool sameFilesystem(const std::string& a, const EntryStat& b)
{
    EntryStat s;
    // Both the mount and the device: rename(2) crosses neither bind mounts nor subvolumes.
    return statEntry(AT_FDCWD, a.c_str(), s, StatSync::Fresh) == 0 && s.mountId == b.mountId && s.device == b.device;
}

/// The deepest folder of `path` that exists already.
std::string existingPart(std::string path)
{
    struct stat s;
    while (path != "/" && ::lstat(path.c_str(), &s) != 0)
        path = parentPath(path);
    return path;
}

std::string homeTrash(const UserFolders& user)
{
    return joinPath(user.data, "Trash");
}

std::string infoDate(std::int64_t time)
{
    auto text = formatTime(time);
    text[10] = 'T';
    return text;
}

std::int64_t parseDate(const std::string& text)
{
    std::tm parts{};
    if (!strptime(text.c_str(), "%Y-%m-%dT%H:%M:%S", &parts))
        return 0;
    parts.tm_isdst = -1;
    return std::mktime(&parts);
}

/// The path as the information file holds it: relative to the top of the mount there, absolute in the home trash.
std::string infoPath(const TrashFolder& folder, const std::string& path)
{
    if (folder.topFolder.empty())
        return path;
    return path.substr(folder.topFolder == "/" ? 1 : folder.topFolder.size() + 1);
}

std::string noteOf(const TrashFolder& folder, const std::string& original, std::int64_t deleted)
{
    return "[Trash Info]\nPath=" + percentEncoded(infoPath(folder, original)) + "\nDeletionDate=" + infoDate(deleted) +
           "\n";
}

std::string noteName(const std::string& name)
{
    return name + std::string(infoSuffix);
}

/// What the note on `name` says; an empty originalPath where there is none that can be read. `notes`: the open folder.
TrashedItem readNote(int notes, const TrashFolder& folder, const std::string& name)
{
    TrashedItem item{folder, name, "", 0};
    const UniqueFd fd(
        notes < 0 ? -1 : ::openat(notes, noteName(name).c_str(), O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK));
    char buffer[16384];
    const auto size = fd ? ::read(fd.get(), buffer, sizeof buffer) : 0;
    const std::string text(buffer, static_cast<std::size_t>(std::max<ssize_t>(size, 0)));
    for (std::size_t begin = 0; begin < text.size();) {
        const auto end = std::min(text.find('\n', begin), text.size());
        const auto line = text.substr(begin, end - begin);
        if (line.starts_with("Path=") && item.originalPath.empty()) {
            item.originalPath = percentDecoded(std::string_view(line).substr(5));
            if (!item.originalPath.starts_with('/'))
                item.originalPath = joinPath(folder.topFolder.empty() ? "/" : folder.topFolder, item.originalPath);
        } else if (line.starts_with("DeletionDate=")) {
            item.deleted = parseDate(line.substr(13));
        }
        begin = end + 1;
    }
    return item;
}

} // namespace

Result<TrashFolder> trashFolderFor(const std::string& path, const UserFolders& user)
{
    const FilesAs as(user.uid); // what is made is the user's, also when a helper with rights makes it
    EntryStat item;
    if (const int error = statEntry(AT_FDCWD, path.c_str(), item, StatSync::Fresh); error != 0)
        return systemError("find", path, error);
    if (!user.data.starts_with('/'))
        return unsupported(path, "the data folder of the user is not known.");
    const auto home = homeTrash(user);
    if (sameFilesystem(existingPart(home), item)) {
        auto made = makeFolders(std::string(parentPath(home)));
        if (!made)
            return made.error();
        if (const int error = makeTrashFolder(home, user.uid); error != 0)
            return unsupported(path, "the home trash " + displayText(home) + " cannot be used (" +
                                         systemErrorText(error) + ").");
        return TrashFolder{home, ""};
    }
    auto top = mountPointOf(std::string(parentPath(path)));
    if (!top)
        return top.error();
    if (!sameFilesystem(*top, item))
        return unsupported(path, "it lies on a subvolume or mount that the trash at " + displayText(*top) +
                                     " cannot take it from.");
    const auto shared = joinPath(*top, ".Trash");
    const auto uid = std::to_string(user.uid);
    if (isSharedTrash(shared) && makeTrashFolder(joinPath(shared, uid), user.uid) == 0)
        return TrashFolder{joinPath(shared, uid), *top};
    const auto own = joinPath(*top, ".Trash-" + uid);
    const int error = makeTrashFolder(own, user.uid);
    if (error == EROFS)
        return unsupported(path, "the drive at " + displayText(*top) + " is mounted read-only.");
    if (error != 0)
        return unsupported(path, "the folder " + displayText(own) + " cannot be made or is not yours (" +
                                     systemErrorText(error) + ").");
    return TrashFolder{own, *top};
}

Result<OpenTrash> OpenTrash::open(const TrashFolder& folder, std::uint32_t uid)
{
    const FilesAs as(uid);
    OpenTrash trash;
    trash.folder_ = folder;
    trash.uid_ = uid;
    const auto top = openFolder(folder.path);
    if (!top)
        return top.error();
    const auto part = [&](const char* name) -> Result<UniqueFd> {
        const auto path = joinPath(folder.path, name);
        UniqueFd fd(::openat(top->get(), name, O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
        EntryStat stat;
        if (!fd || statEntry(fd.get(), "", stat, StatSync::Fresh) != 0)
            return systemError("open", path, errno);
        if (stat.uid != uid)
            return Error{ErrorKind::Unsupported, path, EPERM,
                         displayText(path) + " is not yours. Nothing in it is touched."};
        return fd;
    };
    auto files = part("files");
    if (!files)
        return files.error();
    auto info = part("info");
    if (!info)
        return info.error();
    trash.files_ = std::move(*files);
    trash.info_ = std::move(*info);
    return trash;
}

Result<TrashedItem> OpenTrash::claim(const std::string& path) const
{
    const FilesAs as(uid_);
    const auto now = currentTime();
    const auto text = noteOf(folder_, path, now);
    std::string base(fileName(path));
    base.resize(std::min<std::size_t>(base.size(), 255 - infoSuffix.size() - 12));
    for (unsigned attempt = 1; attempt < 1000000; ++attempt) {
        const auto name = attempt == 1 ? base : base + "." + std::to_string(attempt);
        EntryStat there;
        if (statEntry(files(), name.c_str(), there, StatSync::Fresh) == 0)
            continue;
        const auto note = noteName(name);
        UniqueFd fd(::openat(info_.get(), note.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600));
        if (!fd && errno == EEXIST)
            continue;
        if (!fd)
            return systemError("write to the trash", folder_.path, errno);
        const auto written = ::write(fd.get(), text.data(), text.size());
        int error = written < 0 ? errno : written != static_cast<ssize_t>(text.size()) ? ENOSPC : 0;
        if (error == 0 && ::fsync(fd.get()) != 0)
            error = errno;
        // Where it came from must be known before it moves, even across a power cut.
        if (error == 0)
            error = syncFolder(info_.get());
        if (error != 0) {
            ::unlinkat(info_.get(), note.c_str(), 0);
            return systemError("write to the trash", folder_.path, error);
        }
        return TrashedItem{folder_, name, path, now};
    }
    return systemError("write to the trash", folder_.path, EEXIST);
}

void OpenTrash::removeNote(const TrashedItem& item) const
{
    const FilesAs as(uid_);
    const auto now = readNote(info_.get(), folder_, item.name);
    constexpr std::int64_t hour = 3600; // a note has local time, of which an hour comes twice a year
    const auto apart = now.deleted - item.deleted;
    if (now.originalPath == item.originalPath && (apart == 0 || apart == hour || apart == -hour))
        ::unlinkat(info_.get(), noteName(item.name).c_str(), 0);
}

TrashedItem OpenTrash::noteOn(const std::string& name) const
{
    const FilesAs as(uid_);
    return readNote(info_.get(), folder_, name);
}

int OpenTrash::sync() const
{
    const int error = syncFolder(files());
    return error != 0 ? error : syncFolder(info_.get());
}

Result<TrashedItem> putIntoTrash(int from, const std::string& fromName, const std::string& path,
                                 const EntryStat& expected, const TrashFolder& folder, const UserFolders& user,
                                 const std::function<Result<Done>(const TrashedItem&)>& onClaimed)
{
    const auto trash = OpenTrash::open(folder, user.uid);
    if (!trash)
        return trash.error();
    const auto item = trash->claim(path);
    if (!item)
        return item.error();
    if (onClaimed)
        if (auto noted = onClaimed(*item); !noted) {
            trash->removeNote(*item);
            return noted.error();
        }
    if (const int error = renameNoReplace(from, fromName.c_str(), trash->files(), item->name.c_str()); error != 0) {
        trash->removeNote(*item);
        if (error == EXDEV)
            return unsupported(path, "it lies on another filesystem than its trash folder.");
        if (error == EBUSY)
            return unsupported(path, "another drive is mounted there or a program uses it as its mount.");
        return systemError("put into the trash:", path, error);
    }
    // What comes out of a folder of the user's may be anything: root puts none of that anywhere.
    const bool mayPutBack = ::geteuid() != 0 || user.uid == 0;
    const auto putBack = [&] {
        const bool back =
            mayPutBack && renameNoReplace(trash->files(), item->name.c_str(), from, fromName.c_str()) == 0;
        if (back)
            trash->removeNote(*item);
        return std::string(back ? " It was left where it is." : " It is in the trash, from where it can be restored.");
    };
    EntryStat moved;
    if (statEntry(trash->files(), item->name.c_str(), moved, StatSync::Fresh) != 0 || !moved.sameObject(expected))
        return Error{ErrorKind::Changed, path, 0,
                     displayText(path) + " was replaced by something else at the last moment." + putBack()};
    int error = trash->sync();
    if (error == 0)
        error = syncFolder(from);
    if (error != 0) {
        auto why = systemError("put into the trash:", path, error);
        why.sentence += putBack();
        return why;
    }
    return *item;
}

Result<TrashedItem> moveToTrash(const std::string& path, const EntryStat& expected, const UserFolders& user,
                                const std::function<Result<Done>(const TrashedItem&)>& onClaimed)
{
    const auto folder = trashFolderFor(path, user);
    if (!folder)
        return folder.error();
    if (isAtOrBelow(path, folder->path) || isAtOrBelow(folder->path, path))
        return unsupported(path, "it is, holds, or already lies in the trash folder itself.");
    const auto parent = openParent(path);
    if (!parent)
        return parent.error();
    return putIntoTrash(parent->folder.get(), parent->name, path, expected, *folder, user, onClaimed);
}

namespace {

Error notRestored(const TrashedItem& item, int error)
{
    auto why = systemError("restore", item.originalPath, error);
    if (error == EEXIST)
        why.sentence = "Could not restore " + displayText(item.originalPath) +
                       ": something newer stands at that path. It stays in the trash.";
    if (error == ENOENT)
        why.sentence = displayText(item.originalPath) + " is no longer in the trash.";
    return why;
}

Error notRestored(const TrashedItem& item, Error why)
{
    why.sentence =
        "Could not restore " + displayText(item.originalPath) + ": " + why.sentence + " It stays in the trash.";
    return why;
}

} // namespace

Result<Done> restoreFromTrash(const TrashedItem& item)
{
    const auto trash = OpenTrash::open(item.folder, ::geteuid());
    if (!trash)
        return trash.error();
    const auto parent = openParent(item.originalPath);
    if (!parent)
        return notRestored(item, parent.error());
    if (const int error =
            renameNoReplace(trash->files(), item.name.c_str(), parent->folder.get(), parent->name.c_str());
        error != 0)
        return notRestored(item, error);
    int error = syncFolder(parent->folder.get());
    if (error == 0)
        error = trash->sync();
    if (error != 0)
        return systemError("write", item.originalPath, error);
    trash->removeNote(item);
    return Done{};
}

std::vector<TrashFolder> existingTrashFolders(const std::string& path, const UserFolders& user)
{
    std::vector<TrashFolder> folders;
    EntryStat item;
    if (statEntry(AT_FDCWD, path.c_str(), item, StatSync::Fresh) != 0)
        return folders;
    const auto home = homeTrash(user);
    if (user.data.starts_with('/') && isOwnFolder(home, user.uid) && sameFilesystem(home, item))
        folders.push_back({home, ""});
    const auto top = mountPointOf(path);
    if (!top)
        return folders;
    const auto uid = std::to_string(user.uid);
    const auto shared = joinPath(*top, ".Trash");
    if (isSharedTrash(shared) && isOwnFolder(joinPath(shared, uid), user.uid))
        folders.push_back({joinPath(shared, uid), *top});
    if (isOwnFolder(joinPath(*top, ".Trash-" + uid), user.uid))
        folders.push_back({joinPath(*top, ".Trash-" + uid), *top});
    return folders;
}

Result<std::vector<TrashedItem>> listTrash(const TrashFolder& folder)
{
    const auto files = openFolder(folder.path + "/files");
    if (!files)
        return files.error();
    const auto notes = openFolder(folder.path + "/info");
    std::vector<TrashedItem> items;
    FolderReader reader;
    reader.start(files->get());
    while (const char* name = reader.next()) {
        items.push_back(readNote(notes ? notes->get() : -1, folder, name));
    }
    std::sort(items.begin(), items.end(), [](const TrashedItem& a, const TrashedItem& b) {
        return a.deleted != b.deleted ? a.deleted < b.deleted : a.name < b.name;
    });
    return items;
}

} // namespace kurvo
