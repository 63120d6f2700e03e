// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/layout/cells.h"

#include <algorithm>
#include <limits>

namespace kurvo {

GatheredChildren gatherChildren(const FileTree& tree, NodeId folder, Measure measure, double smallestShare,
                                double beside)
{
    GatheredChildren out;
    auto& all = out.drawn;
    all.reserve(tree.countChildren(folder));
    tree.forEachChild(folder, [&](NodeId child) {
        const auto size = tree.measured(child, measure);
        out.total += static_cast<double>(size);
        all.push_back({size, child});
    });
    const double smallest = smallestShare * (out.total + beside);
    const auto small = std::partition(all.begin(), all.end(), [smallest](const auto& c) {
        return c.size > 0 && static_cast<double>(c.size) >= smallest;
    });
    for (auto at = small; at != all.end(); ++at)
        out.restSize += std::min(at->size, std::numeric_limits<std::uint64_t>::max() - out.restSize);
    out.restCount = static_cast<std::uint32_t>(all.end() - small);
    all.erase(small, all.end());
    std::sort(all.begin(), all.end(), [&tree](const auto& a, const auto& b) {
        return a.size != b.size ? a.size > b.size : tree.name(a.node) < tree.name(b.node);
    });
    return out;
}

} // namespace kurvo
