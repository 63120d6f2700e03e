// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of several places as if they were one.
#pragma once

#include <string>
#include <vector>

#include "core/snapshot/snapshot.h"

namespace kurvo {

/// What lies on these can be looked at together: it is of one machine.
bool isOfOneMachine(const SnapshotInfo& a, const SnapshotInfo& b);

/// Sums and what holds of all. `taken` is that of the oldest, which decides what is known; a drive that holds several
/// of them counts once; `place` is left to whoever joins their trees. `parts` are not to be none.
SnapshotInfo addedUp(const std::vector<SnapshotInfo>& parts, std::string placeName);

/// "Desk, archive".
std::string namesOf(const std::vector<SnapshotInfo>& parts);

} // namespace kurvo
