// SPDX-License-Identifier: GPL-3.0-or-later
// snapshot, history and forecast: what was kept, and what it says of the time in between.
#include <sys/resource.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "cli/remote.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/compare/place_history.h"
#include "core/ledger/ledger.h"
#include "core/platform/atomic_file.h"
#include "core/platform/own_data.h"
#include "core/platform/user_file.h"
#include "core/report/place_report.h"
#include "core/snapshot/catalogue.h"
#include "core/snapshot/listing.h"

namespace kurvo::cli {
namespace {

/// Gives way to everybody: idle I/O class, lowest priority.
void bePolite()
{
    (void)::setpriority(PRIO_PROCESS, 0, 19);
    constexpr int whoProcess = 1, idleClass = 3, classShift = 13; // linux/ioprio.h, which is no C++ everywhere
    (void)::syscall(SYS_ioprio_set, whoProcess, 0, idleClass << classShift);
}

/// A mains supply is there and none of them gives power.
bool isOnBattery()
{
    bool mains = false, online = false;
    std::error_code error;
    for (const auto& supply : std::filesystem::directory_iterator("/sys/class/power_supply", error)) {
        std::string type, state;
        std::ifstream(supply.path() / "type") >> type;
        if (type != "Mains" && type != "USB")
            continue;
        std::ifstream(supply.path() / "online") >> state;
        mains = true;
        online = online || state == "1";
    }
    return mains && !online;
}

/// A snapshot file: a path, or the name of one in the catalogue.
std::string snapshotAt(const std::string& folder, const std::string& name)
{
    const auto kept = joinPath(folder, name);
    return name.find('/') == name.npos && ::access(name.c_str(), F_OK) != 0 && ::access(kept.c_str(), F_OK) == 0 ? kept
                                                                                                                 : name;
}

void printEntry(const CatalogueEntry& entry, bool json)
{
    const auto& info = entry.info;
    if (json)
        fmt::print(
            "{{\"file\": {}, \"place\": {}, \"host\": {}, \"taken\": {}, \"entries\": {}, \"disk_bytes\": {}, "
            "\"used_bytes\": {}, \"file_bytes\": {}, \"partial\": {}, \"whole\": {}, \"pinned\": {}, \"name\": {}, "
            "\"note\": {}}}\n",
            jsonText(entry.path), jsonText(info.place), jsonText(info.host), info.taken, info.entries, info.diskBytes,
            info.capacity.used, entry.bytes, info.partial, info.baseId.empty(), entry.about.pinned,
            jsonText(entry.about.name), jsonText(entry.about.note));
    else
        fmt::print("{}  {:>10}  {:>9}{}{}  {}  {}{}{}\n", formatTime(info.taken).substr(0, 16),
                   sizeText(info.diskBytes), sizeText(entry.bytes), info.baseId.empty() ? " " : "+",
                   entry.about.pinned ? "pinned" : "      ", displayText(fileName(entry.path)), displayText(info.place),
                   info.partial ? "  (partial)" : "", entry.about.name.empty() ? "" : "  \"" + entry.about.name + "\"");
}

/// The snapshots of the place that has `path`, and what of it lies below; the innermost place that has any.
std::vector<CatalogueEntry> entriesFor(const Catalogue& catalogue, const std::string& path, std::string& below)
{
    const CatalogueEntry* best = nullptr;
    for (const auto& entry : catalogue.entries)
        if (isAtOrBelow(path, entry.info.place) &&
            (!best || snapshotsOf(catalogue, entry.info).size() > snapshotsOf(catalogue, best->info).size()))
            best = &entry;
    if (!best)
        return {};
    below = path.substr(std::min(path.size(), best->info.place.size()));
    while (below.starts_with('/'))
        below.erase(0, 1);
    return snapshotsOf(catalogue, best->info);
}

} // namespace

int runSnapshotTake(const SnapshotArguments& arguments)
{
    if (arguments.polite) {
        if (isOnBattery()) {
            fmt::print("On battery: no snapshot is taken now.\n");
            return ExitDone;
        }
        bePolite();
    }
    int status = ExitDone;
    for (const auto& path : arguments.paths) {
        if (const auto address = remoteAddress(path)) {
            const auto remote = scanRemoteWithProgress(*address);
            if (!remote)
                return failed(remote.error());
            const auto saved = addSnapshot(snapshotsFolder(arguments.folder), remote->info, *remote->result.tree);
            if (!saved)
                return failed(saved.error());
            fmt::print("{}\n", displayText(*saved));
            if (remote->result.unreadable > 0 || remote->result.stopped)
                status = ExitIncomplete;
            continue;
        }
        if (!answers(path))
            return ExitFailed;
        auto options = output().scan;
        options.background = arguments.polite;
        options.threads = arguments.polite ? 1 : options.threads;
        auto result = scanWithProgress(path, options);
        if (!result)
            return failed(result.error());
        auto info = describeScan(*result);
        info.crossMounts = options.crossMounts;
        info.exclude = options.exclude;
        if (info.place == info.mountPoint && !arguments.polite)
            info.ledger = ledgerFigures({result->tree.get(), result->unreadableList, result->unreadable,
                                         result->stopped, true, info.exclude, 0},
                                        info.mountPoint, info.capacity);
        const auto saved = addSnapshot(snapshotsFolder(arguments.folder), info, *result->tree);
        if (!saved)
            return failed(saved.error());
        fmt::print("{}\n", displayText(*saved));
        if (result->unreadable > 0 || result->stopped)
            status = ExitIncomplete;
    }
    return status;
}

int runSnapshotList(const SnapshotArguments& arguments, bool json)
{
    const auto folder = snapshotsFolder(arguments.folder);
    if (const auto there = catalogueIsThere(folder); !there) {
        if (arguments.folder.empty() && there.error().kind == ErrorKind::NotFound && !json) {
            fmt::print("{}\n", there.error().sentence);
            return ExitDone;
        }
        return failed(there.error());
    }
    const auto catalogue = readCatalogue(folder);
    std::uint64_t bytes = 0;
    for (const auto& entry : catalogue.entries) {
        if (!arguments.paths.empty() && entry.info.place != arguments.paths.front())
            continue;
        printEntry(entry, json);
        bytes += entry.bytes;
    }
    if (!json)
        fmt::print("{}, {}{}\n", formatItems(catalogue.entries.size(), "snapshot"), sizeText(bytes),
                   bytesOfBases(folder) > 0
                       ? ", and " + sizeText(bytesOfBases(folder)) + " that others are packed against"
                       : "");
    for (const auto& error : catalogue.damaged)
        complain(error.sentence);
    return catalogue.damaged.empty() ? ExitDone : ExitIncomplete;
}

int runSnapshotVerify(const SnapshotArguments& arguments)
{
    auto files = arguments.paths;
    const auto folder = snapshotsFolder(arguments.folder);
    int status = ExitDone;
    if (files.empty()) {
        if (const auto there = catalogueIsThere(folder); !there)
            return failed(there.error());
        const auto catalogue = readCatalogue(folder);
        for (const auto& entry : catalogue.entries)
            files.push_back(entry.path);
        for (const auto& error : catalogue.damaged) {
            complain(error.sentence);
            status = ExitIncomplete;
        }
    }
    for (const auto& file : files) {
        const auto path = snapshotAt(folder, file);
        const auto read = readSnapshot(path);
        if (read)
            fmt::print("good  {}\n", displayText(path));
        else
            complain(read.error().sentence);
        status = read ? status : static_cast<int>(ExitIncomplete);
    }
    return status;
}

int runSnapshotPrune(const SnapshotArguments& arguments)
{
    const auto folder = snapshotsFolder(arguments.folder);
    if (const auto there = catalogueIsThere(folder); !there)
        return failed(there.error());
    const auto keeping = readKeeping(folder);
    if (!keeping)
        return failed(keeping.error());
    const auto catalogue = readCatalogue(folder);
    std::vector<CatalogueEntry> seen;
    for (const auto& entry : catalogue.entries) {
        if (std::any_of(seen.begin(), seen.end(),
                        [&](const auto& other) { return isOnePlace(other.info, entry.info); }))
            continue;
        seen.push_back(entry);
        for (const auto& gone : superfluous(snapshotsOf(catalogue, entry.info), keeping->of(entry.info.place))) {
            fmt::print("{}  {}\n", arguments.dryRun ? "would go" : "removed ", displayText(gone.path));
            if (!arguments.dryRun)
                if (auto removed = removeSnapshot(gone.path); !removed)
                    return failed(removed.error());
        }
    }
    return ExitDone;
}

namespace {

/// What comes by standard input is kept in a hidden file until all of it has come.
Result<std::string> importFromPipe(const std::string& folder)
{
    if (const auto made = makeFolders(folder); !made)
        return made.error();
    const auto path = joinPath(folder, fmt::format(".incoming-{}", ::getpid()));
    auto file = AtomicFile::create(path);
    if (!file)
        return file.error();
    std::vector<char> bytes(1 << 20);
    for (;;) {
        const auto n = ::read(STDIN_FILENO, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return systemError("read", "standard input", errno);
        if (n == 0)
            break;
        file->write(bytes.data(), static_cast<std::size_t>(n));
    }
    if (const auto done = file->commit(); !done)
        return done.error();
    auto imported = importSnapshot(folder, path);
    (void)::unlink(path.c_str());
    if (!imported) { // nobody knows it by that name
        auto error = imported.error();
        if (const auto at = error.sentence.find(displayText(path)); at != error.sentence.npos)
            error.sentence.replace(at, displayText(path).size(), "Standard input");
        return error;
    }
    return imported;
}

} // namespace

int runSnapshotImport(const SnapshotArguments& arguments)
{
    for (const auto& file : arguments.paths) {
        const auto imported = file == "-" ? importFromPipe(snapshotsFolder(arguments.folder))
                                          : importSnapshot(snapshotsFolder(arguments.folder), file);
        if (!imported)
            return failed(imported.error());
        fmt::print("{}\n", displayText(*imported));
    }
    return ExitDone;
}

int runSnapshotExport(const SnapshotArguments& arguments, const std::string& to, bool force)
{
    const auto existing = mayWrite(to, "a snapshot", force, beginsAsSnapshot);
    if (!existing)
        return failed(existing.error());
    const auto done =
        exportSnapshot(snapshotAt(snapshotsFolder(arguments.folder), arguments.paths.front()), to, *existing);
    return done ? ExitDone : failed(done.error());
}

int runSnapshotRemove(const SnapshotArguments& arguments)
{
    const auto folder = snapshotsFolder(arguments.folder);
    const auto user = userFolders();
    const auto whole = canonicalPath(folder);
    if (!whole)
        return failed(whole.error());
    for (const auto& file : arguments.paths) {
        // Of the catalogue, whatever lies in the current folder under that name.
        const auto path = file.find('/') == file.npos ? joinPath(*whole, file) : file;
        if (const auto trashed = trashSnapshot(*whole, path, user); !trashed)
            return failed(trashed.error());
        fmt::print("{} is in the trash.\n", displayText(path));
    }
    return ExitDone;
}

int runSnapshotAbout(const SnapshotArguments& arguments, const std::optional<std::string>& name,
                     const std::optional<std::string>& note, std::optional<bool> pinned)
{
    const auto folder = snapshotsFolder(arguments.folder);
    const auto path = snapshotAt(folder, arguments.paths.front());
    for (const auto& entry : readCatalogue(std::string(parentPath(path))).entries)
        if (entry.path == path) {
            auto about = entry.about;
            about.name = name.value_or(about.name);
            about.note = note.value_or(about.note);
            about.pinned = pinned.value_or(about.pinned);
            const auto written = writeAbout(path, about);
            return written ? ExitDone : failed(written.error());
        }
    complain(displayText(path) + " is no snapshot of the catalogue.");
    return ExitFailed;
}

int runExport(const std::string& source, const std::string& format)
{
    const auto loaded = loadSource(source);
    if (!loaded)
        return failed(loaded.error());
    const auto sink = [](const char* bytes, std::size_t size) { std::fwrite(bytes, 1, size, stdout); };
    if (format == "html") {
        const auto rules = readUserRules(withCarried(userFolders()).config).book;
        const auto page =
            placeAsHtml(loaded->info, *loaded->tree, adviseTree(rules, *loaded->tree), leadsOf(*loaded, source, {}));
        sink(page.data(), page.size());
    } else {
        writeListing(sink, loaded->info, *loaded->tree,
                     format == "csv" ? ListingFormat::Csv : ListingFormat::JsonLines);
    }
    if (std::fflush(stdout) != 0 || std::ferror(stdout) != 0) {
        complain("The listing could not be written to its end.");
        return ExitFailed;
    }
    return loaded->finish();
}

int runHistory(const std::string& path, const std::string& folder, bool json)
{
    std::string below;
    const auto entries = entriesFor(readCatalogue(snapshotsFolder(folder)), path, below);
    if (entries.empty()) {
        complain("There is no snapshot of a place that has " + displayText(path) + ".");
        return ExitFailed;
    }
    PlaceHistory history;
    runInterruptible([&](std::stop_token stop) { history = historyOf(entries, {below}, stop); },
                     [] { return std::string("reading"); });
    std::optional<std::uint64_t> before;
    for (const auto& point : history.points) {
        const auto& figures = point.figures.front();
        if (json) {
            fmt::print("{{\"taken\": {}, \"file\": {}, \"partial\": {}, ", point.info.taken, jsonText(point.file),
                       point.info.partial);
            if (figures)
                fmt::print("\"disk_bytes\": {}, \"apparent_bytes\": {}, \"files\": {}}}\n", figures->disk,
                           figures->apparent, figures->files);
            else
                fmt::print("\"disk_bytes\": null, \"apparent_bytes\": null, \"files\": null}}\n");
            continue;
        }
        const auto bytes = point.bytes(0);
        const auto change =
            before && bytes ? static_cast<std::int64_t>(*bytes) - static_cast<std::int64_t>(*before) : 0;
        fmt::print("{}  {:>10}  {:>11}{}\n", formatTime(point.info.taken).substr(0, 16),
                   figures ? sizeText(figures->disk)
                   : bytes ? "not there"
                           : "not seen",
                   change == 0 ? "" : differenceText(change), point.info.partial ? "  partial" : "");
        if (!point.info.partial && bytes)
            before = bytes;
    }
    if (!json)
        if (const auto trend = trendOf(useOfPath(history, 0)); trend && trend->isClear)
            fmt::print("{}\n", formatRate(trend->perSecond));
    for (const auto& problem : history.problems)
        complain(problem.sentence);
    return history.problems.empty() ? ExitDone : ExitIncomplete;
}

int runForecast(const std::string& path, const std::string& folder, bool json)
{
    std::string below;
    const auto entries = entriesFor(readCatalogue(snapshotsFolder(folder)), path, below);
    if (entries.empty()) {
        complain("There is no snapshot of a place that has " + displayText(path) + ".");
        return ExitFailed;
    }
    const auto history = historyOf(entries, {below});
    const auto now = currentTime();
    // A folder fills the drive when what is free is used up by it alone.
    const bool isDrive = below.empty() && entries.front().info.place == entries.front().info.mountPoint;
    auto points = isDrive ? useOfDrive(history) : useOfPath(history, 0);
    auto capacity = history.points.empty() ? 0 : history.points.back().info.capacity.free;
    capacity += points.empty() ? 0 : points.back().bytes;
    const auto trend = trendOf(points);
    std::optional<Forecast> full;
    if (trend)
        full = whenFull(*trend, points, capacity);
    if (json) {
        const auto number = [](std::int64_t value) { return value == 0 ? std::string("null") : std::to_string(value); };
        fmt::print("{{\"path\": {}, \"snapshots\": {}, \"clear\": {}, \"bytes_a_day\": {}, \"least_bytes_a_day\": {}, "
                   "\"most_bytes_a_day\": {}, \"full\": {}, \"earliest\": {}, \"latest\": {}}}\n",
                   jsonText(path), points.size(), trend && trend->isClear,
                   trend ? std::to_string(std::llround(trend->perSecond * 86400)) : "null",
                   trend ? std::to_string(std::llround(trend->least * 86400)) : "null",
                   trend ? std::to_string(std::llround(trend->most * 86400)) : "null", number(full ? full->full : 0),
                   number(full ? full->earliest : 0), number(full ? full->latest : 0));
        return ExitDone;
    }
    if (!trend)
        fmt::print("There are {} since the last clean-up: too few for a trend.\n",
                   formatItems(points.size(), "snapshot"));
    else if (!trend->isClear)
        fmt::print("No clear trend in {}.\n", formatItems(points.size() - trend->from, "snapshot"));
    else
        fmt::print("{}\n", formatRate(trend->perSecond));
    if (full)
        fmt::print("Full around {}{} ({} to {})\n", formatTime(full->full).substr(0, 10),
                   full->full > now ? ", " + formatAhead(full->full, now) : "",
                   formatTime(full->earliest).substr(0, 10),
                   full->latest == 0 ? "who knows when" : formatTime(full->latest).substr(0, 10));
    return ExitDone;
}

} // namespace kurvo::cli
