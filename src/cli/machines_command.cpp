// SPDX-License-Identifier: GPL-3.0-or-later
// machines: snapshots of all that one looks after, and a table of them.
#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <mutex>
#include <set>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/team.h"
#include "core/base/text.h"
#include "core/compare/comparison.h"
#include "core/compare/forecast.h"
#include "core/platform/own_data.h"
#include "core/remote/machines.h"
#include "core/remote/ssh_scan.h"
#include "core/report/machine_table.h"
#include "core/snapshot/catalogue.h"

namespace kurvo::cli {
namespace {

struct Asked {
    Machine machine;
    std::string place;
};

std::string bookFile()
{
    return joinPath(ownDataFolder(userFolders()), "machines.json");
}

/// Reads the list and chooses; nothing, with a word, where there is none. `status` gets 1 for a mistake in it.
std::optional<std::vector<Asked>> askedFor(const MachineArguments& arguments, int& status)
{
    const auto file =
        arguments.list.empty() ? joinPath(withCarried(userFolders()).config, "kurvo/machines.toml") : arguments.list;
    const auto list = readMachines(file);
    if (!list) {
        complain(list.error().kind == ErrorKind::NotFound ? "There is no list of machines: " + displayText(file) +
                                                                " is to be written. \"kurvoctl help machines\" "
                                                                "says how."
                                                          : list.error().sentence);
        return std::nullopt;
    }
    for (const auto& problem : list->problems) {
        complain(problem);
        status = ExitIncomplete;
    }
    std::vector<Asked> asked;
    std::set<std::string> known;
    for (const auto& machine : list->machines) {
        known.insert(machine.name);
        const bool named = arguments.names.empty() || std::find(arguments.names.begin(), arguments.names.end(),
                                                                machine.name) != arguments.names.end();
        if (named && (arguments.tag.empty() || machine.hasTag(arguments.tag)))
            for (const auto& place : machine.places)
                asked.push_back({machine, place});
    }
    for (const auto& name : arguments.names)
        if (!known.contains(name)) {
            complain("There is no machine named " + displayText(name) + " in " + displayText(file) + ".");
            status = ExitIncomplete;
        }
    return asked;
}

/// The folder or file that most was added to since.
void noteGrowth(MachinePlace& known, const std::vector<CatalogueEntry>& before, const RemoteScan& scan)
{
    known.grewMost.clear();
    known.grewBytes = 0;
    const auto* entry = wholeBefore(before, scan.info);
    if (!entry || scan.info.partial)
        return;
    const auto then = readSnapshot(entry->path);
    if (!then)
        return;
    const auto compared = Comparison::make(scan.result.tree, then->tree, compareOptions(scan.info, then->info));
    for (const auto& line : changeList(*compared))
        if (line.delta > known.grewBytes) {
            known.grewBytes = line.delta;
            known.grewMost = compared->tree()->path(line.node);
        }
}

/// Takes one; the catalogue and the book are changed by one at a time.
void takeOne(const Asked& asked, const std::string& folder, MachineBook& book, std::mutex& mutex, std::stop_token stop)
{
    auto address = asked.machine.address;
    address.path = asked.place;
    RemoteWish wish;
    wish.scan = output().scan;
    wish.scan.exclude.insert(wish.scan.exclude.end(), asked.machine.exclude.begin(), asked.machine.exclude.end());
    wish.scan.crossMounts |= asked.machine.crossMounts;
    wish.rights = asked.machine.sudo;
    wish.asks = false;
    wish.maySend = [&](const std::string&) { return asked.machine.sendScanner || output().sendScanner; };
    UniqueFd said(::memfd_create("kurvo-said", MFD_CLOEXEC));
    wish.said = said.get();
    auto scan = scanOverSsh(address, wish, stop, nullptr);
    const std::lock_guard lock(mutex);
    auto& known = book[{asked.machine.name, asked.place}];
    known.tried = currentTime();
    const auto fail = [&](const std::string& sentence) {
        known.failed = sentence;
        complain(displayText(asked.machine.name) + ": " + sentence);
    };
    if (!scan) {
        const auto word = lastLineOf(said.get());
        const bool lost = scan.error().kind == ErrorKind::Damaged || scan.error().kind == ErrorKind::NoPermission;
        return fail(lost && !word.empty() ? word : scan.error().sentence);
    }
    const auto before = snapshotsOf(folder, {}, scan->info);
    noteGrowth(known, before, *scan);
    const auto saved = addSnapshot(folder, scan->info, *scan->result.tree);
    if (!saved)
        return fail(saved.error().sentence);
    known.failed.clear();
    known.snapshot = *saved;
    known.taken = scan->info.taken;
    if (!output().quiet)
        fmt::print("{:<16} {:>10}  {}\n", displayText(asked.machine.name),
                   sizeText(scan->info.diskBytes == 0 ? scan->result.tree->disk(rootNode) : scan->info.diskBytes),
                   displayText(*saved));
}

void print(const MachineRow& row, bool json)
{
    const auto numberOrNull = [](const auto& number) { return number ? std::to_string(*number) : std::string("null"); };
    if (json) {
        fmt::print(
            "{{\"machine\": {}, \"place\": {}, \"taken\": {}, \"file\": {}, \"used_bytes\": {}, \"free_bytes\": {}, "
            "\"since_last_bytes\": {}, \"full\": {}, \"grew_most\": {}, \"grew_bytes\": {}, \"failed\": {}, "
            "\"tried\": {}}}\n",
            jsonText(row.machine->name), jsonText(row.place), row.known.taken,
            row.known.snapshot.empty() ? "null" : jsonText(row.known.snapshot),
            row.info ? std::to_string(row.info->capacity.used) : "null",
            row.info ? std::to_string(row.info->capacity.free) : "null", numberOrNull(row.sinceLast),
            numberOrNull(row.full), row.known.grewMost.empty() ? "null" : jsonText(row.known.grewMost),
            row.known.grewBytes, row.known.failed.empty() ? "null" : jsonText(row.known.failed), row.known.tried);
        return;
    }
    const auto now = currentTime();
    fmt::print(
        "{:<16} {:<14} {:>10} {:>10} {:>11}  {:<16} {}\n", displayText(row.machine->name), displayText(row.place),
        row.info ? sizeText(row.info->capacity.used) : "not known", row.info ? sizeText(row.info->capacity.free) : "",
        row.sinceLast ? differenceText(*row.sinceLast) : "", row.full ? formatAhead(*row.full, now) : "",
        row.known.grewMost.empty() ? std::string()
                                   : differenceText(row.known.grewBytes) + " " + displayText(row.known.grewMost));
    if (!row.known.failed.empty())
        fmt::print("{:<16} {}\n", "",
                   inked("failed " + formatTime(row.known.tried).substr(0, 16) + ": " + displayText(row.known.failed),
                         Ink::Hidden));
}

} // namespace

int runMachinesTake(const MachineArguments& arguments)
{
    int status = ExitDone;
    const auto asked = askedFor(arguments, status);
    if (!asked)
        return ExitFailed;
    const auto folder = snapshotsFolder(arguments.folder);
    if (const auto made = makeFolders(folder); !made) {
        complain(made.error().sentence);
        return ExitFailed;
    }
    if (const auto made = makeFolders(std::string(parentPath(bookFile()))); !made) {
        complain(made.error().sentence);
        return ExitFailed;
    }
    auto book = readMachineBook(bookFile());
    std::mutex mutex;
    std::atomic<std::size_t> next{0};
    std::size_t done = 0;
    runInterruptible(
        [&](std::stop_token stop) {
            inTeam(std::min(arguments.atOnce, std::max<std::size_t>(asked->size(), 1)), [&] {
                for (auto i = next++; i < asked->size() && !stop.stop_requested(); i = next++) {
                    takeOne((*asked)[i], folder, book, mutex, stop);
                    const std::lock_guard lock(mutex);
                    ++done;
                    (void)writeMachineBook(bookFile(), book); // so that a kill loses one at the most
                }
            });
        },
        [&] { return fmt::format("{} of {} machines' places", done, asked->size()); });
    if (const auto written = writeMachineBook(bookFile(), book); !written) {
        complain(written.error().sentence);
        return ExitFailed;
    }
    std::size_t failed = 0;
    for (const auto& one : *asked)
        failed += book[{one.machine.name, one.place}].failed.empty() ? 0 : 1;
    if (failed > 0)
        remark(fmt::format("{} of {} failed; \"kurvoctl machines\" says why.", failed, asked->size()));
    return failed > 0 ? ExitIncomplete : status;
}

int runMachines(const MachineArguments& arguments)
{
    int status = ExitDone;
    const auto asked = askedFor(arguments, status);
    if (!asked)
        return ExitFailed;
    const auto book = readMachineBook(bookFile());
    const auto catalogue = readCatalogue(snapshotsFolder(arguments.folder));
    if (!arguments.json)
        fmt::print("{}\n", inked(fmt::format("{:<16} {:<14} {:>10} {:>10} {:>11}  {:<16} {}", "machine", "place",
                                             "used", "free", "since last", "full", "grew most"),
                                 Ink::Second));
    for (const auto& one : *asked) {
        const auto row = machineRow(one.machine, one.place, book, catalogue);
        print(row, arguments.json);
        status = row.known.failed.empty() ? status : static_cast<int>(ExitIncomplete);
    }
    return status;
}

} // namespace kurvo::cli
