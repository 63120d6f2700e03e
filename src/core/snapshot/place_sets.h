// SPDX-License-Identifier: GPL-3.0-or-later
// Sets: places that are looked at together again and again, under a name of their own. Kept as `sets.toml` in the
// folder of the snapshots, whose history they share. Each place in one is told by its filesystem, as snapshots tell it,
// so that a drive is found wherever it is mounted.
#pragma once

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/snapshot/catalogue.h"

namespace kurvo {

struct PlaceSet {
    std::string name;                 ///< "Desk and archive"
    std::vector<SnapshotInfo> places; ///< only what tells a place: its path, name, machine and filesystem
};

/// In their order; none where there is no such file. Damaged where it cannot be understood.
Result<std::vector<PlaceSet>> readSets(const std::string& folder);
/// Reads, lets `change` do what it wants, and writes, while nobody else does. Nothing is written where the file cannot
/// be understood, or `change` says why not.
Result<Done> changeSets(const std::string& folder, const std::function<Result<Done>(std::vector<PlaceSet>&)>& change);

/// Under that name, in place of what was kept under it. Fewer than two places, or of several machines: Unsupported.
Result<Done> keepSet(const std::string& folder, PlaceSet set);
/// NotFound where there is none of that name, which `list` then tells.
Result<Done> removeSet(const std::string& folder, const std::string& name);
/// Unsupported where another one has the new name.
Result<Done> renameSet(const std::string& folder, const std::string& name, const std::string& to);

/// The set of that name, however it is capitalised; null where there is none.
const PlaceSet* setNamed(const std::vector<PlaceSet>& sets, const std::string& name);

/// Where a place of a set is now.
struct PlaceNow {
    std::string path;                     ///< where it is mounted now, and can be scanned; empty where it is not here
    std::optional<CatalogueEntry> newest; ///< its newest whole snapshot
};
/// Asks the drives, for some seconds at most: call it off the interface thread.
std::vector<PlaceNow> whereIs(const PlaceSet& set, const Catalogue& catalogue);

} // namespace kurvo
