// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/memory.h"

#include <cstdlib>
#include <new>
#include <thread>

namespace kurvo::test {

std::atomic<std::size_t> largest = SIZE_MAX;
std::size_t pieces = 0;

} // namespace kurvo::test

using namespace kurvo::test;

namespace {

const auto firstThread = std::this_thread::get_id();

} // namespace

// All that go together: a sanitizer has its own of those that are not replaced.
void* operator new(std::size_t size)
{
    if (std::this_thread::get_id() == firstThread)
        ++pieces;
    else if (size >= largest)
        throw std::bad_alloc();
    if (void* memory = std::malloc(size > 0 ? size : 1))
        return memory;
    throw std::bad_alloc();
}
void* operator new[](std::size_t size)
{
    return operator new(size);
}
void* operator new(std::size_t size, const std::nothrow_t&) noexcept
{
    return std::malloc(size > 0 ? size : 1);
}
void* operator new[](std::size_t size, const std::nothrow_t&) noexcept
{
    return std::malloc(size > 0 ? size : 1);
}
void operator delete(void* memory) noexcept
{
    std::free(memory);
}
void operator delete[](void* memory) noexcept
{
    std::free(memory);
}
void operator delete(void* memory, std::size_t) noexcept
{
    std::free(memory);
}
void operator delete[](void* memory, std::size_t) noexcept
{
    std::free(memory);
}
void operator delete(void* memory, const std::nothrow_t&) noexcept
{
    std::free(memory);
}
void operator delete[](void* memory, const std::nothrow_t&) noexcept
{
    std::free(memory);
}
