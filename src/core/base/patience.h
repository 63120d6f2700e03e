// SPDX-License-Identifier: GPL-3.0-or-later
// Asking something that may never answer, such as a network drive whose server is gone. A system call that hangs
// cannot be ended from outside; it can only be left behind.
#pragma once

#include <chrono>
#include <condition_variable>
#include <memory>
#include <mutex>
#include <optional>
#include <thread>
#include <utility>

namespace kurvo {

/// Runs `ask` on a thread of its own and waits for its answer so long. Without one in time the thread is left to itself
/// and nothing is returned: `ask` must own all it touches. One that throws has no answer.
template <typename Ask>
auto askWithin(std::chrono::milliseconds limit, Ask ask) -> std::optional<decltype(ask())>
{
    struct Shared {
        std::mutex mutex;
        std::condition_variable answered;
        std::optional<decltype(ask())> answer;
        bool over = false;
    };
    const auto shared = std::make_shared<Shared>();
    std::thread([shared, ask = std::move(ask)]() mutable {
        std::optional<decltype(ask())> answer;
        try {
            answer.emplace(ask());
        } catch (...) { // no memory: as if there were no answer, but at once
        }
        const std::lock_guard lock(shared->mutex);
        shared->answer = std::move(answer);
        shared->over = true;
        shared->answered.notify_all();
    }).detach();
    std::unique_lock lock(shared->mutex);
    shared->answered.wait_for(lock, limit, [&] { return shared->over; });
    return std::move(shared->answer);
}

} // namespace kurvo
