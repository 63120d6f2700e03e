// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/work.h"

#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <csignal>
#include <cstdint>
#include <new>
#include <system_error>

namespace kurvo::terminal {
namespace {

/// A thread that is made meanwhile has all signals blocked: they are for the one that answers keys.
class SignalsBlocked {
public:
    SignalsBlocked()
    {
        sigset_t all;
        sigfillset(&all);
        ::pthread_sigmask(SIG_SETMASK, &all, &before_);
    }
    ~SignalsBlocked() { ::pthread_sigmask(SIG_SETMASK, &before_, nullptr); }
    SignalsBlocked(const SignalsBlocked&) = delete;
    SignalsBlocked& operator=(const SignalsBlocked&) = delete;

private:
    sigset_t before_{};
};

} // namespace

Work::Work() : wake_(::eventfd(0, EFD_CLOEXEC | EFD_NONBLOCK))
{
    shared_->wake = wake_.get();
}

Work::~Work()
{
    for (const auto& job : jobs_)
        if (job->thread.joinable())
            job->thread.detach();
    const Lock lock(shared_->mutex);
    shared_->wake = -1;
}

void Work::Shared::tell() const
{
    const std::uint64_t one = 1;
    if (wake >= 0)
        (void)!::write(wake, &one, sizeof one);
}

std::stop_source Work::start(std::function<Outcome(const std::stop_token&)> work, AtEnd atEnd)
{
    auto job = std::make_unique<Job>();
    job->atEnd = atEnd;
    auto* key = job.get();
    const auto stop = job->stop;
    const SignalsBlocked blocked;
    try {
        job->thread = std::thread([shared = shared_, key, work = std::move(work), token = stop.get_token()] {
            Outcome outcome;
            std::string thrown;
            try {
                outcome = work(token);
            } catch (const std::bad_alloc&) {
                thrown = "There is not enough memory for this.";
            } catch (const std::exception& error) {
                thrown = std::string("Something went wrong: ") + error.what();
            }
            const Lock lock(shared->mutex);
            if (outcome)
                shared->come.emplace_back(key, std::move(outcome));
            else
                shared->thrown.emplace_back(key, std::move(thrown));
            shared->tell();
        });
    } catch (const std::system_error&) {
        const Lock lock(shared_->mutex);
        shared_->thrown.emplace_back(nullptr, "The system gives no thread for this. Try again later.");
        shared_->tell();
        return stop;
    }
    jobs_.push_back(std::move(job));
    return stop;
}

void Work::forget(Job* job)
{
    const auto found = std::find_if(jobs_.begin(), jobs_.end(), [job](const auto& one) { return one.get() == job; });
    if (found == jobs_.end())
        return;
    (*found)->thread.join(); // it has nothing left to do
    jobs_.erase(found);
}

bool Work::settle()
{
    std::uint64_t count = 0;
    (void)!::read(wake_.get(), &count, sizeof count);
    std::vector<std::pair<Job*, Outcome>> come;
    std::vector<std::pair<Job*, std::string>> thrown;
    {
        const Lock lock(shared_->mutex);
        come.swap(shared_->come);
        thrown.swap(shared_->thrown);
    }
    for (auto& [job, outcome] : come) {
        forget(job);
        outcome();
    }
    for (const auto& [job, sentence] : thrown) {
        forget(job);
        if (failed)
            failed(sentence);
    }
    return !come.empty() || !thrown.empty();
}

bool Work::end(int milliseconds)
{
    for (const auto& job : jobs_)
        job->stop.request_stop();
    const auto until = std::chrono::steady_clock::now() + std::chrono::milliseconds(milliseconds);
    while (!jobs_.empty()) {
        const bool must =
            std::any_of(jobs_.begin(), jobs_.end(), [](const auto& job) { return job->atEnd == AtEnd::Finish; });
        const auto left =
            std::chrono::duration_cast<std::chrono::milliseconds>(until - std::chrono::steady_clock::now());
        if (!must && left.count() <= 0)
            return false;
        pollfd wait{wake_.get(), POLLIN, 0};
        (void)::poll(&wait, 1, must ? 200 : static_cast<int>(left.count()));
        settle();
    }
    return true;
}

} // namespace kurvo::terminal
