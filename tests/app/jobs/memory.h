// SPDX-License-Identifier: GPL-3.0-or-later
// The memory that the program asks for: counted, and made scarce. Linked by what includes it.
#pragma once

#include <atomic>
#include <cstddef>
#include <cstdint>

namespace kurvo::test {

/// While set, no other thread than the first gets pieces of memory of this size or more.
extern std::atomic<std::size_t> largest;
/// How many pieces the first thread was given: work that is counted, not timed.
extern std::size_t pieces;

} // namespace kurvo::test
