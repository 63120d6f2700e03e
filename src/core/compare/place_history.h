// SPDX-License-Identifier: GPL-3.0-or-later
// The history of a place and of folders in it, over all its snapshots, from their indexes.
#pragma once

#include <cstdint>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/compare/forecast.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {

/// One snapshot, as a point in time.
struct HistoryPoint {
    std::string file;
    SnapshotInfo info;
    std::vector<std::optional<EntryFigures>> figures; ///< of each path that was asked for
    std::vector<bool> leftOut;                        ///< the same: a glob kept the scan from it

    /// On disk: nothing is there (0) where a whole snapshot does not have the path; not known (nothing) where it could
    /// not have it.
    std::optional<std::uint64_t> bytes(std::size_t path) const
    {
        if (figures[path])
            return figures[path]->disk;
        return info.partial || leftOut[path] ? std::nullopt : std::optional<std::uint64_t>(0);
    }
};

struct PlaceHistory {
    std::vector<HistoryPoint> points; ///< oldest first
    std::vector<Error> problems;      ///< snapshots that could not be read
};

/// `below`: paths below the place ("" for itself); so they are found wherever it was mounted. Some 0.3 ms a snapshot;
/// one of version 1 is read whole. `entries` may be in any order.
PlaceHistory historyOf(const std::vector<CatalogueEntry>& entries, const std::vector<std::string>& below,
                       std::stop_token stop = {});

/// Of the drive, where its capacity is known, else of what was scanned. Bytes.
inline std::uint64_t usedOf(const SnapshotInfo& info)
{
    return info.capacity.total > 0 ? info.capacity.used : info.diskBytes;
}
/// What the drive had used at each point; none where the capacity is not known.
std::vector<UsePoint> useOfDrive(const PlaceHistory& history);
/// HistoryPoint::bytes() of one of the paths where it is known; partial ones are left out.
std::vector<UsePoint> useOfPath(const PlaceHistory& history, std::size_t path);

struct PlaceForecast {
    std::optional<Trend> trend;
    std::optional<Forecast> full;
    std::uint64_t capacity = 0; ///< bytes that can be used
    /// "Fills in about 6 weeks", "Grows by 15 GiB a month", "No clear trend": for a card; empty where nothing is to be
    /// said.
    std::string words;
};
/// Of the drive, as seen at `now`.
PlaceForecast forecastOf(const PlaceHistory& history, std::int64_t now);

} // namespace kurvo
