// SPDX-License-Identifier: GPL-3.0-or-later
// The kinds of entries by the words that files and lists have for them, in the order of EntryKind.
#pragma once

#include <array>

namespace kurvo {

inline constexpr std::array entryKindNames{"file",         "folder",          "link", "fifo", "socket",
                                           "block device", "character device"};

} // namespace kurvo
