// SPDX-License-Identifier: GPL-3.0-or-later
// Passes over all rows of a store by several threads. The children of a folder follow each other, and a stretch never
// ends among them: threads that each take a stretch never meet in a folder.
#pragma once

#include <algorithm>
#include <atomic>
#include <thread>
#include <vector>

#include "core/base/team.h"
#include "core/tree/node_store.h"

namespace kurvo {

/// How many threads so many rows are worth.
inline unsigned stretchCount(std::size_t rows)
{
    constexpr std::size_t worthAThread = 150000;
    return static_cast<unsigned>(
        std::clamp<std::size_t>(std::min<std::size_t>(std::thread::hardware_concurrency(), rows / worthAThread), 1, 8));
}

/// The bounds of the stretches of rows 1 to `nodes` (the root has no folder), the children of a folder in one: one more
/// than there are stretches.
inline std::vector<NodeId> stretchesOf(const NodeStore& store, NodeId nodes)
{
    const auto count = stretchCount(nodes);
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

/// The bounds of equal stretches of a list.
inline std::vector<std::size_t> evenStretches(std::size_t rows)
{
    const auto count = stretchCount(rows);
    std::vector<std::size_t> bounds;
    for (unsigned i = 0; i <= count; ++i)
        bounds.push_back(rows * i / count);
    return bounds;
}

/// Calls `work(stretch, from, to)` for each stretch, side by side, and returns when all are done.
template <typename Row, typename Work>
void forEachStretch(const std::vector<Row>& bounds, const Work& work)
{
    std::atomic<std::size_t> next{0};
    inTeam(bounds.size() - 1, [&] {
        for (auto i = next++; i + 1 < bounds.size(); i = next++)
            work(i, bounds[i], bounds[i + 1]);
    });
}

} // namespace kurvo
