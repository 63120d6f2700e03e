// SPDX-License-Identifier: GPL-3.0-or-later
// A gate that work passes now and then: while it is shut the work waits there. Any thread may open and shut it.
#pragma once

#include <condition_variable>
#include <stop_token>

#include "core/base/locks.h"

namespace kurvo {

class PauseGate {
public:
    void setPaused(bool paused)
    {
        {
            const Lock lock(mutex_);
            paused_ = paused;
        }
        opened_.notify_all();
    }
    bool isPaused() const
    {
        const Lock lock(mutex_);
        return paused_;
    }
    /// Returns once the gate is open, or a stop is asked for.
    void pass(const std::stop_token& stop)
    {
        Lock lock(mutex_);
        opened_.wait(lock.forWaiting(), stop, [this]() KURVO_REQUIRES(mutex_) { return !paused_; });
    }

private:
    mutable Mutex mutex_;
    std::condition_variable_any opened_;
    bool paused_ KURVO_GUARDED_BY(mutex_) = false;
};

} // namespace kurvo
