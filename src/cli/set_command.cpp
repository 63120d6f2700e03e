// SPDX-License-Identifier: GPL-3.0-or-later
// set: places that are looked at together, under a name.
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/compare/joint_history.h"
#include "core/platform/folders.h"
#include "core/snapshot/place_sets.h"

namespace kurvo::cli {
namespace {

/// A place that is here, or that there are snapshots of.
Result<SnapshotInfo> placeNamed(const std::string& path, const Catalogue& catalogue)
{
    if (const auto whole = canonicalPath(path))
        return describePlace(*whole);
    for (const auto& entry : catalogue.entries)
        if (entry.info.place == path)
            return entry.info;
    return Error{ErrorKind::NotFound, path, 0, displayText(path) + " is not here, and there is no snapshot of it."};
}

/// The set of that name, or nothing and the reason on stderr.
std::optional<PlaceSet> setCalled(const SetArguments& arguments)
{
    const auto sets = readSets(snapshotsFolder(arguments.folder));
    if (!sets) {
        complain(sets.error().sentence);
        return std::nullopt;
    }
    if (const auto* set = setNamed(*sets, arguments.name))
        return *set;
    std::string known;
    for (const auto& set : *sets)
        known += (known.empty() ? "" : ", ") + set.name;
    complain("There is no set named \"" + displayText(arguments.name) + "\"." +
             (known.empty() ? " None is kept yet." : " There are: " + known + "."));
    return std::nullopt;
}

std::vector<JointPoint> historyOf(const PlaceSet& set, const Catalogue& catalogue)
{
    std::vector<std::vector<CatalogueEntry>> ofEach;
    for (const auto& place : set.places)
        ofEach.push_back(snapshotsOf(catalogue, place));
    return jointHistory(ofEach, set.name);
}

std::string nameOf(const SnapshotInfo& place)
{
    return displayText(place.placeName.empty() ? place.place : place.placeName);
}

int done(const Result<Done>& outcome)
{
    return outcome ? static_cast<int>(ExitDone) : failed(outcome.error());
}

void printAsJson(const PlaceSet& set, const JointPoint& point)
{
    std::string places;
    for (std::size_t i = 0; i < set.places.size(); ++i) {
        const auto& scan = point.scans[i];
        places +=
            fmt::format("{}{{\"place\": {}, \"taken\": {}, \"used_bytes\": {}, \"disk_bytes\": {}, \"file\": {}}}",
                        i == 0 ? "" : ", ", jsonText(set.places[i].place), scan.info.taken, usedOf(scan.info),
                        scan.info.diskBytes, jsonText(scan.path));
    }
    fmt::print("{{\"taken\": {}, \"used_bytes\": {}, \"free_bytes\": {}, \"disk_bytes\": {}, \"places\": [{}]}}\n",
               point.info.taken, usedOf(point.info), point.info.capacity.free, point.info.diskBytes, places);
}

} // namespace

int runSetList(const SetArguments& arguments, bool json)
{
    const auto folder = snapshotsFolder(arguments.folder);
    const auto sets = readSets(folder);
    if (!sets)
        return failed(sets.error());
    const auto catalogue = readCatalogue(folder);
    for (const auto& set : *sets) {
        const auto points = historyOf(set, catalogue);
        std::string places;
        for (const auto& place : set.places)
            places += (places.empty() ? "" : ", ") + (json ? jsonText(place.place) : nameOf(place));
        if (json)
            fmt::print("{{\"name\": {}, \"places\": [{}], \"points\": {}, \"taken\": {}}}\n", jsonText(set.name),
                       places, points.size(), points.empty() ? "null" : std::to_string(points.back().info.taken));
        else
            fmt::print("{}: {}. {}\n", set.name, places,
                       points.empty() ? "Not all of it was scanned."
                                      : fmt::format("Last scanned {}, {} used.",
                                                    formatTime(points.back().info.taken).substr(0, 16),
                                                    sizeText(usedOf(points.back().info))));
    }
    if (sets->empty() && !json)
        fmt::print("No set is kept yet: kurvoctl set keep NAME PLACE PLACE...\n");
    return ExitDone;
}

int runSetKeep(const SetArguments& arguments)
{
    const auto folder = snapshotsFolder(arguments.folder);
    const auto catalogue = readCatalogue(folder);
    PlaceSet set{arguments.name, {}};
    for (const auto& path : arguments.places) {
        if (!answers(path))
            return ExitFailed;
        auto place = placeNamed(path, catalogue);
        if (!place)
            return failed(place.error());
        set.places.push_back(std::move(*place));
    }
    return done(keepSet(folder, std::move(set)));
}

int runSetRename(const SetArguments& arguments, const std::string& to)
{
    return setCalled(arguments) ? done(renameSet(snapshotsFolder(arguments.folder), arguments.name, to))
                                : static_cast<int>(ExitFailed);
}

int runSetRemove(const SetArguments& arguments)
{
    return setCalled(arguments) ? done(removeSet(snapshotsFolder(arguments.folder), arguments.name))
                                : static_cast<int>(ExitFailed);
}

int runSetTake(const SetArguments& arguments, bool polite)
{
    const auto set = setCalled(arguments);
    if (!set)
        return ExitFailed;
    SnapshotArguments take;
    take.folder = arguments.folder;
    take.polite = polite;
    const auto places = whereIs(*set, {});
    bool isWhole = true;
    for (std::size_t i = 0; i < places.size(); ++i)
        if (!places[i].path.empty()) {
            take.paths.push_back(places[i].path);
        } else {
            isWhole = false;
            complain(nameOf(set->places[i]) + " is not here; the others are scanned.");
        }
    if (take.paths.empty())
        return ExitFailed;
    const int status = runSnapshotTake(take);
    return status == ExitDone && !isWhole ? static_cast<int>(ExitIncomplete) : status;
}

int runSetFiles(const SetArguments& arguments)
{
    const auto set = setCalled(arguments);
    if (!set)
        return ExitFailed;
    const auto catalogue = readCatalogue(snapshotsFolder(arguments.folder));
    int status = ExitDone;
    for (const auto& place : set->places) {
        const CatalogueEntry* newest = nullptr;
        const auto all = snapshotsOf(catalogue, place);
        for (const auto& entry : all)
            if (!entry.info.partial && (!newest || entry.info.taken > newest->info.taken))
                newest = &entry;
        if (newest) {
            fmt::print("{}\n", newest->path);
        } else {
            complain("There is no snapshot of " + nameOf(place) + ".");
            status = ExitIncomplete;
        }
    }
    return status;
}

int runSetHistory(const SetArguments& arguments, bool json)
{
    const auto set = setCalled(arguments);
    if (!set)
        return ExitFailed;
    const auto points = historyOf(*set, readCatalogue(snapshotsFolder(arguments.folder)));
    if (points.empty()) {
        complain("There is no time at which all of " + set->name + " had been scanned.");
        return ExitFailed;
    }
    std::optional<std::uint64_t> before;
    for (const auto& point : points) {
        if (json) {
            printAsJson(*set, point);
            continue;
        }
        const auto used = usedOf(point.info);
        const auto change = static_cast<std::int64_t>(used) - static_cast<std::int64_t>(before.value_or(used));
        std::string apart;
        for (std::size_t i = 0; i < set->places.size(); ++i)
            apart += fmt::format("  {} {}{}", nameOf(set->places[i]), sizeText(usedOf(point.scans[i].info)),
                                 point.isOlder[i] ? " (" + formatTime(point.scans[i].info.taken).substr(0, 10) + ")"
                                                  : std::string());
        fmt::print("{}  {:>10}  {:>11}{}\n", formatTime(point.info.taken).substr(0, 16), sizeText(used),
                   change == 0 ? "" : differenceText(change), apart);
        before = used;
    }
    if (!json)
        if (const auto trend = trendOf(useOfDrive(asPlaceHistory(points))); trend && trend->isClear)
            fmt::print("{}\n", formatRate(trend->perSecond));
    return ExitDone;
}

} // namespace kurvo::cli
