// SPDX-License-Identifier: GPL-3.0-or-later
// compare: what changed between two snapshots, or a snapshot and a folder.
#include <cstdlib>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/compare/comparison.h"
#include "core/compare/explain.h"
#include "core/report/change_report.h"

namespace kurvo::cli {
namespace {

void printSummary(const Comparison& c)
{
    const auto sums = c.sums(rootNode, Measure::Disk);
    fmt::print("{} in all: grown {}, shrunk {}, moved {}\n", differenceText(sums.net()), sizeText(sums.grown),
               sizeText(sums.shrunk), sizeText(sums.movedIn));
    if (sums.notSeen != 0)
        fmt::print("{} could only be seen in one of the two scans and is not compared.\n",
                   differenceText(sums.notSeen));
    const auto places = placesThatExplain(c, Measure::Disk);
    if (!places.nodes.empty())
        fmt::print("What explains {:.0f} % of it:\n", places.share * 100);
    for (const auto node : places.nodes)
        fmt::print("{:>12}  {}\n", differenceText(c.net(node, Measure::Disk)), displayText(c.tree()->path(node)));
}

} // namespace

int runCompare(const CompareArguments& arguments)
{
    const auto filter = parsedFilter(arguments.where);
    if (!filter)
        return ExitUsage;
    auto before = loadSource(arguments.before);
    auto now = before ? loadSource(arguments.now) : before;
    if (!now) {
        complain(now.error().sentence);
        return ExitFailed;
    }
    if (!arguments.json && arguments.format.empty() && before->tree->path(rootNode) != now->tree->path(rootNode))
        fmt::print("Two places: compared by the paths below {} and {}.\n", displayText(before->tree->path(rootNode)),
                   displayText(now->tree->path(rootNode)));
    std::shared_ptr<const Comparison> compared;
    runInterruptible(
        [&](std::stop_token stop) {
            compared = Comparison::make(now->tree, before->tree, compareOptions(now->info, before->info), stop);
        },
        [] { return std::string("comparing"); });
    if (!compared) {
        complain("The comparison was stopped.");
        return ExitFailed;
    }
    auto lines = changeList(*compared, {Measure::Disk, arguments.entries, rootNode});
    if (!filter->isEmpty())
        lines = matchingLines(compared, lines, *filter, contextFor(*filter, *now));
    if (arguments.json || !arguments.format.empty()) {
        const ChangeReport report{compared,        lines,          before->info.taken,
                                  now->info.taken, now->info.host, now->info.owners};
        fmt::print("{}", arguments.format == "csv"    ? changesAsCsv(report)
                         : arguments.format == "html" ? changesAsHtml(report)
                                                      : changesAsJsonLines(report));
    } else {
        if (filter->isEmpty())
            printSummary(*compared);
        std::size_t shown = 0;
        for (const auto& line : lines) {
            if (shown++ == arguments.count) {
                fmt::print("and {} more\n", formatCount(lines.size() - arguments.count));
                break;
            }
            const auto path = displayText(compared->tree()->path(line.node));
            fmt::print("{:>12}  {:<8}  {}{}\n", differenceText(line.delta), changeName(line.change), path,
                       line.change == Change::Moved ? "  from " + displayText(compared->pathBefore(line.node)) : "");
        }
        if (lines.empty())
            fmt::print("Nothing changed{}.\n", filter->isEmpty() ? "" : " that matches");
    }
    const auto first = before->finish();
    return std::max(first, now->finish());
}

} // namespace kurvo::cli
