// SPDX-License-Identifier: GPL-3.0-or-later
// Locks that say what they guard in a way that a compiler checks: clang's thread-safety analysis (tools/check_locks.sh;
// https://clang.llvm.org/docs/ThreadSafetyAnalysis.html). For g++ they are a std::mutex and nothing more.
#pragma once

#include <chrono>
#include <condition_variable>
#include <mutex>

#if defined(__clang__)
#define KURVO_THREAD_SAFETY(x) __attribute__((x))
#else
#define KURVO_THREAD_SAFETY(x)
#endif
/// Of a member: read and written only while the Mutex is held.
#define KURVO_GUARDED_BY(mutex) KURVO_THREAD_SAFETY(guarded_by(mutex))
/// Of a function (or lambda): called only while the Mutex is held.
#define KURVO_REQUIRES(mutex) KURVO_THREAD_SAFETY(requires_capability(mutex))

namespace kurvo {

class KURVO_THREAD_SAFETY(capability("mutex")) Mutex {
public:
    void lock() KURVO_THREAD_SAFETY(acquire_capability()) { mutex_.lock(); }
    void unlock() KURVO_THREAD_SAFETY(release_capability()) { mutex_.unlock(); }

private:
    friend class Lock;
    std::mutex mutex_;
};

/// Holds a Mutex as long as it lives, except between unlock() and lock(). One that is held by another thread is tried
/// for a microsecond before this thread sleeps: most are held for less than going to sleep and waking up takes.
class KURVO_THREAD_SAFETY(scoped_lockable) Lock {
public:
    explicit Lock(Mutex& mutex) KURVO_THREAD_SAFETY(acquire_capability(mutex)) : held_(mutex.mutex_, std::defer_lock)
    {
        take();
    }
    ~Lock() KURVO_THREAD_SAFETY(release_capability()) { }
    Lock(const Lock&) = delete;
    Lock& operator=(const Lock&) = delete;
    void lock() KURVO_THREAD_SAFETY(acquire_capability()) { take(); }
    void unlock() KURVO_THREAD_SAFETY(release_capability()) { held_.unlock(); }

    /// For a condition variable, which gives the lock up while it waits and has it again afterwards.
    std::unique_lock<std::mutex>& forWaiting() { return held_; }

private:
    void take()
    {
        constexpr int tries = 30;
        for (int i = 0; i < tries; ++i) {
            if (held_.try_lock())
                return;
#if defined(__x86_64__) || defined(__i386__)
            __builtin_ia32_pause();
#endif
        }
        held_.lock();
    }
    std::unique_lock<std::mutex> held_;
};

} // namespace kurvo
