// SPDX-License-Identifier: GPL-3.0-or-later
// Work off the thread that answers keys.
#include <catch2/catch.hpp>

#include <poll.h>

#include <algorithm>
#include <atomic>
#include <stdexcept>

#include "terminal/work.h"

using namespace kurvo::terminal;

namespace {

void settleUntil(Work& work, const std::function<bool()>& holds)
{
    for (int i = 0; i < 2000 && !holds(); ++i) {
        pollfd wait{work.descriptor(), POLLIN, 0};
        (void)::poll(&wait, 1, 10);
        work.settle();
    }
}

} // namespace

TEST_CASE("what work found comes back to the thread that asked", "[work]")
{
    Work work;
    const auto here = std::this_thread::get_id();
    std::thread::id there, back;
    int found = 0;
    work.run(
        [&](const std::stop_token&) {
            there = std::this_thread::get_id();
            return 42;
        },
        [&](int answer) {
            back = std::this_thread::get_id();
            found = answer;
        });
    CHECK(work.isBusy());
    CHECK(found == 0); // not before it is settled
    settleUntil(work, [&] { return found != 0; });
    CHECK(found == 42);
    CHECK(there != here);
    CHECK(back == here);
    CHECK_FALSE(work.isBusy());
    CHECK_FALSE(work.settle());
}

TEST_CASE("work that throws ends in a sentence", "[work]")
{
    Work work;
    std::vector<std::string> said;
    work.failed = [&](const std::string& sentence) { said.push_back(sentence); };
    Busy busy;
    work.run([held = busy.begin()](const std::stop_token&) -> int { throw std::bad_alloc(); },
             [](int) { FAIL("it found nothing"); });
    CHECK(busy);
    work.run([](const std::stop_token&) -> int { throw std::runtime_error("odd"); }, [](int) { FAIL("nor did this"); });
    settleUntil(work, [&] { return said.size() == 2; });
    CHECK_FALSE(busy); // it can be asked anew
    REQUIRE(said.size() == 2);
    CHECK((said[0].find("memory") != std::string::npos || said[1].find("memory") != std::string::npos));
    CHECK((said[0].find("odd") != std::string::npos || said[1].find("odd") != std::string::npos));
    CHECK_FALSE(work.isBusy());
}

TEST_CASE("at the end what changes something is waited for, and what only looks is left behind", "[work]")
{
    std::atomic<bool> mayEnd{false}, ended{false};
    bool settled = false;
    {
        Work work;
        work.run(
            [&](const std::stop_token& stop) {
                while (!stop.stop_requested())
                    std::this_thread::yield();
                return 1;
            },
            [&](int) { settled = true; }, Work::AtEnd::Finish);
        CHECK(work.end(0)); // asked to stop, it does
        CHECK(settled);
        work.run(
            [&](const std::stop_token&) {
                while (!mayEnd)
                    std::this_thread::yield();
                ended = true;
                return 1;
            },
            [](int) { FAIL("nobody listens any more"); });
        CHECK_FALSE(work.end(10));
    }
    mayEnd = true; // it finds nobody, and does no harm
    while (!ended)
        std::this_thread::yield();
}

TEST_CASE("many pieces of work keep apart", "[work]")
{
    Work work;
    std::vector<int> found;
    for (int i = 0; i < 200; ++i)
        work.run([i](const std::stop_token&) { return i; }, [&](int answer) { found.push_back(answer); });
    settleUntil(work, [&] { return found.size() == 200; });
    std::sort(found.begin(), found.end());
    for (int i = 0; i < 200; ++i)
        CHECK(found[static_cast<std::size_t>(i)] == i);
}
