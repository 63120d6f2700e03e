// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/scan/disk_turns.h"

#include <sys/stat.h>
#include <sys/sysmacros.h>

#include <filesystem>
#include <fstream>

namespace kurvo {

std::string seekingDiskOf(const std::string& path, const std::string& sysfs)
{
    namespace fs = std::filesystem;
    struct stat s { };
    if (::stat(path.c_str(), &s) != 0)
        return {};
    std::error_code error;
    auto device = fs::canonical(
        sysfs + "/dev/block/" + std::to_string(::major(s.st_dev)) + ":" + std::to_string(::minor(s.st_dev)), error);
    constexpr int deepest = 8; // what is mapped on what is mapped ...
    for (int level = 0; level < deepest && !error; ++level) {
        if (fs::exists(device / "partition", error))
            device = device.parent_path();
        fs::path only;
        int below = 0;
        for (const auto& slave : fs::directory_iterator(device / "slaves", error)) {
            only = slave.path();
            ++below;
        }
        if (below != 1) { // none, or several disks that share the work
            int seeks = 0;
            std::ifstream(device / "queue/rotational") >> seeks;
            return below == 0 && seeks == 1 ? device.filename().string() : std::string();
        }
        device = fs::canonical(only, error);
    }
    return {};
}

DiskTurns::Turn DiskTurns::take(const std::string& disk, std::stop_token stop, const std::function<void()>& onWait)
{
    Turn turn;
    if (disk.empty())
        return turn;
    std::unique_lock lock(shared_->mutex);
    if (shared_->busy.contains(disk) && onWait)
        onWait();
    if (!shared_->changed.wait(lock, stop, [&] { return !shared_->busy.contains(disk); }))
        return turn; // who is stopped needs none
    shared_->busy.insert(disk);
    turn.held_ = std::shared_ptr<void>(nullptr, [shared = shared_, disk](void*) {
        const std::lock_guard free(shared->mutex);
        shared->busy.erase(disk);
        shared->changed.notify_all();
    });
    return turn;
}

} // namespace kurvo
