// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <cstdlib>

#include "core/compare/comparison.h"

namespace kurvo {

std::vector<ChangeLine> changeList(const Comparison& comparison, const ChangeListOptions& options)
{
    const auto& tree = *comparison.tree();
    std::vector<ChangeLine> lines;
    constexpr std::uint32_t noLine = 0xFFFFFFFF;
    std::vector<std::uint32_t> lineOf(tree.store().size(), noLine);
    // Folders come before what is in them.
    tree.forEachBelow(options.top, [&](NodeId node) {
        const auto change = comparison.change(node);
        if (change == Change::NotSeen || change == Change::MovedAway)
            return;
        const bool isWhole = change == Change::Appeared || change == Change::Vanished;
        const auto above = tree.parent(node);
        // What is below goes by for the moment, and is taken off where it has a line of its own.
        const bool joins = isWhole && !options.eachEntry && node != options.top && lineOf[above] != noLine &&
                           comparison.change(above) == change;
        if (joins) {
            lineOf[node] = lineOf[above];
        } else if (change != Change::None) {
            lineOf[node] = static_cast<std::uint32_t>(lines.size());
            const bool here = comparison.nowOf(node) != noNode;
            const auto& side = here ? comparison.now() : comparison.before();
            const auto at = here ? comparison.nowOf(node) : comparison.beforeOf(node);
            lines.push_back({node, change, 0, side.measured(at, options.measure), side.files(at)});
        }
        if (lineOf[node] == noLine)
            return;
        // Of this entry alone: of a folder what its sums have beyond those below.
        auto own = comparison.sums(node, options.measure);
        if (tree.isFolder(node))
            tree.forEachChild(node, [&](NodeId child) {
                const auto below = comparison.sums(child, options.measure);
                own.grown -= below.grown;
                own.shrunk -= below.shrunk;
            });
        lines[lineOf[node]].delta += static_cast<std::int64_t>(own.grown) - static_cast<std::int64_t>(own.shrunk);
    });
    std::erase_if(lines, [](ChangeLine& line) {
        if (line.change != Change::Grew && line.change != Change::Shrank)
            return false;
        line.change = line.delta > 0 ? Change::Grew : Change::Shrank;
        return line.delta == 0; // by another measure
    });
    std::sort(lines.begin(), lines.end(), [&tree](const ChangeLine& a, const ChangeLine& b) {
        const auto x = std::abs(a.delta), y = std::abs(b.delta);
        if (x != y)
            return x > y;
        return a.size != b.size ? a.size > b.size : tree.store().comparePaths(a.node, b.node) < 0;
    });
    return lines;
}

std::vector<ChangeLine> matchingLines(const std::shared_ptr<const Comparison>& comparison,
                                      const std::vector<ChangeLine>& lines, const Filter& filter, FilterContext context)
{
    const ChangeLine* at = nullptr; // the one that is asked about
    const auto& c = *comparison;
    const auto size = [&](Measure measure) {
        return c.nowOf(at->node) != noNode ? c.now().measured(c.nowOf(at->node), measure)
                                           : c.before().measured(c.beforeOf(at->node), measure);
    };
    // In the order of filterChanges().
    const auto kind = [&](NodeId) {
        return static_cast<unsigned>(at->change) - static_cast<unsigned>(Change::Appeared);
    };
    context.changes = std::make_shared<const ChangeFacts>(
        ChangeFacts{kind, [&](NodeId) { return at->delta; }, [&](NodeId) { return size(Measure::Disk); },
                    [&](NodeId) { return size(Measure::Apparent); }});
    auto bound = filter.bind(*c.tree(), std::move(context));
    std::vector<ChangeLine> found;
    for (const auto& line : lines) {
        at = &line;
        if (bound.matches(line.node))
            found.push_back(line);
    }
    return found;
}

} // namespace kurvo
