// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/compare/matching.h"

#include <algorithm>
#include <limits>
#include <utility>

namespace kurvo {
namespace {

void listByName(const FileTree& tree, NodeId folder, std::vector<NodeId>& out)
{
    out.clear();
    tree.forEachChild(folder, [&out](NodeId child) { out.push_back(child); });
    std::sort(out.begin(), out.end(), [&tree](NodeId a, NodeId b) { return tree.name(a) < tree.name(b); });
}

} // namespace

Matching::Matching(std::shared_ptr<const FileTree> now, std::shared_ptr<const FileTree> before)
    : now_(std::move(now)), before_(std::move(before)), earlier_(now_->extent().nodes, noNode)
{
    std::vector<std::pair<NodeId, NodeId>> pending{{rootNode, rootNode}};
    earlier_[rootNode] = rootNode;
    std::vector<NodeId> here, there;
    while (!pending.empty()) {
        const auto [folder, then] = pending.back();
        pending.pop_back();
        listByName(*now_, folder, here);
        listByName(*before_, then, there);
        auto b = there.begin();
        for (const NodeId a : here) {
            const auto name = now_->name(a);
            while (b != there.end() && before_->name(*b) < name)
                ++b;
            if (b == there.end())
                break;
            if (before_->name(*b) != name || before_->isFolder(*b) != now_->isFolder(a))
                continue;
            earlier_[a] = *b;
            if (now_->isFolder(a))
                pending.emplace_back(a, *b);
        }
    }
}

std::int64_t Matching::growth(const FileTree& now, NodeId node, Measure measure) const
{
    constexpr std::uint64_t most = std::numeric_limits<std::int64_t>::max();
    const NodeId then = earlier(node);
    const auto is = std::min(now.measured(node, measure), most);
    const auto was = then == noNode ? 0 : std::min(before_->measured(then, measure), most);
    return static_cast<std::int64_t>(is) - static_cast<std::int64_t>(was);
}

} // namespace kurvo
