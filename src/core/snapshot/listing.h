// SPDX-License-Identifier: GPL-3.0-or-later
// A snapshot as plain text, an entry a line, for programs that know nothing of it; and back, without the loss of a byte
// of a name.
//
// JSON Lines: the first object says what was scanned (place, host, filesystem, taken, capacity); then one for each
// entry, the place itself first: path kind size blocks modified modified_ns inode device links owner flags. CSV (RFC 4180)
// has the same columns; names are bytes there, and what was scanned is not in it. Folders need not come before what is in
// them.
#pragma once

#include <string>

#include "core/snapshot/snapshot.h"

namespace kurvo {

enum class ListingFormat { JsonLines, Csv };

void writeListing(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree, ListingFormat format);

/// Reads either; tells them apart by the first byte. Damaged, with the line, where something is missing or contradicts
/// itself: a folder that is not listed, a path twice, a number that is none.
Result<Snapshot> readListing(const std::string& path);

} // namespace kurvo
