// SPDX-License-Identifier: GPL-3.0-or-later
// One at a time among processes: whoever holds a file's lock.
#pragma once

#include <string>

#include "core/base/result.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// Waits until nobody else holds the lock `file` + ".lock", which is made, and holds it as long as the descriptor is
/// open. Its folder has to be there. flock(2).
Result<UniqueFd> lockBeside(const std::string& file);

} // namespace kurvo
