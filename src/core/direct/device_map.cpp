// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/device_map.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/uio.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <csetjmp>
#include <csignal>
#include <cstring>

namespace kurvo {
namespace {

thread_local sigjmp_buf* volatile wayBack = nullptr; ///< of this thread, while it copies
struct sigaction before;

void onBusError(int number, siginfo_t* info, void* context)
{
    if (auto* back = wayBack) {
        wayBack = nullptr;
        siglongjmp(*back, 1);
    }
    if ((before.sa_flags & SA_SIGINFO) != 0 && before.sa_sigaction)
        return before.sa_sigaction(number, info, context);
    if (before.sa_handler != SIG_DFL && before.sa_handler != SIG_IGN)
        return before.sa_handler(number);
    ::sigaction(SIGBUS, &before, nullptr); // and the fault comes again
}

bool takeBusErrors()
{
    struct sigaction action { };
    action.sa_sigaction = onBusError;
    action.sa_flags = SA_SIGINFO | SA_NODEFER;
    sigemptyset(&action.sa_mask);
    return ::sigaction(SIGBUS, &action, &before) == 0;
}

/// False where the device does not answer.
bool copyGuarded(void* into, const void* from, std::size_t size)
{
    sigjmp_buf back;
    if (sigsetjmp(back, 0) != 0)
        return false;
    wayBack = &back;
    std::atomic_signal_fence(std::memory_order_seq_cst); // the copy stays between the two
    std::memcpy(into, from, size);
    std::atomic_signal_fence(std::memory_order_seq_cst);
    wayBack = nullptr;
    return true;
}

} // namespace

DeviceMap::DeviceMap(UniqueFd device, std::uint64_t size) : device_(std::move(device)), size_(size)
{
    static const bool guarded = takeBusErrors();
    if (!guarded)
        return;
    void* memory = ::mmap(nullptr, size, PROT_READ, MAP_SHARED | MAP_NORESERVE, device_.get(), 0);
    if (memory == MAP_FAILED)
        return;
    ::madvise(memory, size, MADV_RANDOM); // what is not there yet is read by itself
    memory_ = memory;
}

DeviceMap::~DeviceMap()
{
    if (memory_)
        ::munmap(memory_, size_);
}

int DeviceMap::copy(std::uint64_t at, void* into, std::size_t size) const
{
    if (!memory_)
        return read(at, into, size);
    if (at > size_ || size > size_ - at)
        return EIO;
    return copyGuarded(into, static_cast<const char*>(memory_) + at, size) ? 0 : EIO;
}

int DeviceMap::read(std::uint64_t at, void* into, std::size_t size) const
{
    auto* to = static_cast<char*>(into);
    while (size > 0) {
        const auto got = ::pread(device_.get(), to, size, static_cast<off_t>(at));
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            return got < 0 ? errno : EIO;
        to += got;
        at += static_cast<std::uint64_t>(got);
        size -= static_cast<std::size_t>(got);
    }
    return 0;
}

void DeviceMap::begin(std::uint64_t at, std::size_t size) const
{
    ::posix_fadvise(device_.get(), static_cast<off_t>(at), static_cast<off_t>(size), POSIX_FADV_WILLNEED);
}

int DeviceMap::bring(std::uint64_t at, void* buffer, std::size_t size) const
{
    begin(at, size);
    // Seen to by mapping it, nothing is copied; a kernel before 5.14 does not know how.
    const auto page = static_cast<std::uint64_t>(::sysconf(_SC_PAGESIZE));
    const auto from = at / page * page;
    if (memory_ && at < size_ && size <= size_ - at &&
        ::madvise(static_cast<char*>(memory_) + from, at + size - from, MADV_POPULATE_READ) == 0)
        return 0;
    return read(at, buffer, size);
}

bool DeviceMap::isCached(std::uint64_t at) const
{
    char byte = 0;
    const iovec into{&byte, 1};
    return ::preadv2(device_.get(), &into, 1, static_cast<off_t>(at), RWF_NOWAIT) == 1;
}

} // namespace kurvo
