// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/age_field.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/tree/stretches.h"

namespace kurvo {
namespace {

constexpr double youngest = 3600, oldest = 30.0 * 365 * 86400;
constexpr double smallest = 512, largest = 4.0 * 1024 * 1024 * 1024 * 1024;

/// A logarithmic scale; the logarithm of its length is taken once.
struct Scale {
    double least;
    double most;
    double perLog = 1 / std::log(most / least);
    double position(double value) const { return value <= least ? 0 : std::min(std::log(value / least) * perLog, 1.0); }
};
const Scale ages{youngest, oldest}, sizes{smallest, largest};

} // namespace

double ageToPosition(double seconds)
{
    return ages.position(seconds);
}

double positionToAge(double position)
{
    return youngest * std::pow(oldest / youngest, position);
}

double sizeToPosition(double bytes)
{
    return sizes.position(bytes);
}

double positionToSize(double position)
{
    return smallest * std::pow(largest / smallest, position);
}

AgeField ageField(const FileTree& tree, const std::vector<NodeId>& files, std::int64_t now)
{
    constexpr auto cells = static_cast<std::size_t>(AgeField::columns) * AgeField::rows;
    AgeField field;
    field.files = files.size();
    if (files.empty())
        return field;
    const auto bounds = evenStretches(files.size());
    struct Part {
        std::vector<AgeField::Spot> spots;
        std::vector<std::uint64_t> largest; ///< bytes on disk of each spot's largest file
        std::size_t withoutSize = 0;
    };
    std::vector<Part> parts(bounds.size() - 1);
    forEachStretch(bounds, [&](std::size_t index, std::size_t from, std::size_t to) {
        const auto cell = [](double position, int count) {
            return std::min(static_cast<int>(position * count), count - 1);
        };
        auto& part = parts[index];
        part.spots.resize(cells);
        part.largest.resize(cells);
        for (std::size_t i = from; i < to; ++i) {
            const NodeId file = files[i];
            const auto disk = tree.disk(file);
            if (disk == 0) {
                ++part.withoutSize;
                continue;
            }
            const int column =
                cell(ageToPosition(static_cast<double>(now - tree.store().modified(file))), AgeField::columns);
            const int row = cell(sizeToPosition(static_cast<double>(disk)), AgeField::rows);
            const auto at = static_cast<std::size_t>(row) * AgeField::columns + static_cast<std::size_t>(column);
            auto& spot = part.spots[at];
            if (disk > part.largest[at]) {
                spot.largest = file;
                part.largest[at] = disk;
            }
            ++spot.files;
            spot.hidden += tree.isHidden(file) ? 1 : 0;
            spot.disk += disk;
        }
    });
    field.spots = std::move(parts[0].spots);
    field.withoutSize = parts[0].withoutSize;
    for (std::size_t index = 1; index < parts.size(); ++index) {
        auto& part = parts[index];
        field.withoutSize += part.withoutSize;
        for (std::size_t at = 0; at < cells; ++at) {
            auto& spot = field.spots[at];
            const auto& more = part.spots[at];
            if (part.largest[at] > parts[0].largest[at]) {
                spot.largest = more.largest;
                parts[0].largest[at] = part.largest[at];
            }
            spot.files += more.files;
            spot.hidden += more.hidden;
            spot.disk += more.disk;
        }
    }
    return field;
}

} // namespace kurvo
