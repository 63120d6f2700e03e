// SPDX-License-Identifier: GPL-3.0-or-later
// Scans run side by side, but for those of one disk that has to seek: two of its partitions at once would cost many
// times what they cost one after the other.
#pragma once

#include <condition_variable>
#include <functional>
#include <memory>
#include <mutex>
#include <set>
#include <stop_token>
#include <string>

namespace kurvo {

/// The disk with a moving head that holds `path`, by the kernel's name of it ("sda"); empty for any other drive, and
/// where that is not known. A drive made of others (mapped, encrypted) is that which it lies on, where that is one.
/// `sysfs` is for tests.
std::string seekingDiskOf(const std::string& path, const std::string& sysfs = "/sys");

/// Who scans which. Any thread.
class DiskTurns {
public:
    class Turn {
    public:
        Turn() = default;
        Turn(Turn&&) noexcept = default;
        Turn& operator=(Turn&&) noexcept = default;

    private:
        friend class DiskTurns;
        std::shared_ptr<void> held_;
    };
    /// Waits until nobody else has this disk, or `stop`; calls `onWait` once before it waits. At once where `disk` is
    /// empty.
    Turn take(const std::string& disk, std::stop_token stop, const std::function<void()>& onWait = {});

private:
    struct Shared {
        std::mutex mutex;
        std::condition_variable_any changed;
        std::set<std::string> busy;
    };
    std::shared_ptr<Shared> shared_ = std::make_shared<Shared>();
};

} // namespace kurvo
