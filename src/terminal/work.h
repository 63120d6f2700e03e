// SPDX-License-Identifier: GPL-3.0-or-later
// What takes long, off the thread that answers keys. What a piece of work found comes back to that thread, which a
// descriptor wakes.
#pragma once

#include <functional>
#include <list>
#include <memory>
#include <stop_token>
#include <string>
#include <thread>
#include <vector>

#include "core/base/locks.h"
#include "core/platform/unique_fd.h"

namespace kurvo::terminal {

/// Whether a piece of work is under way. What begin() returns is held by it, so that it is over also when it threw.
class Busy {
public:
    std::shared_ptr<void> begin()
    {
        auto held = std::make_shared<char>();
        held_ = held;
        return held;
    }
    /// What it found has come.
    void end() { held_.reset(); }
    explicit operator bool() const { return !held_.expired(); }

private:
    std::weak_ptr<void> held_;
};

class Work {
public:
    Work();
    ~Work();
    Work(const Work&) = delete;
    Work& operator=(const Work&) = delete;

    enum class AtEnd {
        Leave, ///< may be left behind: it only looks
        Finish ///< is waited for, however long: it changes something
    };
    /// Runs `work` on a thread of its own; then `done` with what it returned, from settle(). One that throws, or for
    /// which no thread is to be had, ends in `failed` with a sentence.
    template <typename Do, typename Done>
    std::stop_source run(Do work, Done done, AtEnd atEnd = AtEnd::Leave)
    {
        return start(
            [work = std::move(work), done = std::move(done)](const std::stop_token& stop) mutable {
                auto found = std::make_shared<decltype(work(stop))>(work(stop));
                return std::function<void()>([found, done = std::move(done)]() mutable { done(std::move(*found)); });
            },
            atEnd);
    }
    /// Readable when settle() has something to do.
    int descriptor() const { return wake_.get(); }
    /// Hands over what has come; on the thread that made this. True when there was anything.
    bool settle();
    bool isBusy() const { return !jobs_.empty(); }
    /// Asks all to stop, and waits: without an end for what has to finish, else for `milliseconds`. False where
    /// something had to be left behind, so that the process must end without waiting for its threads.
    bool end(int milliseconds);

    std::function<void(const std::string&)> failed;

private:
    using Outcome = std::function<void()>;
    struct Job {
        std::stop_source stop;
        std::thread thread;
        AtEnd atEnd = AtEnd::Leave;
    };
    struct Shared {
        Mutex mutex;
        std::vector<std::pair<Job*, Outcome>> come KURVO_GUARDED_BY(mutex);
        std::vector<std::pair<Job*, std::string>> thrown KURVO_GUARDED_BY(mutex);
        int wake = -1;
        void tell() const;
    };
    std::stop_source start(std::function<Outcome(const std::stop_token&)> work, AtEnd atEnd);
    void forget(Job* job);

    UniqueFd wake_;
    std::shared_ptr<Shared> shared_ = std::make_shared<Shared>(); ///< outlives this for what is left behind
    std::list<std::unique_ptr<Job>> jobs_;
};

} // namespace kurvo::terminal
