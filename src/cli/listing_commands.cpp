// SPDX-License-Identifier: GPL-3.0-or-later
// folders, largest and drives: the commands that list.
#include <algorithm>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/find/filter.h"
#include "core/find/largest.h"
#include "core/platform/drives.h"
#include "core/platform/folders.h"

namespace kurvo::cli {
namespace {

enum class FolderSort { Disk, Apparent, Files, Name, Date };

FolderSort sortNamed(const std::string& name)
{
    return name == "apparent" ? FolderSort::Apparent
           : name == "files"  ? FolderSort::Files
           : name == "name"   ? FolderSort::Name
           : name == "date"   ? FolderSort::Date
                              : FolderSort::Disk;
}

bool comesBefore(const FileTree& tree, FolderSort sort, NodeId a, NodeId b)
{
    const auto order = [&](auto figure) {
        const auto x = figure(a), y = figure(b);
        return x != y ? x > y : tree.name(a) < tree.name(b);
    };
    switch (sort) {
    case FolderSort::Apparent:
        return order([&](NodeId node) { return tree.apparent(node); });
    case FolderSort::Files:
        return order([&](NodeId node) { return tree.files(node); });
    case FolderSort::Date:
        return order([&](NodeId node) { return tree.newest(node); });
    case FolderSort::Name:
        return tree.name(a) < tree.name(b);
    case FolderSort::Disk:
        break;
    }
    return order([&](NodeId node) { return tree.disk(node); });
}

struct FolderPrinter {
    const FileTree& tree;
    const FolderArguments& wish;
    FolderSort sort;
    std::uint64_t atLeast;

    std::vector<NodeId> below(NodeId folder) const
    {
        std::vector<NodeId> folders;
        tree.forEachChild(folder, [&](NodeId child) {
            if (tree.isFolder(child) && tree.disk(child) >= atLeast)
                folders.push_back(child);
        });
        std::sort(folders.begin(), folders.end(), [this](NodeId a, NodeId b) { return comesBefore(tree, sort, a, b); });
        return folders;
    }

    void printTree(NodeId folder, unsigned level) const
    {
        const auto& sums = tree.sums(folder);
        const auto name = displayText(folder == rootNode && tree.isTogether() ? std::string(tree.label(rootNode))
                                      : level == 0                            ? tree.path(folder)
                                                                              : std::string(tree.name(folder)));
        const auto whole = tree.disk(level == 0 ? folder : tree.parent(folder));
        fmt::print("{:>10}  {:>9}  {}  {:>12}  {}{}\n", sizeText(sums.disk), formatShare(sums.disk, whole),
                   barText(sums.disk, whole), formatItems(sums.files, "file"), std::string(std::size_t{2} * level, ' '),
                   tree.isHidden(folder) ? inked(name, Ink::Hidden)
                   : level == 0          ? inked(name, Ink::Strong)
                                         : name);
        if (level == wish.depth)
            return;
        std::size_t shown = 0;
        const auto folders = below(folder);
        for (const NodeId child : folders) {
            if (wish.count > 0 && shown++ == wish.count) {
                fmt::print("{:>10}  {:>9}  {:>10}  {:>12}  {}\n", "", "", "", "",
                           std::string(std::size_t{2} * (level + 1), ' ') + "and " +
                               formatItems(folders.size() - wish.count, "folder") + " more");
                break;
            }
            printTree(child, level + 1);
        }
    }

    void collect(NodeId folder, unsigned left, std::vector<NodeId>& out) const
    {
        out.push_back(folder);
        if (left == 0)
            return;
        tree.forEachChild(folder, [&](NodeId child) {
            if (tree.isFolder(child))
                collect(child, left - 1, out);
        });
    }

