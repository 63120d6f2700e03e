// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/find/duplicates.h"
#include "core/platform/folders.h"

namespace kurvo::cli {
namespace {

using Trees = std::vector<std::shared_ptr<const FileTree>>;

void printPaths(const char* name, const std::vector<DuplicateFile>& files, const Trees& trees)
{
    fmt::print("\"{}\": [", name);
    for (std::size_t i = 0; i < files.size(); ++i)
        fmt::print("{}{}", i == 0 ? "" : ", ", jsonText(trees[files[i].tree]->path(files[i].node)));
    fmt::print("]}}\n");
}

void printJson(const Duplicates& found, const Trees& trees, bool folders)
{
    for (const auto& group : found.groups) {
        fmt::print("{{\"bytes_each\": {}, \"freeable_bytes\": {}, ", group.bytesEach, group.freeable);
        printPaths("paths", group.files, trees);
    }
    if (folders)
        for (const auto& group : found.folders) {
            fmt::print("{{\"bytes_each\": {}, \"freeable_bytes\": {}, \"files_each\": {}, ", group.bytesEach,
                       group.freeable, group.files);
            printPaths("folders", group.folders, trees);
        }
}

void printText(const Duplicates& found, const Trees& trees, bool folders)
{
    if (folders)
        for (const auto& group : found.folders) {
            fmt::print("{} could be freed: {} with the same content, {} each\n", sizeText(group.freeable),
                       formatItems(group.folders.size(), "folder"), formatItems(group.files, "file"));
            for (const auto& folder : group.folders)
                fmt::print("    {}/\n", displayText(trees[folder.tree]->path(folder.node)));
        }
    for (const auto& group : found.groups) {
        if (folders && group.inFolders)
            continue;
        fmt::print("{} could be freed: {} of {} each\n", sizeText(group.freeable),
                   formatItems(group.files.size(), "file"), sizeText(group.bytesEach));
        for (const auto& file : group.files)
            fmt::print("    {}{}{}\n", displayText(trees[file.tree]->path(file.node)),
                       file.sharedBlocks != 0 ? "  (shares its blocks)" : "",
                       file.otherLinks ? "  (has links elsewhere)" : "");
    }
    fmt::print("{} could be freed in {}.\n", sizeText(found.freeable), formatItems(found.groups.size(), "group"));
}

} // namespace

int runDuplicates(const DuplicateArguments& arguments)
{
    DuplicateOptions options;
    options.folders = arguments.folders;
    if (!arguments.smallest.empty()) {
        const auto bytes = parseSize(arguments.smallest);
        if (!bytes) {
            complain("--smallest takes a size such as 500K or 1M, not \"" + arguments.smallest + "\".");
            return ExitUsage;
        }
        options.smallest = *bytes;
    }
    for (const auto& paths : {arguments.paths, arguments.leaveOut})
        for (const auto& path : paths)
            if (!answers(path))
                return ExitFailed;
    for (const auto& path : arguments.leaveOut) {
        const auto known = canonicalPath(path);
        if (!known) {
            complain(known.error().sentence);
            return ExitUsage;
        }
        options.leaveOut.push_back(*known);
    }
    Trees trees;
    std::uint64_t unreadable = 0;
    bool stopped = false;
    for (const auto& path : arguments.paths) {
        const auto scanned = scanWithProgress(path, output().scan);
        if (!scanned) {
            complain(scanned.error().sentence);
            return ExitFailed;
        }
        trees.push_back(scanned->tree);
        unreadable += scanned->unreadable;
        stopped |= scanned->stopped;
    }
    DuplicateProgress progress;
    Duplicates found;
    if (!stopped)
        runInterruptible([&](std::stop_token stop) { found = findDuplicates(trees, options, progress, stop); },
                         [&] {
                             return fmt::format("{} of {} compared, {} of {} read", formatCount(progress.filesDone),
                                                formatItems(progress.filesOf, "file"), sizeText(progress.bytesDone),
                                                sizeText(progress.bytesOf));
                         });
    if (arguments.json)
        printJson(found, trees, arguments.folders);
    else
        printText(found, trees, arguments.folders);
    if (found.changed > 0)
        complain(formatItems(found.changed, "file") + " changed meanwhile and " + (found.changed == 1 ? "is" : "are") +
                 " left out.");
    if (found.unreadable + unreadable > 0)
        complain(formatItems(found.unreadable + unreadable, "item") + " could not be read and " +
                 (found.unreadable + unreadable == 1 ? "is" : "are") + " left out.");
    if (found.stopped || stopped)
        complain("It was stopped before its end: there may be more.");
    return found.changed + found.unreadable + unreadable > 0 || found.stopped || stopped ? ExitIncomplete : ExitDone;
}

} // namespace kurvo::cli
