// SPDX-License-Identifier: GPL-3.0-or-later
// The earlier scans of several places that are looked at together. Reads the catalogue: off the interface thread.
#pragma once

#include <string>
#include <vector>

#include "app/model/place.h"
#include "core/compare/joint_history.h"

namespace kurvo::app {

/// What of a joined place is needed to know its history, on any thread.
struct JointScans {
    std::string name; ///< of all of them
    std::vector<PlacePart> parts;
    std::shared_ptr<const FileTree> tree; ///< of all of them, as it is open

    explicit JointScans(const Place& place) : name(place.info.placeName), parts(place.parts), tree(place.tree) { }
    /// In the catalogue in `folder`, and beside the snapshots that are open; the open scans as well, which may not be
    /// kept yet: those have no file. Oldest first.
    std::vector<JointPoint> points(const std::string& folder) const;
    /// When the newest of the open scans was taken; UTC seconds.
    std::int64_t newest() const;
    /// All scans in it are those that are open.
    bool isOpen(const JointPoint& point) const;
    /// Of a point other than the open one.
    Result<std::shared_ptr<const FileTree>> read(const JointPoint& point) const;
};

} // namespace kurvo::app
