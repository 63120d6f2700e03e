// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/report/machine_table.h"

#include <algorithm>

#include "core/compare/forecast.h"
#include "core/compare/place_history.h"

namespace kurvo {

MachineRow machineRow(const Machine& machine, const std::string& place, const MachineBook& book,
                      const Catalogue& catalogue)
{
    MachineRow row;
    row.machine = &machine;
    row.place = place;
    const auto known = book.find({machine.name, place});
    if (known == book.end())
        return row;
    row.known = known->second;
    const auto entry = std::find_if(catalogue.entries.begin(), catalogue.entries.end(),
                                    [&](const CatalogueEntry& one) { return one.path == row.known.snapshot; });
    if (entry == catalogue.entries.end())
        return row;
    row.info = entry->info;
    const auto all = snapshotsOf(catalogue, entry->info);
    for (const auto& one : all)
        if (one.info.taken < entry->info.taken && !one.info.partial) {
            row.sinceLast = static_cast<std::int64_t>(entry->info.capacity.used) -
                            static_cast<std::int64_t>(one.info.capacity.used);
            break;
        }
    const auto points = useOfDrive(historyOf(all, {""}));
    if (const auto trend = trendOf(points))
        if (const auto forecast = whenFull(*trend, points, entry->info.capacity.used + entry->info.capacity.free))
            row.full = forecast->full;
    return row;
}

} // namespace kurvo
