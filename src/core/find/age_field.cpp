// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/age_field.h"

#include <algorithm>
#include <cmath>

namespace kurvo {
namespace {

constexpr double youngest = 3600, oldest = 30.0 * 365 * 86400;
constexpr double smallest = 512, largest = 4.0 * 1024 * 1024 * 1024 * 1024;

double toPosition(double value, double least, double most)
{
    return std::clamp(std::log(std::max(value, least) / least) / std::log(most / least), 0.0, 1.0);
}

} // namespace

double ageToPosition(double seconds)
{
    return toPosition(seconds, youngest, oldest);
}

double positionToAge(double position)
{
    return youngest * std::pow(oldest / youngest, position);
}

double sizeToPosition(double bytes)
{
    return toPosition(bytes, smallest, largest);
}

double positionToSize(double position)
{
    return smallest * std::pow(largest / smallest, position);
}

AgeField ageField(const FileTree& tree, const std::vector<NodeId>& files, std::int64_t now)
{
    AgeField field;
    field.files = files.size();
    if (files.empty())
        return field;
    field.spots.resize(static_cast<std::size_t>(AgeField::columns) * AgeField::rows);
    for (const NodeId file : files) {
        const auto disk = tree.disk(file);
        if (disk == 0) {
            ++field.withoutSize;
            continue;
        }
        const auto cell = [](double position, int cells) {
            return std::min(static_cast<int>(position * cells), cells - 1);
        };
        const int column =
            cell(ageToPosition(static_cast<double>(now - tree.store().modified(file))), AgeField::columns);
        const int row = cell(sizeToPosition(static_cast<double>(disk)), AgeField::rows);
        auto& spot = field.spots[static_cast<std::size_t>(row) * AgeField::columns + static_cast<std::size_t>(column)];
        if (spot.largest == noNode || disk > tree.disk(spot.largest))
            spot.largest = file;
        ++spot.files;
        spot.hidden += tree.isHidden(file) ? 1 : 0;
        spot.disk += disk;
    }
    return field;
}

} // namespace kurvo
