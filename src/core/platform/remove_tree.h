// SPDX-License-Identifier: GPL-3.0-or-later
// Removal of a whole subtree for good. Only used on what lies in the trash.
#pragma once

#include <cstdint>
#include <functional>
#include <stop_token>

namespace kurvo {

/// Removes `name` in the open folder `parent` with everything in it; returns 0, or the errno of the first entry that
/// could not be removed (the others are still removed), or ECANCELED. Links are not followed, other mounts are not
/// entered (EBUSY). Uses a bounded number of descriptors at any depth.
int removeTree(int parent, const char* name, std::stop_token stop = {},
               const std::function<void(std::uint64_t)>& onRemoved = {});

} // namespace kurvo
