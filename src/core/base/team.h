// SPDX-License-Identifier: GPL-3.0-or-later
// Work that several threads do together.
#pragma once

#include <exception>
#include <mutex>
#include <system_error>
#include <thread>
#include <vector>

namespace kurvo {

/// Calls `work()` on so many threads, the calling one among them, and returns when all have ended. Where no thread is
/// to be had there are fewer, so that each member takes what is left until nothing is. What a member throws is thrown
/// here when the others have ended; they have to end without it.
template <typename Work>
void inTeam(std::size_t members, const Work& work)
{
    std::mutex mutex;
    std::exception_ptr thrown;
    const auto guarded = [&] {
        try {
            work();
        } catch (...) {
            const std::lock_guard lock(mutex);
            if (!thrown)
                thrown = std::current_exception();
        }
    };
    {
        std::vector<std::jthread> others;
        others.reserve(members);
        try {
            for (std::size_t i = 1; i < members; ++i)
                others.emplace_back(guarded);
        } catch (const std::system_error&) { // no thread to be had
        }
        guarded();
    }
    if (thrown)
        std::rethrow_exception(thrown);
}

} // namespace kurvo
