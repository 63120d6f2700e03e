// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/explain.h"

#include <algorithm>
#include <map>

#include "core/types/file_types.h"

namespace kurvo {
namespace {

std::uint64_t amountOf(const Comparison& c, NodeId node, Measure measure)
{
    return c.sums(node, measure).amount();
}

template <typename KeyOf>
std::vector<ChangeGroup> grouped(const Comparison& c, Measure measure, NodeId top, KeyOf&& keyOf)
{
    std::map<std::uint32_t, ChangeGroup> groups;
    const auto& tree = *c.tree();
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node) || c.change(node) == Change::MovedAway || c.change(node) == Change::None)
            return;
        auto& group = groups[keyOf(node)];
        group.sums.add(c.sums(node, measure));
        ++group.entries;
    });
    std::vector<ChangeGroup> all;
    for (auto& [key, group] : groups) {
        group.key = key;
        all.push_back(group);
    }
    std::stable_sort(all.begin(), all.end(),
                     [](const ChangeGroup& a, const ChangeGroup& b) { return a.sums.amount() > b.sums.amount(); });
    return all;
}

} // namespace

Explanation placesThatExplain(const Comparison& comparison, Measure measure, NodeId top, double wanted)
{
    Explanation found;
    const auto& tree = *comparison.tree();
    const auto whole = amountOf(comparison, top, measure);
    if (whole == 0)
        return found;
    const auto heavy = static_cast<std::uint64_t>(static_cast<double>(whole) / 20);
    // What may be left unsaid on the way down; each step into a folder leaves its small entries behind.
    auto spare = static_cast<double>(whole) * (1 - wanted);

    std::vector<NodeId> pending{top};
    while (!pending.empty()) {
        // The largest first: what is spared goes where it explains most.
        const auto next = std::max_element(pending.begin(), pending.end(), [&](NodeId a, NodeId b) {
            return amountOf(comparison, a, measure) < amountOf(comparison, b, measure);
        });
        const auto node = *next;
        pending.erase(next);
        const auto amount = amountOf(comparison, node, measure);
        std::vector<NodeId> parts;
        std::uint64_t held = 0;
        if (tree.isFolder(node))
            tree.forEachChild(node, [&](NodeId child) {
                if (const auto part = amountOf(comparison, child, measure); part > heavy) {
                    parts.push_back(child);
                    held += part;
                }
            });
        const auto left = static_cast<double>(amount - held);
        // A whole new folder is one thing, unless one part of it is nearly all.
        const bool isWhole = comparison.change(node) == Change::Appeared || comparison.change(node) == Change::Vanished;
        const bool isDown = !parts.empty() && left <= spare && left <= static_cast<double>(amount) / 10 &&
                            (!isWhole || parts.size() == 1) && parts.size() <= 8;
        if (!isDown) {
            found.nodes.push_back(node);
            continue;
        }
        spare -= left;
        pending.insert(pending.end(), parts.begin(), parts.end());
    }
    std::stable_sort(found.nodes.begin(), found.nodes.end(), [&](NodeId a, NodeId b) {
        return amountOf(comparison, a, measure) > amountOf(comparison, b, measure);
    });
    std::uint64_t sum = 0;
    std::size_t enough = 0;
    while (enough < found.nodes.size() && static_cast<double>(sum) < wanted * static_cast<double>(whole))
        sum += amountOf(comparison, found.nodes[enough++], measure);
    found.nodes.resize(enough);
    found.share = static_cast<double>(sum) / static_cast<double>(whole);
    return found;
}

std::optional<Growth> grewMost(const Comparison& comparison, Measure measure)
{
    std::optional<Growth> most;
    for (const auto node : placesThatExplain(comparison, measure).nodes) {
        const auto net = comparison.net(node, measure);
        if (net > 0 && comparison.nowOf(node) != noNode && (!most || static_cast<std::uint64_t>(net) > most->bytes))
            most = Growth{comparison.now().path(comparison.nowOf(node)), static_cast<std::uint64_t>(net)};
    }
    return most;
}

std::vector<ChangeGroup> changesByFamily(const Comparison& comparison, Measure measure, NodeId top)
{
    const auto& store = comparison.tree()->store();
    return grouped(comparison, measure, top,
                   [&](NodeId node) { return static_cast<std::uint32_t>(typeInfo(store.type(node)).family); });
}

std::vector<ChangeGroup> changesByOwner(const Comparison& comparison, Measure measure, NodeId top)
{
    const auto& store = comparison.tree()->store();
    return grouped(comparison, measure, top, [&](NodeId node) { return store.owner(node); });
}

} // namespace kurvo
