// SPDX-License-Identifier: GPL-3.0-or-later
// folders, largest and drives: the commands that list.
#include <algorithm>

#include <fmt/format.h>

#include "cli/command.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/find/filter.h"
#include "core/find/largest.h"
#include "core/platform/drives.h"
#include "core/platform/folders.h"

namespace kurvo::cli {
namespace {

void printFolderTree(const FileTree& tree, NodeId folder, unsigned level, unsigned depth)
{
    const auto& sums = tree.sums(folder);
    const auto name = displayText(level == 0 ? tree.path(folder) : std::string(tree.name(folder)));
    fmt::print("{:>10}  {:>12}  {}{}\n", formatBytes(sums.disk), formatItems(sums.files, "file"),
               std::string(std::size_t{2} * level, ' '), name);
    if (level == depth)
        return;
    for (const NodeId child : tree.sortedChildren(folder, Measure::Disk))
        if (tree.isFolder(child))
            printFolderTree(tree, child, level + 1, depth);
}

void collectFolders(const FileTree& tree, NodeId folder, unsigned left,
                    std::vector<std::pair<std::string, NodeId>>& out)
{
    out.emplace_back(tree.path(folder), folder);
    if (left == 0)
        return;
    tree.forEachChild(folder, [&](NodeId child) {
        if (tree.isFolder(child))
            collectFolders(tree, child, left - 1, out);
    });
}

} // namespace

int runFolders(const std::string& source, unsigned depth, bool json)
{
    auto loaded = loadSource(source);
    if (!loaded) {
        complain(loaded.error().sentence);
        return ExitFailed;
    }
    const auto& tree = *loaded->tree;
    if (!json) {
        printFolderTree(tree, rootNode, 0, depth);
        return loaded->finish();
    }
    std::vector<std::pair<std::string, NodeId>> folders;
    collectFolders(tree, rootNode, depth, folders);
    std::sort(folders.begin(), folders.end());
    for (const auto& [path, folder] : folders) {
        const auto& sums = tree.sums(folder);
        fmt::print("{{\"path\": {}, \"files\": {}, \"folders\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}}}\n",
                   jsonText(path), sums.files, sums.folders, sums.apparent, sums.disk);
    }
    return loaded->finish();
}

namespace {

/// Says what is wrong with a filter and, below it, where.
void complainOfFilter(const std::string& where, const FilterError& error)
{
    complain(error.sentence);
    if (where.find('\n') == std::string::npos)
        fmt::print(stderr, "  {}\n  {}{}\n", where, std::string(error.at, ' '),
                   std::string(std::max<std::size_t>(error.length, 1), '^'));
}

} // namespace

std::optional<Filter> parsedFilter(const std::string& where)
{
    auto filter = Filter::parse(where);
    if (const auto* error = std::get_if<FilterError>(&filter)) {
        complainOfFilter(where, *error);
        return std::nullopt;
    }
    return std::get<Filter>(std::move(filter));
}

/// Without marks it finds nothing marked, and says why.
FilterContext contextFor(const Filter& filter, const Source& source)
{
    FilterContext context{source.info.taken, source.info.owners, {}, nullptr, nullptr, nullptr};
    const auto user = userFolders();
    if (filter.asksFor(Filter::Test::Marks)) {
        if (auto book = MarkStore(joinPath(user.data, "kurvo/marks.db")).read(source.info.host))
            context.marks =
                std::make_shared<const TreeMarks>(source.tree, std::make_shared<const MarkBook>(std::move(*book)));
        else
            complain(book.error().sentence);
    }
    if (filter.asksForAdvice())
        context.advice = std::make_shared<const TreeAdvice>(adviseTree(readUserRules(user.config).book, *source.tree));
    return context;
}

int runLargest(const std::string& source, std::size_t count, const std::string& where, bool json)
{
    // Before anything is scanned: a wrong filter must not cost minutes.
    const auto filter = parsedFilter(where);
    if (!filter)
        return ExitUsage;
    auto loaded = loadSource(source);
    if (!loaded) {
        complain(loaded.error().sentence);
        return ExitFailed;
    }
    const auto& tree = *loaded->tree;
    const auto& wanted = *filter;
    const auto files =
        wanted.isEmpty()
            ? largestFiles(tree, count)
            : largestAmong(tree, matchingFiles(tree, wanted.bind(tree, contextFor(wanted, *loaded))), count);
    for (const NodeId node : files) {
        const auto modified = tree.store().modified(node);
        if (json)
            fmt::print(
                "{{\"path\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}, \"modified\": {}, \"hidden\": {}}}\n",
                jsonText(tree.path(node)), tree.apparent(node), tree.disk(node), modified, tree.isHidden(node));
        else
            fmt::print("{:>10}  {}  {} {}\n", formatBytes(tree.disk(node)), formatTime(modified).substr(0, 10),
                       tree.isHidden(node) ? "hidden" : "      ", displayText(tree.path(node)));
    }
    return loaded->finish();
}

int runDrives(bool all, bool json)
{
    auto drives = all ? readAllMounts() : readDrives();
    if (!drives) {
        complain(drives.error().sentence);
        return ExitFailed;
    }
    if (!json)
        fmt::print("{:>10}  {:>10}  {:>10}  {:<9}  {:<8}  {}\n", "total", "used", "free", "kind", "type", "mounted at");
    for (const auto& drive : *drives) {
        const auto& c = drive.capacity;
        if (json)
            fmt::print("{{\"name\": {}, \"mount_point\": {}, \"filesystem\": {}, \"source\": {}, \"kind\": \"{}\", "
                       "\"read_only\": {}, \"total_bytes\": {}, \"used_bytes\": {}, \"reserved_bytes\": {}, "
                       "\"free_bytes\": {}, \"folded_away\": \"{}\"}}\n",
                       jsonText(drive.name), jsonText(drive.mountPoint), jsonText(drive.filesystem),
                       jsonText(drive.source), deviceKindName(drive.kind), drive.readOnly, c.total, c.used, c.reserved,
                       c.free, foldedAwayName(drive.folded));
        else
            fmt::print("{:>10}  {:>10}  {:>10}  {:<9}  {:<8}  {}{}\n", formatBytes(c.total), formatBytes(c.used),
                       formatBytes(c.free), deviceKindName(drive.kind), displayText(drive.filesystem),
                       displayText(drive.mountPoint),
                       drive.folded == FoldedAway::No ? std::string()
                                                      : fmt::format("  ({})", foldedAwayName(drive.folded)));
    }
    return ExitDone;
}

} // namespace kurvo::cli
