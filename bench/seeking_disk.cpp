// SPDX-License-Identifier: GPL-3.0-or-later
// seeking_disk IMAGE FOLDER: shows the file IMAGE as FOLDER/disk, and answers as a spinning disk would: one request at
// a time, next the one that lies nearest ahead of the head, after a seek, half a turn and the time its bytes take. What
// a drive on such a disk costs is measured with it where there is none (bench/seeking_bench.sh). Ends when FOLDER is
// unmounted, and prints what it was asked. As root, for loop devices.
#define FUSE_USE_VERSION 35
#include <fuse.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cmath>
#include <condition_variable>
#include <cstdio>
#include <cstring>
#include <mutex>
#include <set>
#include <string>
#include <thread>

namespace {

using Seconds = std::chrono::duration<double>;

/// 7,200 turns a minute, 9 ms to seek on average, 150 MB/s: a common disk of desktops.
struct Disk {
    static constexpr double shortestSeek = 0.002, longestSeek = 0.016, halfTurn = 60.0 / 7200 / 2,
                            bytesPerSecond = 150e6;
    static constexpr off_t passedOver = 1 << 20; ///< read over rather than sought over, by the disk's own cache

    int image = -1;
    off_t size = 0;
    std::mutex mutex;
    std::condition_variable changed;
    std::multiset<off_t> waiting; ///< in ascending order
    bool busy = false;
    off_t head = 0;
    std::uint64_t requests = 0, seeks = 0, bytes = 0;
    double time = 0;

    /// Waits for the turn of a request, and for as long as it takes.
    void serve(off_t at, std::size_t length)
    {
        std::unique_lock lock(mutex);
        const auto place = waiting.insert(at);
        const auto isNext = [&] {
            const auto ahead = waiting.lower_bound(head);
            return !busy && (ahead == waiting.end() ? *waiting.begin() : *ahead) == at;
        };
        changed.wait(lock, isNext);
        waiting.erase(place);
        busy = true;
        const auto distance = std::abs(at - head);
        double takes = static_cast<double>(length) / bytesPerSecond;
        if (at >= head && distance <= passedOver) {
            takes += static_cast<double>(distance) / bytesPerSecond;
        } else {
            const auto share = std::sqrt(static_cast<double>(distance) / static_cast<double>(size));
            takes += shortestSeek + (longestSeek - shortestSeek) * share + halfTurn;
            ++seeks;
        }
        ++requests;
        bytes += length;
        time += takes;
        head = at + static_cast<off_t>(length);
        lock.unlock();
        std::this_thread::sleep_for(Seconds(takes));
        lock.lock();
        busy = false;
        changed.notify_all();
    }
};

Disk disk;

int attributes(const char* path, struct stat* found, fuse_file_info*)
{
    *found = {};
    const bool isDisk = std::strcmp(path, "/disk") == 0;
    if (!isDisk && std::strcmp(path, "/") != 0)
        return -ENOENT;
    found->st_mode = isDisk ? S_IFREG | 0600 : S_IFDIR | 0700;
    found->st_nlink = isDisk ? 1 : 2;
    found->st_size = isDisk ? disk.size : 0;
    return 0;
}

int opened(const char* path, fuse_file_info* file)
{
    file->direct_io = 1; // no cache that a disk would not have
    return std::strcmp(path, "/disk") == 0 ? 0 : -ENOENT;
}

int reading(const char*, char* into, std::size_t length, off_t at, fuse_file_info*)
{
    disk.serve(at, length);
    const auto got = ::pread(disk.image, into, length, at);
    return got < 0 ? -errno : static_cast<int>(got);
}

int writing(const char*, const char* from, std::size_t length, off_t at, fuse_file_info*)
{
    disk.serve(at, length);
    const auto got = ::pwrite(disk.image, from, length, at);
    return got < 0 ? -errno : static_cast<int>(got);
}

int synced(const char*, int, fuse_file_info*)
{
    return 0;
}

} // namespace

int main(int argc, char** argv)
{
    if (argc != 3) {
        std::fprintf(stderr, "usage: seeking_disk IMAGE FOLDER\n");
        return 2;
    }
    disk.image = ::open(argv[1], O_RDWR | O_CLOEXEC);
    struct stat file { };
    if (disk.image < 0 || ::fstat(disk.image, &file) != 0) {
        std::perror(argv[1]);
        return 1;
    }
    disk.size = file.st_size;
    fuse_operations operations{};
    operations.getattr = attributes;
    operations.open = opened;
    operations.read = reading;
    operations.write = writing;
    operations.fsync = synced;
    std::string program = argv[0], foreground = "-f", folder = argv[2];
    char* arguments[] = {program.data(), foreground.data(), folder.data(), nullptr};
    const int status = fuse_main(3, arguments, &operations, nullptr);
    std::printf("%llu requests, %llu seeks, %.1f MB, %.1f s\n", static_cast<unsigned long long>(disk.requests),
                static_cast<unsigned long long>(disk.seeks), static_cast<double>(disk.bytes) / 1e6, disk.time);
    return status;
}
