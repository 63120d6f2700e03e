// SPDX-License-Identifier: GPL-3.0-or-later
// A gate that work passes now and then: while it is shut the work waits there. Any thread may open and shut it.
#pragma once

#include <condition_variable>
#include <mutex>
#include <stop_token>

namespace kurvo {

class PauseGate {
public:
    void setPaused(bool paused)
    {
        {
            const std::lock_guard lock(mutex_);
            paused_ = paused;
        }
        opened_.notify_all();
    }
    bool isPaused() const
    {
        const std::lock_guard lock(mutex_);
        return paused_;
    }
    /// Returns once the gate is open, or a stop is asked for.
    void pass(const std::stop_token& stop)
    {
        std::unique_lock lock(mutex_);
        opened_.wait(lock, stop, [this] { return !paused_; });
    }

private:
    mutable std::mutex mutex_;
    std::condition_variable_any opened_;
    bool paused_ = false;
};

} // namespace kurvo
