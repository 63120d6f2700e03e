// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots read by the program in tools/ that knows nothing but the page on their format.
#pragma once

#include <string>
#include <vector>

namespace kurvo::test {

/// It agrees with readSnapshot() on the totals of each of these. `script`: tools/read_snapshot.py.
void checkWithOtherReader(const std::string& script, const std::vector<std::string>& snapshots);

/// The same for all sound snapshots at and below a folder, when $KURVO_OTHER_READER names the script; else nothing. So
/// test.sh has every snapshot that a test leaves behind read twice.
void checkSnapshotsIn(const std::string& folder);

} // namespace kurvo::test
