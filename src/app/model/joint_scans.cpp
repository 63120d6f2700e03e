// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/joint_scans.h"

#include <algorithm>

#include "core/snapshot/catalogue.h"

namespace kurvo::app {
namespace {

bool isOfPart(const CatalogueEntry& entry, const PlacePart& part)
{
    return (!part.snapshotFile.empty() && entry.path == part.snapshotFile) || entry.info.taken == part.info.taken;
}

} // namespace

std::vector<JointPoint> JointScans::points(const std::string& folder) const
{
    std::vector<std::vector<CatalogueEntry>> ofEach;
    for (const auto& part : parts) {
        auto& entries = ofEach.emplace_back(snapshotsOf(folder, part.snapshotFile, part.info));
        if (std::none_of(entries.begin(), entries.end(),
                         [&](const CatalogueEntry& entry) { return isOfPart(entry, part); }))
            entries.push_back({{}, part.info, 0, {}});
    }
    return jointHistory(ofEach, name);
}

std::int64_t JointScans::newest() const
{
    std::int64_t taken = 0;
    for (const auto& part : parts)
        taken = std::max(taken, part.info.taken);
    return taken;
}

bool JointScans::isOpen(const JointPoint& point) const
{
    for (std::size_t i = 0; i < parts.size(); ++i)
        if (!isOfPart(point.scans[i], parts[i]))
            return false;
    return true;
}

Result<std::shared_ptr<const FileTree>> JointScans::read(const JointPoint& point) const
{
    std::vector<std::string> paths;
    for (const auto& part : parts)
        paths.push_back(part.info.place);
    return readTogether(point, paths, tree);
}

} // namespace kurvo::app
