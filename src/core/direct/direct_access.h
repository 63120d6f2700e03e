// SPDX-License-Identifier: GPL-3.0-or-later
// When a drive's own tables may be read in place of asking the kernel for each entry, and from what moment on.
#pragma once

#include <chrono>
#include <map>
#include <memory>
#include <set>
#include <string>

#include "core/direct/ext4_drive.h"

namespace kurvo {

/// Devices of mounted drives, opened for reading before the rights to do so are given up. They are never written.
class OpenDevices {
public:
    /// Those of every ext4 filesystem that is mounted, as far as they can be opened: nothing the user says is needed.
    static OpenDevices open();
    /// A descriptor of the device for one more reader; none where it is not open.
    UniqueFd device(std::uint64_t device) const;
    bool empty() const { return devices_.empty(); }

private:
    std::map<std::uint64_t, UniqueFd> devices_; ///< by major << 32 | minor
};

/// Opens the block device with these numbers for reading, whatever it is called.
Result<UniqueFd> openBlockDevice(std::uint64_t device);

/// How a scan may read a place directly.
struct DirectAccess {
    std::shared_ptr<const Ext4Drive> drive;
    Moment since; ///< what was written before lies in the tables; what changed then or later is for the kernel
    std::uint64_t device = 0;
    std::set<std::uint64_t> askKernel; ///< inodes of folders in which something else is mounted
    bool wholeDrive = false;           ///< the root of the filesystem
    bool rotational = false;           ///< a disk that has to seek
};

/// For the folder at `path`, open as `folder`. Unsupported with the reason as a sentence where the tables are not to be
/// read: not the root of a mount, no ext4, not root's to open, features that are not known. Has the filesystem write
/// out what it holds back (syncfs(2)), and waits for that no longer than `patience`. `devices`: where rights are given
/// up already; null: the device is opened here, which is for root only.
Result<DirectAccess> accessDirectly(int folder, const std::string& path, const EntryStat& root,
                                    const OpenDevices* devices, std::chrono::milliseconds patience);

/// Whether the place is the root of a mounted drive whose tables can be read given the rights. Asks only the list of
/// mounts.
bool mayReadTables(const std::string& path);

/// The tables of a disk that has to seek, of which the place is the root: for reading them ahead of a walk. Null where
/// there are none to be had.
std::shared_ptr<const Ext4Drive> seekingDrive(const std::string& path, const EntryStat& root,
                                              const OpenDevices* devices);

/// The tables alone, with what else mounts say of a device, for who only counts: see drive_account.h.
Result<std::shared_ptr<const Ext4Drive>> openTables(std::uint64_t device, const OpenDevices* devices);

} // namespace kurvo
