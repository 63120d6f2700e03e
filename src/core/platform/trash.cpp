// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/trash.h"

#include <fcntl.h>
#include <stdio.h>
#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <ctime>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/privilege.h"
#include "core/platform/drives.h"
#include "core/platform/remove_tree.h"
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

/// Creates the information file under a free name, exclusively, which also claims that name in `files/`.
Result<std::string> claimName(const TrashFolder& folder, const std::string& original, std::int64_t now)
{
    std::string base(fileName(original));
    const std::string text =
        "[Trash Info]\nPath=" + percentEncoded(infoPath(folder, original)) + "\nDeletionDate=" + infoDate(now) + "\n";
    base.resize(std::min<std::size_t>(base.size(), 255 - infoSuffix.size() - 12));
    for (unsigned attempt = 1; attempt < 1000000; ++attempt) {
        const auto name = attempt == 1 ? base : base + "." + std::to_string(attempt);
        struct stat s;
        if (::lstat((folder.path + "/files/" + name).c_str(), &s) == 0)
            continue;
        const auto info = folder.path + "/info/" + name + std::string(infoSuffix);
        UniqueFd fd(::open(info.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600));
        if (!fd && errno == EEXIST)
            continue;
        if (!fd)
            return systemError("write to the trash", folder.path, errno);
        const auto written = ::write(fd.get(), text.data(), text.size());
        if (written != static_cast<ssize_t>(text.size()) || ::fsync(fd.get()) != 0) {
            const int error = written >= 0 && errno == 0 ? ENOSPC : errno;
            ::unlink(info.c_str());
            return systemError("write to the trash", folder.path, error);
        }
        // Where it came from must be known before it moves, even across a power cut.
        UniqueFd infoFolder(::open((folder.path + "/info").c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        if (infoFolder)
            ::fsync(infoFolder.get());
        return name;
    }
    return systemError("write to the trash", folder.path, EEXIST);
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

Result<TrashedItem> moveToTrash(const std::string& path, const EntryStat& expected, const UserFolders& user,
                                const std::function<Result<Done>(const TrashedItem&)>& onClaimed)
{
    auto folder = trashFolderFor(path, user);
    if (!folder)
        return folder.error();
    if (isAtOrBelow(path, folder->path) || isAtOrBelow(folder->path, path))
        return unsupported(path, "it is, holds, or already lies in the trash folder itself.");
    auto parent = openParent(path);
    if (!parent)
        return parent.error();
    auto files = openFolder(folder->path + "/files");
    if (!files)
        return files.error();

    const auto now = currentTime();
    auto name = [&] {
        const FilesAs as(user.uid);
        return claimName(*folder, path, now);
    }();
    if (!name)
        return name.error();
    const auto info = folder->path + "/info/" + *name + std::string(infoSuffix);
    if (onClaimed)
        if (auto noted = onClaimed({*folder, *name, path, now}); !noted) {
            ::unlink(info.c_str());
            return noted.error();
        }
    if (renameat2(parent->folder.get(), parent->name.c_str(), files->get(), name->c_str(), RENAME_NOREPLACE) != 0) {
        const int error = errno;
        ::unlink(info.c_str());
        if (error == EXDEV)
            return unsupported(path, "it lies on another filesystem than its trash folder.");
        if (error == EBUSY)
            return unsupported(path, "another drive is mounted there or a program uses it as its mount.");
        return systemError("put into the trash:", path, error);
    }
    EntryStat moved;
    if (statEntry(files->get(), name->c_str(), moved, StatSync::Fresh) != 0 || !moved.sameObject(expected)) {
        const bool back =
            renameat2(files->get(), name->c_str(), parent->folder.get(), parent->name.c_str(), RENAME_NOREPLACE) == 0;
        if (back)
            ::unlink(info.c_str());
        return Error{ErrorKind::Changed, path, 0,
                     displayText(path) + " was replaced by something else at the last moment. It " +
                         (back ? "was left where it is." : "is in the trash, from where it can be restored.")};
    }
    return TrashedItem{*folder, *name, path, now};
}

Result<Done> restoreFromTrash(const TrashedItem& item)
{
    auto files = openFolder(item.folder.path + "/files");
    if (!files)
        return files.error();
    auto parent = openParent(item.originalPath);
    if (!parent) {
        auto error = parent.error();
        error.sentence =
            "Could not restore " + displayText(item.originalPath) + ": " + error.sentence + " It stays in the trash.";
        return error;
    }
    if (renameat2(files->get(), item.name.c_str(), parent->folder.get(), parent->name.c_str(), RENAME_NOREPLACE) != 0) {
        auto error = systemError("restore", item.originalPath, errno);
        if (error.sysError == EEXIST)
            error.sentence = "Could not restore " + displayText(item.originalPath) +
                             ": something newer stands at that path. It stays in the trash.";
        if (error.sysError == ENOENT)
            error.sentence = displayText(item.originalPath) + " is no longer in the trash.";
        return error;
    }
    ::unlink((item.folder.path + "/info/" + item.name + std::string(infoSuffix)).c_str());
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
    auto files = openFolder(folder.path + "/files");
    if (!files)
        return files.error();
    std::vector<TrashedItem> items;
    FolderReader reader;
    reader.start(files->get());
    while (const char* name = reader.next()) {
        TrashedItem item{folder, name, "", 0};
        const auto info = folder.path + "/info/" + item.name + std::string(infoSuffix);
        UniqueFd fd(::open(info.c_str(), O_RDONLY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK));
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
        items.push_back(std::move(item));
    }
    std::sort(items.begin(), items.end(), [](const TrashedItem& a, const TrashedItem& b) {
        return a.deleted != b.deleted ? a.deleted < b.deleted : a.name < b.name;
    });
    return items;
}

Result<Done> removeFromTrash(const TrashedItem& item, std::stop_token stop,
                             const std::function<void(std::uint64_t)>& onRemoved)
{
    auto files = openFolder(item.folder.path + "/files");
    if (!files)
        return files.error();
    const int error = removeTree(files->get(), item.name.c_str(), std::move(stop), onRemoved);
    if (error == ECANCELED)
        return Error{ErrorKind::Cancelled, item.originalPath, error,
                     "Stopped. What is left of " + displayText(item.originalPath) + " is still in the trash."};
    if (error != 0 && error != ENOENT)
        return systemError("remove from the trash:", item.originalPath.empty() ? item.name : item.originalPath, error);
    ::unlink((item.folder.path + "/info/" + item.name + std::string(infoSuffix)).c_str());
    return Done{};
}

} // namespace kurvo
