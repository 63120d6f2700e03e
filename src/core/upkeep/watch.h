// SPDX-License-Identifier: GPL-3.0-or-later
// Whether a drive will be full soon, by what snapshots of it say and what is free now: for monitoring.
#pragma once

#include <string>
#include <vector>

#include "core/compare/place_history.h"
#include "core/platform/drives.h"

namespace kurvo {

struct Watched {
    std::string place; ///< the mount point; bytes
    Capacity capacity; ///< now
    std::size_t snapshots = 0;
    std::optional<double> daysLeft;  ///< until it is full; nothing where it does not grow clearly
    std::optional<double> bytesADay; ///< that it grows
    std::string problem;             ///< why nothing is known of it, a sentence
    bool warns(double days) const { return daysLeft && *daysLeft <= days; }
    std::string sentence() const;
};

/// Asks the drive that holds `path`, and the snapshots of the catalogue in `folder` that are of all of it.
Watched watchDrive(const std::string& path, const std::string& folder, std::int64_t now);

/// For what collects figures: the text format of OpenMetrics 1.0, gauges with the place as a label.
std::string watchedAsMetrics(const std::vector<Watched>& drives);

} // namespace kurvo
