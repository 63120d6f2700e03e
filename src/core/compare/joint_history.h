// SPDX-License-Identifier: GPL-3.0-or-later
// The history of several places together: their snapshots brought to common points in time.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/compare/place_history.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {

/// What was known of all of them at one time: the newest scan of each until then.
struct JointPoint {
    SnapshotInfo info;                 ///< added up; taken is that of the newest of them
    std::vector<CatalogueEntry> scans; ///< one a place, in their order
    std::vector<bool> isOlder;         ///< by place: that scan was one of an earlier point already
};

/// `ofEach`: the snapshots of each place, in any order. Scans that were made within twelve hours are one point, unless
/// a place was scanned twice in them. Partial scans are left out, but for those that are no files: what is open. The
/// first point is where all places had been scanned. Oldest first.
std::vector<JointPoint> jointHistory(const std::vector<std::vector<CatalogueEntry>>& ofEach,
                                     const std::string& placeName);

/// Of what the drives of all have used; capacities as of the last.
PlaceHistory asPlaceHistory(const std::vector<JointPoint>& points);

/// The trees of these snapshots as one, each under the path that the place has among them today. `paths`: by place.
/// A scan that is no file is taken from `open`, several places already; NotFound where that has none at its path.
Result<std::shared_ptr<const FileTree>> readTogether(const JointPoint& point, const std::vector<std::string>& paths,
                                                     const std::shared_ptr<const FileTree>& open = nullptr);

} // namespace kurvo
