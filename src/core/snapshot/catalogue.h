// SPDX-License-Identifier: GPL-3.0-or-later
// The snapshots kept in one folder, and the names they get there. The folder is the catalogue: there is nothing beside
// the files that could disagree with them.
#pragma once

#include <string>
#include <vector>

#include "core/snapshot/snapshot.h"

namespace kurvo {

struct CatalogueEntry {
    std::string path; ///< of the snapshot file
    SnapshotInfo info;
};

struct Catalogue {
    std::vector<CatalogueEntry> entries; ///< newest first
    std::vector<Error> damaged;          ///< files that could not be read as snapshots
};

/// Reads the headers of all snapshots in `folder`. A folder that is not there is an empty catalogue.
Catalogue readCatalogue(const std::string& folder);

/// A file name in `folder` that says place and time and is not taken: "home-warden-2026-06-30-091200.kurvo".
std::string snapshotPathFor(const std::string& folder, const SnapshotInfo& info);

} // namespace kurvo
