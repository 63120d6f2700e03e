// SPDX-License-Identifier: GPL-3.0-or-later
// Who reads what: the threads of a walk, how many there are, what each takes next, and leaving behind one that hangs.
#include <fcntl.h>
#include <sys/resource.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <iterator>
#include <new>
#include <optional>
#include <system_error>
#include <thread>

#include "core/scan/ahead.h"
#include "core/scan/walk.h"

namespace kurvo {
namespace {

constexpr std::chrono::milliseconds controlInterval{20};

/// Nanoseconds that a thread of this process has been running or ready to run (proc(5), schedstat).
std::optional<std::int64_t> awakeTime(pid_t thread)
{
    char path[64];
    std::snprintf(path, sizeof path, "/proc/self/task/%d/schedstat", static_cast<int>(thread));
    const UniqueFd file(::open(path, O_RDONLY | O_CLOEXEC));
    char text[128] = {};
    long long running = 0, ready = 0;
    if (!file || ::read(file.get(), text, sizeof text - 1) <= 0 ||
        std::sscanf(text, "%lld %lld", &running, &ready) != 2)
        return std::nullopt;
    return running + ready;
}

} // namespace

void Walk::addWorkers(unsigned count)
{
    for (unsigned i = 0; i < count; ++i) {
        auto worker = std::make_shared<Worker>(*store_);
        worker->lastMove = std::chrono::steady_clock::now();
        if (direct_)
            worker->tables = std::make_unique<Ext4Reader>(direct_->drive, direct_->since);
        workers_.reserve(workers_.size() + 1);
        try {
            worker->thread = std::thread([self = shared_from_this(), worker] { self->work(*worker); });
        } catch (const std::system_error&) {
            if (workers_.empty())
                throw; // not even one
            break;
        }
        workers_.push_back(std::move(worker));
    }
    progress_.threads_ = static_cast<unsigned>(workers_.size());
}

/// The calling thread: watches the workers until nothing is left to read.
void Walk::control()
{
    auto before = std::chrono::steady_clock::now();
    for (;;) {
        {
            Lock lock(mutex_);
            if (done_.wait_for(lock.forWaiting(), controlInterval, [this] { return open_ == 0; }))
                return;
        }
        const auto now = std::chrono::steady_clock::now();
        if (!progress_.isPaused() && !isEnding())
            adapt(now - before);
        leaveHangingBehind(now);
        before = now;
    }
}

/// More workers while those there mostly wait for the disk (not: for a processor). Measured, not guessed from the kind
/// of drive: the same disk answers from memory the second time.
void Walk::adapt(std::chrono::nanoseconds elapsed)
{
    if (options_.threads != 0 || workers_.size() >= mostThreads_)
        return;
    std::int64_t awake = 0;
    for (const auto& worker : workers_) {
        const auto now = awakeTime(worker->tid);
        if (!now)
            return; // not told by this kernel: the workers stay as many as they are
        awake += *now - worker->lastAwake;
        worker->lastAwake = *now;
    }
    const auto count = static_cast<unsigned>(workers_.size());
    const bool waiting = awake < elapsed.count() * count * 6 / 10;
    if (waiting && !someoneIdle_ && open_ > count)
        addWorkers(std::min(count, mostThreads_ - count));
}

void Walk::leaveHangingBehind(std::chrono::steady_clock::time_point now)
{
    // Whoever stopped the scan waits for its end.
    const auto patience = isEnding() ? std::min(options_.patience, std::chrono::milliseconds(1000)) : options_.patience;
    for (std::size_t i = workers_.size(); i-- > 0;) {
        auto& worker = *workers_[i];
        const auto beat = worker.beat.load(std::memory_order_relaxed);
        if (beat != worker.lastBeat || worker.state != State::Reading) {
            worker.lastBeat = beat;
            worker.lastMove = now;
            continue;
        }
        if (someoneIdle_ && now - worker.lastMove > 2 * controlInterval)
            relieve(worker);
        if (now - worker.lastMove > patience && enter(worker, State::Reading, State::LeftBehind)) {
            const auto hanging = workers_[i];
            workers_.erase(workers_.begin() + static_cast<std::ptrdiff_t>(i));
            leaveBehind(*hanging);
        }
    }
}

/// False when this worker was left behind meanwhile.
bool Walk::endReading(Worker& worker)
{
    while (!enter(worker, State::Reading, State::Writing)) {
        if (worker.state == State::LeftBehind)
            return false;
        std::this_thread::yield(); // it is being relieved
    }
    return true;
}

/// Others have nothing to do while this one waits for an answer: they take what it would read next.
void Walk::relieve(Worker& worker)
{
    if (!enter(worker, State::Reading, State::Relieved))
        return;
    try {
        const Lock lock(mutex_);
        handOver(worker);
    } catch (const std::bad_alloc&) {
        // What is still its own, it reads itself.
    }
    worker.state = State::Reading;
}

/// One by one: where memory ends, each is still somebody's.
void Walk::handOver(Worker& worker)
{
    if (worker.queue.empty() && worker.later.empty())
        return;
    changed_.notify_all(); // they come to look when the lock is free
    for (; !worker.queue.empty(); worker.queue.pop_front())
        shared_.push_back(std::move(worker.queue.front()));
    for (; !worker.later.empty(); worker.later.pop_back())
        later_.emplace(worker.later.back().first, std::move(worker.later.back().second));
}

void Walk::leaveBehind(Worker& worker)
{
    worker.thread.detach();
    Item item = worker.item;
    const char* name = worker.asked.load(std::memory_order_acquire);
    {
        const Lock lock(mutex_);
        handOver(worker);
        if (name) {
            // Another worker reads the folder again without that name.
            auto hung = item.hung ? *item.hung : std::set<std::string>{};
            hung.insert(name);
            item.hung = std::make_shared<const std::set<std::string>>(std::move(hung));
            shared_.push_back(item);
            changed_.notify_all();
        }
    }
    constexpr unsigned tooOften = 16;
    if (++leftBehind_ >= tooOften) {
        driveGone = true;
        ending_ = true;
    }
    addWorkers(1);
    if (!name) {
        noteUnreadable(item.node, {}, ETIMEDOUT);
        finishItem();
    }
}

void Walk::work(Worker& worker)
{
    worker.tid = ::gettid();
    if (options_.background)
        ::setpriority(PRIO_PROCESS, static_cast<id_t>(::gettid()), 10);
    while (take(worker)) {
        while (progress_.isPaused() && !isEnding()) {
            Lock lock(progress_.mutex_);
            progress_.resumed_.wait_for(lock.forWaiting(), std::chrono::milliseconds(100),
                                        [this] { return !progress_.isPaused(); });
        }
        if (isEnding())
            store_->addFlags(worker.item.node, FlagUnfinished);
        else if (!tryReadFolder(worker))
            return; // left behind: nothing here may be touched any more
        worker.item = {};
        worker.folder = {};
        if (someoneIdle_.load(std::memory_order_relaxed) && worker.queue.size() > 1)
            share(worker);
        finishItem();
    }
}

void Walk::finishItem()
{
    if (--open_ > 0)
        return;
    const Lock lock(mutex_);
    changed_.notify_all();
    done_.notify_all();
}

/// From the worker's own queue what is in memory, or will not be sooner.
bool Walk::takeOwn(Worker& worker)
{
    while (!worker.queue.empty()) {
        worker.item = std::move(worker.queue.back());
        worker.queue.pop_back();
        const auto from = ahead_ && worker.item.inode && !isEnding() ? ahead_->comesFrom(*worker.item.inode) : 0;
        if (from == 0) {
            if (worker.tables && !worker.queue.empty() && worker.queue.back().inode)
                worker.tables->expectFolder(*worker.queue.back().inode);
            return true;
        }
        worker.later.emplace_back(from, std::move(worker.item));
        worker.item = {};
    }
    return false;
}

/// Of what is still to come, what is there now: the first, as it comes in that order.
bool Walk::takeArrived(Worker& worker)
{
    constexpr int most = 64;
    int taken = 0;
    while (!later_.empty() && taken < most && (isEnding() || ahead_->comesFrom(*later_.begin()->second.inode) == 0)) {
        worker.queue.push_back(std::move(later_.begin()->second));
        later_.erase(later_.begin());
        ++taken;
    }
    return taken > 0;
}

bool Walk::take(Worker& worker)
{
    while (!takeOwn(worker)) {
        Lock lock(mutex_);
        later_.insert(std::make_move_iterator(worker.later.begin()), std::make_move_iterator(worker.later.end()));
        worker.later.clear();
        ++idle_;
        someoneIdle_ = true;
        bool arrived = false;
        while (!(arrived = takeArrived(worker)) && shared_.empty() && open_ > 0) {
            if (later_.empty())
                changed_.wait(lock.forWaiting());
            else
                changed_.wait_for(lock.forWaiting(), std::chrono::milliseconds(1));
        }
        --idle_;
        someoneIdle_ = idle_ > 0;
        if (arrived)
            continue;
        if (shared_.empty())
            return false;
        worker.queue.push_back(std::move(shared_.back()));
        shared_.pop_back();
    }
    return true;
}

void Walk::share(Worker& worker)
{
    const Lock lock(mutex_);
    if (shared_.size() >= idle_)
        return;
    for (auto give = worker.queue.size() / 2; give > 0; --give) {
        shared_.push_back(std::move(worker.queue.front()));
        worker.queue.pop_front();
    }
    changed_.notify_all();
}

} // namespace kurvo
