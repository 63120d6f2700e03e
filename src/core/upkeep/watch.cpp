// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/watch.h"

#include <algorithm>

#include <fmt/format.h>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/compare/forecast.h"
#include "core/platform/folders.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {
namespace {

constexpr double aDay = 86400;

/// OpenMetrics 1.0, ABNF "escaped-string"; what is not UTF-8 cannot stand in it.
std::string labelText(const std::string& bytes)
{
    std::string text;
    for (const char c : displayText(bytes)) {
        if (c == '\\' || c == '"')
            text += '\\';
        text += c;
    }
    return text;
}

} // namespace

Watched watchDrive(const std::string& path, const std::string& folder, std::int64_t now)
{
    Watched watched;
    watched.place = path;
    struct Now {
        std::string mountPoint;
        Result<Capacity> capacity{Capacity{}};
        SnapshotInfo info;
    };
    const auto found = askWithin(std::chrono::seconds(10), [path]() -> Result<Now> {
        const auto real = canonicalPath(path);
        if (!real)
            return real.error();
        const auto mount = mountPointOf(*real);
        if (!mount)
            return mount.error();
        return Now{*mount, readCapacity(*mount), describePlace(*mount)};
    });
    if (!found || !*found || !(*found)->capacity) {
        watched.problem = !found    ? displayText(path) + " does not answer."
                          : !*found ? found->error().sentence
                                    : (*found)->capacity.error().sentence;
        return watched;
    }
    watched.place = (*found)->mountPoint;
    watched.capacity = *(*found)->capacity;
    const auto history = historyOf(snapshotsOf(folder, {}, (*found)->info), {});
    auto points = useOfDrive(history);
    watched.snapshots = points.size();
    points.push_back({now, watched.capacity.used}); // what is used now counts as well
    const auto trend = trendOf(points);
    if (!trend || !trend->isClear)
        return watched;
    watched.bytesADay = trend->perSecond * aDay;
    if (const auto full = whenFull(*trend, points, watched.capacity.used + watched.capacity.free))
        watched.daysLeft = std::max(0.0, static_cast<double>(full->full - now) / aDay);
    return watched;
}

std::string Watched::sentence() const
{
    const auto name = displayText(place);
    if (!problem.empty())
        return problem;
    const auto free = name + ": " + formatBytes(capacity.free) + " free";
    if (daysLeft)
        return free + fmt::format(", full in {:.0f} days", *daysLeft) + " (" + formatRate(*bytesADay / aDay) + ").";
    if (bytesADay && *bytesADay <= 0)
        return free + ", and it does not grow.";
    return free + (snapshots < 3 ? ", and too few snapshots to say how it grows." : ", and no clear trend.");
}

std::string watchedAsMetrics(const std::vector<Watched>& drives)
{
    std::string text;
    const auto family = [&](const char* name, const char* help, const auto& value) {
        text += fmt::format("# TYPE {0} gauge\n# HELP {0} {1}\n", name, help);
        for (const auto& drive : drives)
            if (const auto figure = value(drive))
                text += fmt::format("{}{{place=\"{}\"}} {:.0f}\n", name, labelText(drive.place), *figure);
    };
    using Figure = std::optional<double>;
    family("kurvo_drive_free_bytes", "What can still be written.", [](const Watched& drive) {
        return drive.problem.empty() ? Figure(static_cast<double>(drive.capacity.free)) : std::nullopt;
    });
    family("kurvo_drive_used_bytes", "What is used.", [](const Watched& drive) {
        return drive.problem.empty() ? Figure(static_cast<double>(drive.capacity.used)) : std::nullopt;
    });
    family("kurvo_drive_growth_bytes", "By how much it grows a day, where snapshots say so clearly.",
           [](const Watched& drive) { return drive.bytesADay; });
    family("kurvo_drive_full_seconds", "Until it is full, where snapshots say so clearly.",
           [](const Watched& drive) { return drive.daysLeft ? Figure(*drive.daysLeft * aDay) : std::nullopt; });
    return text + "# EOF\n";
}

} // namespace kurvo
