// SPDX-License-Identifier: GPL-3.0-or-later
// Passes over all rows of a store by several threads. The children of a folder follow each other, and a stretch never
// ends among them: threads that each take a stretch never meet in a folder.
#pragma once

#include <algorithm>
#include <system_error>
#include <thread>
#include <vector>

#include "core/tree/node_store.h"

namespace kurvo {

/// The bounds of the stretches of rows 1 to `nodes` (the root has no folder): one more than there are stretches.
inline std::vector<NodeId> stretchesOf(const NodeStore& store, NodeId nodes)
{
    constexpr NodeId worthAThread = 150000;
    const auto count = std::clamp(std::min(std::thread::hardware_concurrency(), nodes / worthAThread), 1u, 8u);
    std::vector<NodeId> bounds{std::min<NodeId>(1, nodes)};
    for (unsigned i = 1; i < count; ++i) {
        auto end = static_cast<NodeId>(std::uint64_t{nodes} * i / count);
        while (end < nodes && store.parent(end) == store.parent(end - 1))
            ++end;
        if (end > bounds.back() && end < nodes)
            bounds.push_back(end);
    }
    bounds.push_back(nodes);
    return bounds;
}

/// Calls `work(stretch, from, to)` for each stretch, side by side, and returns when all are done.
template <typename Work>
void forEachStretch(const std::vector<NodeId>& bounds, const Work& work)
{
    std::vector<std::thread> team;
    team.reserve(bounds.size());
    for (std::size_t i = 1; i + 1 < bounds.size(); ++i) {
        try {
            team.emplace_back(work, i, bounds[i], bounds[i + 1]);
        } catch (const std::system_error&) { // no thread to be had: it is done here
            work(i, bounds[i], bounds[i + 1]);
        }
    }
    work(std::size_t{0}, bounds[0], bounds[1]);
    for (auto& thread : team)
        thread.join();
}

} // namespace kurvo
