// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/layout/cells.h"

#include <algorithm>
#include <limits>

namespace kurvo {

GatheredChildren gatherChildren(const FileTree& tree, NodeId folder, Measure measure, double smallestShare,
                                const AreasOfDrives& areas)
{
    GatheredChildren out;
    auto& all = out.drawn;
    all.reserve(tree.countChildren(folder));
    tree.forEachChild(folder, [&](NodeId child) {
        const auto size = tree.measured(child, measure);
        const auto weight = static_cast<double>(size) + areasAt(areas, child).sum();
        out.total += weight;
        all.push_back({size, child, weight});
    });
    const double smallest = smallestShare * (out.total + areasAt(areas, folder).sum());
    const auto small = std::partition(all.begin(), all.end(),
                                      [smallest](const auto& c) { return c.weight > 0 && c.weight >= smallest; });
    for (auto at = small; at != all.end(); ++at)
        out.restSize += std::min(at->size, std::numeric_limits<std::uint64_t>::max() - out.restSize);
    out.restCount = static_cast<std::uint32_t>(all.end() - small);
    all.erase(small, all.end());
    std::sort(all.begin(), all.end(), [&tree](const auto& a, const auto& b) {
        return a.weight != b.weight ? a.weight > b.weight : tree.name(a.node) < tree.name(b.node);
    });
    return out;
}

} // namespace kurvo
