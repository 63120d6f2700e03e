// SPDX-License-Identifier: GPL-3.0-or-later
// The demo world: the desk workstation of the bird observatory "Skerry Point", as it was at the end of six months. All
// of it is made up.
#pragma once

#include <memory>

#include "core/snapshot/snapshot.h"

namespace kurvo::demo {

inline constexpr int monthCount = 6;

/// The system drive at the end of a month: 0 is January 2026, 5 is June 2026. About 300,000 entries in June.
Snapshot systemDrive(int month);

/// The USB drive "skerry-archive" at the end of a month; it has more years of recordings each time.
Snapshot archiveDrive(int month);

} // namespace kurvo::demo
