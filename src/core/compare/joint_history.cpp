// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/joint_history.h"

#include <algorithm>

#include "core/base/text.h"
#include "core/scan/join.h"
#include "core/snapshot/together.h"

namespace kurvo {
namespace {

constexpr std::int64_t oneGo = 12 * 60 * 60; // seconds

struct Scan {
    std::size_t place;
    const CatalogueEntry* entry;
};

std::vector<Scan> byTime(const std::vector<std::vector<CatalogueEntry>>& ofEach)
{
    std::vector<Scan> scans;
    for (std::size_t place = 0; place < ofEach.size(); ++place)
        for (const auto& entry : ofEach[place])
            if (!entry.info.partial || entry.path.empty())
                scans.push_back({place, &entry});
    std::stable_sort(scans.begin(), scans.end(),
                     [](const Scan& a, const Scan& b) { return a.entry->info.taken < b.entry->info.taken; });
    return scans;
}

JointPoint pointOf(const std::vector<const CatalogueEntry*>& newest, const std::vector<bool>& isFresh,
                   const std::string& placeName)
{
    JointPoint point;
    std::vector<SnapshotInfo> infos;
    std::int64_t taken = newest.front()->info.taken;
    for (std::size_t place = 0; place < newest.size(); ++place) {
        infos.push_back(newest[place]->info);
        point.scans.push_back(*newest[place]);
        point.isOlder.push_back(!isFresh[place]);
        taken = std::max(taken, newest[place]->info.taken);
    }
    point.info = addedUp(infos, placeName);
    point.info.taken = taken;
    return point;
}

} // namespace

std::vector<JointPoint> jointHistory(const std::vector<std::vector<CatalogueEntry>>& ofEach,
                                     const std::string& placeName)
{
    std::vector<JointPoint> points;
    std::vector<const CatalogueEntry*> newest(ofEach.size(), nullptr);
    std::vector<bool> isFresh(ofEach.size(), false);
    const auto scans = byTime(ofEach);
    std::int64_t began = 0;
    for (std::size_t i = 0; i < scans.size(); ++i) {
        const auto& [place, entry] = scans[i];
        const bool isFirst = std::find(isFresh.begin(), isFresh.end(), true) == isFresh.end();
        if (isFirst)
            began = entry->info.taken;
        newest[place] = entry;
        isFresh[place] = true;
        const bool goesOn =
            i + 1 < scans.size() && !isFresh[scans[i + 1].place] && scans[i + 1].entry->info.taken - began <= oneGo;
        if (goesOn)
            continue;
        if (std::find(newest.begin(), newest.end(), nullptr) == newest.end())
            points.push_back(pointOf(newest, isFresh, placeName));
        isFresh.assign(isFresh.size(), false);
    }
    return points;
}

PlaceHistory asPlaceHistory(const std::vector<JointPoint>& points)
{
    PlaceHistory history;
    for (const auto& point : points)
        history.points.push_back({{}, point.info, {}, {}});
    return history;
}

Result<std::shared_ptr<const FileTree>> readTogether(const JointPoint& point, const std::vector<std::string>& paths,
                                                     const std::shared_ptr<const FileTree>& open)
{
    std::vector<PlaceRoot> roots;
    for (std::size_t place = 0; place < point.scans.size(); ++place) {
        const auto& file = point.scans[place].path;
        if (file.empty()) {
            const auto at = open ? open->find(paths[place]) : std::nullopt;
            if (!at)
                return Error{ErrorKind::NotFound, paths[place], 0,
                             "The scan of " + displayText(paths[place]) + " is not kept yet."};
            roots.emplace_back(open, *at);
            continue;
        }
        auto read = readSnapshot(file);
        if (!read)
            return read.error();
        roots.emplace_back(std::move(read->tree), rootNode, paths[place]);
    }
    return joinTrees(point.info.placeName, roots);
}

} // namespace kurvo
