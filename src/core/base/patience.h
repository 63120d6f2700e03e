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
/// and nothing is returned: `ask` must own all it touches.
template <typename Ask>
auto askWithin(std::chrono::milliseconds limit, Ask ask) -> std::optional<decltype(ask())>
{
    struct Shared {
        std::mutex mutex;
        std::condition_variable answered;
        std::optional<decltype(ask())> answer;
    };
    const auto shared = std::make_shared<Shared>();
    std::thread([shared, ask = std::move(ask)]() mutable {
        auto answer = ask();
        const std::lock_guard lock(shared->mutex);
        shared->answer.emplace(std::move(answer));
        shared->answered.notify_all();
    }).detach();
    std::unique_lock lock(shared->mutex);
    shared->answered.wait_for(lock, limit, [&] { return shared->answer.has_value(); });
    return std::move(shared->answer);
}

} // namespace kurvo
