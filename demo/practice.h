// SPDX-License-Identifier: GPL-3.0-or-later
// The practice folder: real files, about 300 MB on disk, in which every action can be tried. The stories of the demo
// world in small.
#pragma once

#include <string>

#include "core/base/result.h"

namespace kurvo::demo {

/// Makes the folder, which must not exist yet. On failure what was made is left for inspection.
Result<Done> makePracticeFolder(const std::string& path);

} // namespace kurvo::demo
