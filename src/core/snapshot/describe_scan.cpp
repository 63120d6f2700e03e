// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/text.h"
#include "core/platform/folders.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

SnapshotInfo describeScan(const ScanResult& result)
{
    SnapshotInfo info;
    info.place = result.tree->path(rootNode);
    info.placeName = std::string(fileName(info.place));
    info.host = hostName();
    info.taken = result.started;
    info.seconds = result.seconds;
    info.partial = result.stopped;
    info.unreadable = result.unreadable;
    info.owners = ownersOf(*result.tree);
    if (const auto capacity = readCapacity(info.place))
        info.capacity = *capacity;
    if (const auto mount = mountPointOf(info.place)) {
        info.mountPoint = *mount;
        if (const auto drive = readDrive(*mount)) {
            info.filesystem = drive->filesystem;
            if (info.place == info.mountPoint)
                info.placeName = drive->name;
        }
    }
    return info;
}

} // namespace kurvo