    void printJson() const
    {
        std::vector<NodeId> folders;
        collect(rootNode, wish.depth, folders);
        std::erase_if(folders, [this](NodeId node) { return tree.disk(node) < atLeast; });
        std::vector<std::pair<std::string, NodeId>> rows;
        for (const NodeId node : folders)
            rows.emplace_back(tree.path(node), node);
        std::sort(rows.begin(), rows.end()); // unless another order was asked for
        if (!wish.sort.empty())
            std::stable_sort(rows.begin(), rows.end(), [this](const auto& a, const auto& b) {
                return comesBefore(tree, sort, a.second, b.second);
            });
        if (wish.count > 0 && rows.size() > wish.count)
            rows.resize(wish.count);
        for (const auto& [path, folder] : rows) {
            const auto& sums = tree.sums(folder);
            fmt::print("{{\"path\": {}, \"files\": {}, \"folders\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}}}\n",
                       jsonText(path), sums.files, sums.folders, sums.apparent, sums.disk);
        }
    }
};

} // namespace

int runFolders(const FolderArguments& arguments)
{
    std::uint64_t atLeast = 0;
    if (!arguments.atLeast.empty()) {
        const auto bytes = parseSize(arguments.atLeast);
        if (!bytes) {
            complain("--at-least takes a size such as 500M or 1G, not \"" + arguments.atLeast + "\".");
            return ExitUsage;
        }
        atLeast = *bytes;
    }
    int status = ExitDone;
    for (const auto& group : apartOr(arguments.together, arguments.sources)) {
        auto loaded = loadTogether(group);
        if (!loaded) {
            complain(loaded.error().sentence);
            return ExitFailed;
        }
        const FolderPrinter printer{*loaded->tree, arguments, sortNamed(arguments.sort), atLeast};
        if (arguments.json)
            printer.printJson();
        else
            printer.printTree(rootNode, 0);
        status = std::max(status, loaded->finish());
    }
    return status;
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

namespace {

/// Folders in which the weight divides: those of which no folder in them holds nearly all.
std::vector<NodeId> dividingFolders(const FileTree& tree, const Filter& filter, const FilterContext& context,
                                    std::size_t count)
{
    constexpr std::uint64_t nearly = 80; // percent
    std::vector<NodeId> folders;
    auto bound = filter.bind(tree, context);
    tree.forEachBelow(rootNode, [&](NodeId node) {
        if (!tree.isFolder(node) || node == rootNode || (!filter.isEmpty() && !bound.matches(node)))
            return;
        std::uint64_t most = 0;
        tree.forEachChild(node, [&](NodeId child) {
            if (tree.isFolder(child))
                most = std::max(most, tree.disk(child));
        });
        if (tree.disk(node) > 0 && most < tree.disk(node) / 100 * nearly)
            folders.push_back(node);
    });
    const auto end = folders.begin() + static_cast<std::ptrdiff_t>(std::min(count, folders.size()));
    std::partial_sort(folders.begin(), end, folders.end(), [&](NodeId a, NodeId b) {
        return tree.disk(a) != tree.disk(b) ? tree.disk(a) > tree.disk(b) : tree.store().comparePaths(a, b) < 0;
    });
    folders.erase(end, folders.end());
    return folders;
}

void printLargest(const FileTree& tree, NodeId node, bool json)
{
    const bool folder = tree.isFolder(node);
    const auto modified = folder ? tree.newest(node) : tree.store().modified(node);
    if (json) {
        fmt::print("{{\"path\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}, \"modified\": {}, \"hidden\": {}",
                   jsonText(tree.path(node)), tree.apparent(node), tree.disk(node), modified, tree.isHidden(node));
        if (folder)
            fmt::print(", \"files\": {}", tree.sums(node).files);
        fmt::print("}}\n");
        return;
    }
    fmt::print("{:>10}  {}  {} {}{}\n", sizeText(tree.disk(node)), formatTime(modified).substr(0, 10),
               tree.isHidden(node) ? inked("hidden", Ink::Hidden) : std::string(6, ' '), displayText(tree.path(node)),
               folder ? "/" : "");
}

} // namespace

int runLargest(const LargestArguments& arguments)
{
    // Before anything is scanned: a wrong filter must not cost minutes.
    const auto filter = parsedFilter(arguments.where);
    if (!filter)
        return ExitUsage;
    std::vector<Source> sources;
    struct Found {
        const FileTree* tree;
        NodeId node;
    };
    std::vector<Found> found;
    for (const auto& path : arguments.sources) {
        auto loaded = loadSource(path);
        if (!loaded) {
            complain(loaded.error().sentence);
            return ExitFailed;
        }
        sources.push_back(std::move(*loaded));
    }
    for (const auto& source : sources) {
        const auto& tree = *source.tree;
        const auto context = contextFor(*filter, source);
        const auto nodes = arguments.folders ? dividingFolders(tree, *filter, context, arguments.count)
                           : filter->isEmpty()
                               ? largestFiles(tree, arguments.count)
                               : largestAmong(tree, matchingFiles(tree, filter->bind(tree, context)), arguments.count);
        for (const NodeId node : nodes)
            found.push_back({&tree, node});
    }
    if (sources.size() > 1) {
        std::stable_sort(found.begin(), found.end(),
                         [](const Found& a, const Found& b) { return a.tree->disk(a.node) > b.tree->disk(b.node); });
        found.resize(std::min(found.size(), arguments.count));
    }
    for (const auto& one : found)
        printLargest(*one.tree, one.node, arguments.json);
    int status = ExitDone;
    for (const auto& source : sources)
        status = std::max(status, source.finish());
    return status;
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
            fmt::print(
                "{:>10}  {:>10}  {:>10}  {:<9}  {:<8}  {}{}\n", sizeText(c.total), sizeText(c.used), sizeText(c.free),
                deviceKindName(drive.kind), displayText(drive.filesystem), displayText(drive.mountPoint),
                drive.folded == FoldedAway::No ? std::string() : fmt::format("  ({})", foldedAwayName(drive.folded)));
    }
    return ExitDone;
}

} // namespace kurvo::cli
