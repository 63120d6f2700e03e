// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "cli/remote.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/platform/user_file.h"

namespace kurvo::cli {
namespace {

void printJson(const ScanResult& result)
{
    const auto& sums = result.tree->sums(rootNode);
    fmt::print("{{\"path\": {}, \"files\": {}, \"folders\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}, "
               "\"hidden_files\": {}, \"hidden_disk_bytes\": {}, \"unreadable\": {}, \"partial\": {}, "
               "\"elapsed_seconds\": {:.3f}, \"method\": \"{}\", \"method_reason\": {}}}\n",
               jsonText(result.tree->path(rootNode)), sums.files, sums.folders, sums.apparent, sums.disk,
               sums.hiddenFiles, sums.hiddenDisk, result.unreadable, result.stopped, result.seconds,
               result.direct ? "tables" : "walk", jsonText(result.methodReason));
}

void printText(const ScanResult& result)
{
    const auto& sums = result.tree->sums(rootNode);
    fmt::print("{}\n", displayText(result.tree->path(rootNode)));
    fmt::print("  on disk   {:>10}   ({} bytes)\n", sizeText(sums.disk), formatCount(sums.disk));
    fmt::print("  apparent  {:>10}\n", sizeText(sums.apparent));
    fmt::print("  hidden    {:>10}   in {}\n", sizeText(sums.hiddenDisk), formatItems(sums.hiddenFiles, "file"));
    fmt::print("  files     {:>10}\n  folders   {:>10}\n", formatCount(sums.files), formatCount(sums.folders));
    fmt::print("  read in {:.2f} s\n", result.seconds);
}

void reportUnreadable(const ScanResult& result)
{
    constexpr std::size_t shown = 10;
    for (std::size_t i = 0; i < std::min(shown, result.unreadableList.size()); ++i)
        complain(systemError("read", result.unreadableList[i].path, result.unreadableList[i].sysError).sentence);
    if (result.unreadable > shown)
        complain("... and " + formatCount(result.unreadable - shown) + " more that could not be read.");
}

} // namespace

int runScan(const ScanArguments& arguments)
{
    int status = ExitDone;
    auto existing = AtomicFile::Existing::Keep;
    if (!arguments.save.empty()) { // not after the whole scan
        const auto may = mayWrite(arguments.save, "a snapshot", arguments.force, beginsAsSnapshot);
        if (!may) {
            complain(may.error().sentence);
            return ExitFailed;
        }
        existing = *may;
    }
    auto options = output().scan;
    options.method = arguments.method;
    for (const auto& path : arguments.paths) {
        const auto address = remoteAddress(path);
        std::optional<SnapshotInfo> remoteInfo;
        auto result = address ? Result<ScanResult>(Error{}) : scanWithProgress(path, options);
        if (address) {
            auto remote = scanRemoteWithProgress(*address);
            result = remote ? Result<ScanResult>(std::move(remote->result)) : Result<ScanResult>(remote.error());
            if (remote)
                remoteInfo = std::move(remote->info);
        }
        if (!result) {
            complain(result.error().sentence);
            return ExitFailed;
        }
        if (arguments.json)
            printJson(*result);
        else
            printText(*result);
        reportUnreadable(*result);
        if (result->driveGone)
            complain("The drive does not answer any more; the figures are partial.");
        else if (result->outOfMemory)
            complain("There is no memory to hold more entries; the figures are partial.");
        else if (result->stopped)
            complain("Stopped before the end; the figures are partial.");
        if (!arguments.save.empty()) {
            auto info = remoteInfo ? *remoteInfo : describeScan(*result);
            info.crossMounts = output().scan.crossMounts;
            info.exclude = output().scan.exclude;
            auto saved = writeSnapshot(arguments.save, info, *result->tree, {}, existing);
            if (!saved) {
                complain(saved.error().sentence);
                return ExitFailed;
            }
        }
        if (result->unreadable > 0 || result->stopped)
            status = ExitIncomplete;
    }
    return status;
}

} // namespace kurvo::cli
