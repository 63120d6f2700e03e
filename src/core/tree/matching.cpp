// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/tree/matching.h"

#include <limits>
#include <utility>

namespace kurvo {

Matching::Matching(std::shared_ptr<const FileTree> now, std::shared_ptr<const FileTree> before)
    : now_(std::move(now)), before_(std::move(before)), earlier_(now_->extent().nodes, noNode)
{
    ChildMatcher children(*now_, *before_);
    std::vector<std::pair<NodeId, NodeId>> pending{{rootNode, rootNode}};
    earlier_[rootNode] = rootNode;
    while (!pending.empty()) {
        const auto [folder, then] = pending.back();
        pending.pop_back();
        children.match(folder, then, [&](NodeId here, NodeId there) {
            earlier_[here] = there;
            if (now_->isFolder(here))
                pending.emplace_back(here, there);
        });
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
