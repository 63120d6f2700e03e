// SPDX-License-Identifier: GPL-3.0-or-later
// A device's page cache, mapped for reading: a third of the time of a scan of tables would be system calls that copy
// some hundred bytes each.
//
// What is mapped changes while it is read, and may fail to be there: it is only ever copied, and a device that does not
// answer (SIGBUS) is an error like another. The handler for that is put in place once, and leaves every other fault to
// whoever had it before.
#pragma once

#include <cstddef>
#include <cstdint>

#include "core/platform/unique_fd.h"

namespace kurvo {

class DeviceMap {
public:
    /// The first `size` bytes of it. Where they cannot be mapped (address space), they are read by system calls.
    DeviceMap(UniqueFd device, std::uint64_t size);
    ~DeviceMap();
    DeviceMap(const DeviceMap&) = delete;
    DeviceMap& operator=(const DeviceMap&) = delete;

    /// Copies these bytes: 0 or errno. Any thread.
    int copy(std::uint64_t at, void* into, std::size_t size) const;
    /// The same by a system call, which also reads on ahead: for what is read in order.
    int read(std::uint64_t at, void* into, std::size_t size) const;
    /// Has what is in memory come closer to the processor, which goes on meanwhile.
    void expect(std::uint64_t at, std::size_t size) const
    {
        constexpr std::size_t line = 64;
        if (memory_ && at < size_)
            for (std::size_t i = 0; i < size && i < size_ - at; i += line)
                __builtin_prefetch(static_cast<const char*>(memory_) + at + i);
    }
    /// Has the disk begin with bringing these bytes into memory, and does not wait for it.
    void begin(std::uint64_t at, std::size_t size) const;
    /// Brings them into memory and waits for it: 0 or errno. `buffer` has room for them, and may be overwritten.
    int bring(std::uint64_t at, void* buffer, std::size_t size) const;
    /// Whether the byte there is in memory already. False where that cannot be told.
    bool isCached(std::uint64_t at) const;

private:
    UniqueFd device_;
    std::uint64_t size_ = 0;
    void* memory_ = nullptr;
};

} // namespace kurvo
