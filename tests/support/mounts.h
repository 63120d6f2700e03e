// SPDX-License-Identifier: GPL-3.0-or-later
// Real filesystems for tests: on loop devices, and one that stops answering. Only root can make them.
#pragma once

#include <atomic>
#include <string>
#include <thread>

namespace kurvo::test {

/// True when this process may make loop mounts with this mkfs program ("mkfs.ext4").
bool canLoopMount(const std::string& mkfs);

/// A new filesystem of `megabytes` in a file beside `path`, mounted on `path` while this lives.
class LoopMount {
public:
    LoopMount(std::string path, const std::string& mkfs, unsigned megabytes);
    ~LoopMount();
    LoopMount(const LoopMount&) = delete;
    LoopMount& operator=(const LoopMount&) = delete;
    const std::string& path() const { return path_; }
    const std::string& image() const { return image_; }

private:
    std::string path_;
    std::string image_;
};

bool canStall();

/// A filesystem mounted on `path` with three files of 4096 bytes, "alpha", "beta" and "zeta", and a folder "hung" about
/// which every question stays without an answer, as on a network drive whose server is gone.
class StallingMount {
public:
    explicit StallingMount(std::string path);
    ~StallingMount();
    StallingMount(const StallingMount&) = delete;
    StallingMount& operator=(const StallingMount&) = delete;
    /// From now on nothing at all is answered.
    void stallWhole() { silent_ = true; }
    /// From now on its names cannot be read: an error of the disk.
    void failListing() { listingFails_ = true; }
    const std::string& path() const { return path_; }

private:
    void serve();
    std::string path_;
    int device_ = -1;
    std::atomic<bool> silent_{false}, listingFails_{false};
    std::thread server_;
};

} // namespace kurvo::test
