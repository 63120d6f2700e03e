// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/explore/descent.h"

#include <algorithm>

namespace kurvo {
namespace {

constexpr std::size_t alwaysShown = 12;

struct Child {
    std::uint64_t size;
    NodeId node;
};

void sortChildren(const DescentWish& wish, std::vector<Child>& children)
{
    const auto& tree = *wish.tree;
    const auto bySize = [&tree](const Child& a, const Child& b) {
        return a.size != b.size ? a.size > b.size : tree.name(a.node) < tree.name(b.node);
    };
    switch (wish.sort) {
    case DescentSort::Name:
        return std::sort(children.begin(), children.end(),
                         [&tree](const Child& a, const Child& b) { return tree.name(a.node) < tree.name(b.node); });
    case DescentSort::Count:
        return std::sort(children.begin(), children.end(), [&](const Child& a, const Child& b) {
            const auto filesA = tree.files(a.node), filesB = tree.files(b.node);
            return filesA != filesB ? filesA > filesB : bySize(a, b);
        });
    case DescentSort::Date:
        return std::sort(children.begin(), children.end(), [&](const Child& a, const Child& b) {
            const auto dateA = tree.newest(a.node), dateB = tree.newest(b.node);
            return dateA != dateB ? dateA > dateB : bySize(a, b);
        });
    case DescentSort::Size:
        break;
    }
    std::sort(children.begin(), children.end(), bySize);
}

void addRows(const DescentWish& wish, NodeId folder, int level, std::vector<DescentRow>& rows)
{
    const auto& tree = *wish.tree;
    std::vector<Child> children;
    children.reserve(tree.countChildren(folder));
    std::uint64_t largest = 0;
    tree.forEachChild(folder, [&](NodeId child) {
        const auto size = tree.measured(child, wish.measure);
        largest = std::max(largest, size);
        children.push_back({size, child});
    });
    DescentRow rest;
    if (!wish.whole.contains(folder) && children.size() > alwaysShown + 2) {
        const auto enough = tree.measured(folder, wish.measure) / 200 + 1;
        auto small = std::partition(children.begin(), children.end(),
                                    [enough](const Child& child) { return child.size >= enough; });
        const auto dozen = children.begin() + alwaysShown;
        if (small < dozen) {
            std::nth_element(small, dozen, children.end(), [&tree](const Child& a, const Child& b) {
                return a.size != b.size ? a.size > b.size : tree.name(a.node) < tree.name(b.node);
            });
            small = dozen;
        }
        const auto count = static_cast<std::size_t>(children.end() - small);
        if (count > 2) {
            rest.restCount = count;
            for (auto at = small; at != children.end(); ++at)
                rest.size += at->size;
            children.erase(small, children.end());
        }
    }
    sortChildren(wish, children);
    for (const auto& child : children) {
        const bool opened = wish.opened.contains(child.node) && tree.isFolder(child.node);
        rows.push_back({child.node, folder, level, child.size, largest, 0, opened});
        if (opened)
            addRows(wish, child.node, level + 1, rows);
    }
    if (rest.restCount > 0) {
        rest.folder = folder;
        rest.level = level;
        rest.largest = largest;
        rows.push_back(rest);
    }
}

} // namespace

std::uint32_t DescentWish::childCount() const
{
    return tree ? tree->countChildren(focus) : 0;
}

std::vector<DescentRow> descentRows(const DescentWish& wish)
{
    std::vector<DescentRow> rows;
    if (wish.tree && wish.focus != noNode)
        addRows(wish, wish.focus, 0, rows);
    return rows;
}

} // namespace kurvo
