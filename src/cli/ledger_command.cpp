// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "cli/remote.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/ledger/ledger.h"

namespace kurvo::cli {
namespace {

std::string numberOrNull(const std::optional<std::uint64_t>& number)
{
    return number ? std::to_string(*number) : "null";
}

void printJson(const Ledger& ledger)
{
    const auto& c = ledger.capacity;
    fmt::print("{{\"mount_point\": {}, \"capacity_bytes\": {}, \"used_bytes\": {}, \"reserved_bytes\": {}, "
               "\"free_bytes\": {}, \"unexplained_bytes\": {}, \"excess_bytes\": {}, ",
               jsonText(ledger.mountPoint), c.total, c.used, c.reserved, c.free, ledger.unexplained, ledger.excess);
    if (ledger.inodes)
        fmt::print("\"inodes_used\": {}, \"inodes_found\": {}, ", ledger.inodes->used, ledger.inodes->found);
    fmt::print("\"lines\": [");
    for (std::size_t i = 0; i < ledger.lines.size(); ++i) {
        const auto& line = ledger.lines[i];
        fmt::print("{}{{\"part\": \"{}\", \"bytes\": {}, \"title\": {}, \"evidence\": {}, \"items\": [",
                   i == 0 ? "" : ", ", ledgerPartName(line.part), numberOrNull(line.bytes), jsonText(line.title),
                   jsonText(line.evidence));
        for (std::size_t k = 0; k < line.items.size(); ++k) {
            const auto& item = line.items[k];
            fmt::print("{}{{\"path\": {}, \"bytes\": {}, \"note\": {}}}", k == 0 ? "" : ", ", jsonText(item.path),
                       numberOrNull(item.bytes), jsonText(item.note));
        }
        fmt::print("]}}");
    }
    fmt::print("], \"outside\": [");
    for (std::size_t i = 0; i < ledger.outside.size(); ++i) {
        const auto& line = ledger.outside[i];
        fmt::print("{}{{\"kind\": \"{}\", \"bytes\": {}, \"title\": {}, \"evidence\": {}, \"command\": {}}}",
                   i == 0 ? "" : ", ", line.kind, numberOrNull(line.bytes), jsonText(line.title),
                   jsonText(line.evidence), line.command.empty() ? "null" : jsonText(line.command));
    }
    fmt::print("]}}\n");
}

void printText(const Ledger& ledger)
{
    const auto& c = ledger.capacity;
    constexpr std::size_t shown = 8;
    fmt::print("{}\n", displayText(ledger.mountPoint));
    fmt::print("{:>12}  capacity\n{:>12}  free\n{:>12}  reserved for the system\n{:>12}  used, of which\n",
               sizeText(c.total), sizeText(c.free), sizeText(c.reserved), sizeText(c.used));
    for (const auto& line : ledger.lines) {
        fmt::print("{:>12}  {}\n", line.bytes ? sizeText(*line.bytes) : "?", line.title);
        fmt::print("{:>12}  {}\n", "", line.evidence);
        for (std::size_t i = 0; i < std::min(shown, line.items.size()); ++i)
            fmt::print("{:>12}  {:>10}  {}  ({})\n", "", line.items[i].bytes ? sizeText(*line.items[i].bytes) : "",
                       displayText(line.items[i].path), line.items[i].note);
        if (line.items.size() > shown)
            fmt::print("{:>12}  {:>10}  and {} more\n", "", "", line.items.size() - shown);
    }
    if (!ledger.outside.empty())
        fmt::print("{:>12}  outside of what is used\n", "");
    for (const auto& line : ledger.outside) {
        fmt::print("{:>12}  {}\n{:>12}  {}\n", line.bytes ? sizeText(*line.bytes) : "?", line.title, "", line.evidence);
        if (!line.command.empty())
            fmt::print("{:>12}  $ {}\n", "", line.command);
    }
    if (ledger.inodes)
        fmt::print("{:>12}  inodes used, {} of them found\n", formatCount(ledger.inodes->used),
                   formatCount(ledger.inodes->found));
}

} // namespace

int runLedger(const std::string& place, bool json)
{
    if (const auto address = remoteAddress(place)) {
        const auto remote = scanRemoteWithProgress(*address);
        if (!remote) {
            complain(remote.error().sentence);
            return ExitFailed;
        }
        if (remote->info.ledger.empty()) {
            complain("The ledger is of a whole drive: " + displayText(remote->info.place) + " lies on " +
                     displayText(remote->info.mountPoint) + ".");
            return ExitFailed;
        }
        const auto ledger = ledgerFrom(remote->info.ledger, remote->info.mountPoint, remote->info.capacity);
        json ? printJson(ledger) : printText(ledger);
        return remote->result.unreadable > 0 || remote->result.stopped ? ExitIncomplete : ExitDone;
    }
    if (!answers(place))
        return ExitFailed;
    const auto mount = mountPointOf(place);
    if (!mount) {
        complain(mount.error().sentence);
        return ExitFailed;
    }
    const auto result = scanWithProgress(*mount, output().scan);
    if (!result) {
        complain(result.error().sentence);
        return ExitFailed;
    }
    const auto facts = readLedgerFacts(*mount);
    if (!facts) {
        complain(facts.error().sentence);
        return ExitFailed;
    }
    LedgerScan scan;
    scan.tree = result->tree.get();
    scan.unreadable = result->unreadableList;
    scan.unreadableCount = result->unreadable;
    scan.partial = result->stopped;
    scan.excluded = output().scan.exclude;
    const auto ledger = writeLedger(scan, *facts);
    if (json)
        printJson(ledger);
    else
        printText(ledger);
    return result->unreadable > 0 || result->stopped ? ExitIncomplete : ExitDone;
}

} // namespace kurvo::cli
