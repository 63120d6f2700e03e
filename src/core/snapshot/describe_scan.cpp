// SPDX-License-Identifier: GPL-3.0-or-later
#include <set>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/folders.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

SnapshotInfo describePlace(const std::string& path)
{
    SnapshotInfo info;
    info.place = path;
    info.placeName = path == "/" ? path : std::string(fileName(path));
    info.host = hostName();
    info.taken = currentTime();
    for (const auto uid : std::set<std::uint32_t>{0, userFolders().uid})
        info.owners.emplace_back(uid, userName(uid));
    constexpr std::chrono::seconds limit{5};
    struct Answer {
        Capacity capacity;
        std::string mountPoint, mountRoot = "/";
        std::string uuid;
        std::optional<Drive> drive;
    };
    const auto answer = askWithin(limit, [path] {
        Answer found;
        if (const auto capacity = readCapacity(path))
            found.capacity = *capacity;
        if (const auto mount = mountPointOf(path)) {
            found.mountPoint = *mount;
            found.uuid = filesystemUuid(*mount);
            if (const auto facts = readFilesystemFacts(*mount); facts && !facts->shownPart.empty())
                found.mountRoot = facts->shownPart;
            if (auto drive = readDrive(*mount))
                found.drive = std::move(*drive);
        }
        return found;
    });
    if (!answer)
        return info; // a drive that does not answer: what is known without it
    info.capacity = answer->capacity;
    info.mountPoint = answer->mountPoint;
    info.mountRoot = answer->mountRoot;
    info.filesystemUuid = answer->uuid;
    if (answer->drive) {
        info.filesystem = answer->drive->filesystem;
        if (info.place == info.mountPoint)
            info.placeName = answer->drive->name;
    }
    return info;
}

SnapshotInfo describeScan(const ScanResult& result)
{
    auto info = describePlace(result.tree->path(rootNode));
    info.taken = result.started;
    info.seconds = result.seconds;
    info.partial = result.stopped;
    info.unreadable = result.unreadable;
    info.notRead = result.unreadableList;
    info.owners = ownersOf(*result.tree);
    return info;
}

} // namespace kurvo
