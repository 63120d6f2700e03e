// SPDX-License-Identifier: GPL-3.0-or-later
// Brings a drive's tables and the blocks of its folders into memory in the order in which they lie, so that whoever
// reads them afterwards in any order waits for no disk.
#pragma once

#include <stop_token>

#include "core/direct/table_pass.h"

namespace kurvo {

/// Whether nearly all of the tables is in memory already (a sample).
bool tablesAreCached(const Ext4Drive& drive);

/// Reads the used parts of all inode tables and then the blocks of all folders, ascending. Blocks; gives up quietly
/// where something cannot be read: it only makes others faster.
void readAhead(const Ext4Drive& drive, TablePassProgress& progress, std::stop_token stop = {});

} // namespace kurvo
