// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/new_plan.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/plan/duplicate_removals.h"
#include "core/platform/folders.h"
#include "core/platform/own_data.h"
#include "core/platform/user_file.h"

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
    fmt::print("{} could be freed in {}.\n", sizeText(found.freeable), formatItems(found.listed(), "group"));
}

} // namespace

namespace {

/// Writes the plan; returns an exit status.
int planAllButOne(const DuplicateArguments& arguments, const Duplicates& found,
                  const std::shared_ptr<const FileTree>& tree, std::int64_t read, const std::string& keptFolder,
                  AtomicFile::Existing existing)
{
    const auto keep = !keptFolder.empty()                 ? Keep::InFolder
                      : arguments.keep == "newest"        ? Keep::Newest
                      : arguments.keep == "shortest-path" ? Keep::ShortestPath
                                                          : Keep::Oldest;
    std::vector<DuplicateRemoval> wanted;
    const auto add = [&](const std::vector<DuplicateFile>& files) {
        const auto more = allButOne(files, tree, keep, keptFolder);
        wanted.insert(wanted.end(), more.begin(), more.end());
    };
    if (arguments.folders)
        for (const auto& group : found.folders)
            add(group.folders);
    for (const auto& group : found.groups)
        if (!arguments.folders || !group.inFolders)
            add(group.files);
    const auto removals = consistentRemovals(*tree, {}, wanted);
    std::atomic<std::uint64_t> bytesDone = 0;
    const auto bytes = bytesToCompare(*tree, removals);
    ComparedRemovals compared;
    runInterruptible(
        [&](const std::stop_token& stop) { compared = compareRemovals(*tree, removals, bytesDone, stop); },
        [&] { return fmt::format("{} of {} compared byte by byte", sizeText(bytesDone), sizeText(bytes)); });
    if (compared.stopped) {
        complain("It was stopped: no plan was written.");
        return ExitIncomplete;
    }
    const Guarded guarded(ownDataFolder(userFolders()));
    Plan plan;
    const auto added = plan.addAll(*tree, compared.goes(), guarded.facts, {}, compared.same);
    if (!added.problem.empty())
        complain(added.problem);
    if (compared.different > 0)
        complain(formatItems(compared.different, "item is", "items are") +
                 " left out: " + (compared.problem.empty() ? "no longer identical." : compared.problem));
    if (plan.empty()) {
        complain("There is nothing to plan: no file was written.");
        return wanted.empty() ? ExitDone : ExitIncomplete;
    }
    auto file = planFileOf(plan, *tree);
    file.host = hostName();
    file.place = tree->path(rootNode);
    file.written = read;
    if (const int status = writeNewPlan(file, arguments.plan, existing); status != ExitDone)
        return status;
    if (!arguments.json)
        fmt::print("{} planned for the trash, {}: {}\n", formatItems(file.items.size(), "item is", "items are"),
                   sizeText(file.disk(Action::Trash)), displayText(arguments.plan));
    return compared.different > 0 || !added.problem.empty() ? ExitIncomplete : ExitDone;
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
    std::string keptFolder;
    auto existing = AtomicFile::Existing::Keep;
    if (arguments.plan.empty() && arguments.force) {
        complain("--force goes with --plan FILE.");
        return ExitUsage;
    }
    if (!arguments.plan.empty()) {
        if (arguments.paths.size() > 1) {
            complain("A plan is of one place: give one PATH.");
            return ExitUsage;
        }
        if (!arguments.keep.empty() && !arguments.keepIn.empty()) {
            complain("--keep and --keep-in are two answers to one question. Give one of them.");
            return ExitUsage;
        }
        if (!arguments.keepIn.empty()) {
            const auto known = answers(arguments.keepIn) ? canonicalPath(arguments.keepIn) : Result<std::string>("");
            if (!known)
                complain(known.error().sentence);
            if (!known || known->empty())
                return ExitFailed;
            keptFolder = *known;
        }
        const auto may = mayWrite(arguments.plan, "a plan", arguments.force, beginsAsPlan);
        if (!may) {
            complain(may.error().sentence);
            return ExitFailed;
        }
        existing = *may;
    }
    const auto read = currentTime();
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
    const int status =
        found.changed + found.unreadable + unreadable > 0 || found.stopped || stopped ? ExitIncomplete : ExitDone;
    if (arguments.plan.empty())
        return status;
    if (found.stopped || stopped) { // what is written is wanted whole
        complain("No plan was written.");
        return status;
    }
    const int planned = planAllButOne(arguments, found, trees.front(), read, keptFolder, existing);
    return planned == ExitDone ? status : planned;
}

} // namespace kurvo::cli
