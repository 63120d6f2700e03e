// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>

#include "core/leads/candidates.h"

namespace kurvo {
namespace {

/// The topmost entries that one rule speaks of.
struct Item {
    NodeId node = noNode;
    std::uint32_t above = UINT32_MAX; ///< the item it lies in
    std::uint16_t rule = 0;
    std::uint64_t apart = 0; ///< bytes of items in it that are candidates of their own
};

class RuleItems {
public:
    explicit RuleItems(const Gathering& g) : g_(g), tree_(*g.facts.tree), store_(tree_.store()) { }

    std::vector<Item> find()
    {
        constexpr auto none = UINT32_MAX;
        const auto folders = tree_.extent().folders;
        std::vector<std::uint32_t> within(folders, none);
        std::vector<bool> gone(folders);
        protected_.assign(folders, 0);
        const bool some = !tree_.removed().empty();
        const auto& rules = g_.facts.book->rules();
        for (NodeId node = 0; node < tree_.extent().nodes; ++node) {
            const bool isFolder = store_.isFolder(node);
            const auto above = node == rootNode ? none : store_.folderIndex(store_.parent(node));
            if (some && node != rootNode && (gone[above] || tree_.isRemoved(node))) {
                if (isFolder)
                    gone[store_.folderIndex(node)] = true;
                continue;
            }
            auto in = node == rootNode ? none : within[above];
            const auto rule = g_.advice->rules[node];
            if (rule != TreeAdvice::noRule && !rules[rule].lead.empty() &&
                (in == none || (items_[in].rule != rule && rules[rule].level > rules[items_[in].rule].level)) &&
                mayGo(node, isFolder, rules[rule])) {
                items_.push_back({node, in, rule, 0});
                if (in != none)
                    items_[in].apart += tree_.disk(node);
                in = static_cast<std::uint32_t>(items_.size() - 1);
            }
            if (isFolder)
                within[store_.folderIndex(node)] = in;
        }
        return std::move(items_);
    }

private:
    /// Neither what belongs to the system nor a folder that must stay whatever is in it.
    bool mayGo(NodeId node, bool isFolder, const AdviceRule& rule)
    {
        if (rule.role == Role::Trash)
            return true; // the guard keeps it from being planned as a folder; it is emptied
        if (isFolder || tree_.disk(node) >= g_.threshold)
            return !protectionOf(tree_.path(node), g_.facts.guard);
        const auto folder = store_.parent(node);
        auto& known = protected_[store_.folderIndex(folder)];
        if (known == 0) {
            const auto protection = protectionOf(tree_.path(folder), g_.facts.guard);
            known = protection && protection->whole ? 2 : 1;
        }
        return known == 1;
    }

    const Gathering& g_;
    const FileTree& tree_;
    const NodeStore& store_;
    std::vector<Item> items_;
    std::vector<std::uint8_t> protected_; ///< by folder index: 1 no, 2 yes
};

LeadStep stepOf(const AdviceRule& rule)
{
    if (rule.role == Role::Trash)
        return LeadStep::Empty;
    switch (rule.level) {
    case AdviceLevel::UsuallySafe:
        return LeadStep::Plan;
    case AdviceLevel::OwnTool:
        return LeadStep::Tool;
    case AdviceLevel::YourCall:
        return rule.role == Role::Machines || rule.role == Role::AppData ? LeadStep::Ask : LeadStep::Look;
    case AdviceLevel::LeaveAlone:
        break;
    }
    return LeadStep::Look;
}

Candidate candidateOf(const AdviceRule& rule, const FileTree& tree, std::vector<NodeId> nodes)
{
    Candidate made;
    auto& lead = made.lead;
    made.several = nodes.size() > 1;
    lead.title = made.several && !rule.leads.empty() ? rule.leads : rule.lead;
    lead.where = nodes.size() == 1 ? tree.path(nodes.front()) : tree.path(commonFolder(tree, nodes));
    lead.id = rule.id + ":" + (made.several ? lead.where + "/*" : lead.where);
    lead.why = rule.what;
    lead.next = rule.action;
    lead.command = rule.command;
    lead.level = rule.level;
    lead.role = rule.role.value_or(Role::NotKnown);
    lead.step = stepOf(rule);
    lead.nodes = std::move(nodes);
    if (rule.inUse)
        made.certainty = 0.3;
    else if (rule.id == "journal") // it is shortened, and never goes as a whole
        made.certainty = 0.7;
    return made;
}

} // namespace

NodeId commonFolder(const FileTree& tree, const std::vector<NodeId>& nodes)
{
    if (nodes.empty())
        return rootNode;
    auto common = nodes.front() == rootNode ? rootNode : tree.parent(nodes.front());
    NodeId last = common;
    for (const NodeId node : nodes) {
        if (common == rootNode)
            break;
        const NodeId above = node == rootNode ? rootNode : tree.parent(node);
        if (above == last)
            continue;
        last = above;
        while (common != rootNode && !tree.isAtOrBelow(above, common))
            common = tree.parent(common);
    }
    return common;
}

void gatherByRules(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    const auto& rules = g.facts.book->rules();
    const auto items = RuleItems(g).find();
    const auto first = all.size();
    std::map<std::uint16_t, std::vector<const Item*>> byRule;
    for (const auto& item : items)
        if (tree.disk(item.node) > 0)
            byRule[item.rule].push_back(&item);
    const auto sizeOf = [&tree](const Item* item) { return tree.disk(item->node) - item->apart; };
    for (auto& [rule, list] : byRule) {
        std::sort(list.begin(), list.end(), [&](const Item* a, const Item* b) {
            return sizeOf(a) != sizeOf(b) ? sizeOf(a) > sizeOf(b) : a->node < b->node;
        });
        // What holds one byte in a hundred, and much of what its rule speaks of, is worth a sentence of its own.
        constexpr std::size_t mostAlone = 8;
        std::size_t alone = 0;
        std::uint64_t sum = 0;
        for (const auto* item : list)
            sum += sizeOf(item);
        const auto enough = std::max(5 * g.threshold, sum / 4);
        const auto add = [&](std::vector<NodeId> nodes) {
            all.push_back(candidateOf(rules[rule], tree, std::move(nodes)));
        };
        while (alone < std::min(mostAlone, list.size()) && sizeOf(list[alone]) >= enough)
            add({list[alone++]->node});
        std::vector<NodeId> small;
        sum = 0;
        for (auto i = alone; i < list.size(); ++i) {
            small.push_back(list[i]->node);
            sum += sizeOf(list[i]);
        }
        if (sum >= g.threshold)
            add(std::move(small));
    }
    // What lies in an item and became a candidate of its own is no part of it.
    std::vector<bool> own(tree.extent().nodes);
    for (auto i = first; i < all.size(); ++i)
        for (const NodeId node : all[i].lead.nodes)
            own[node] = true;
    std::map<NodeId, std::vector<NodeId>> apart;
    for (const auto& item : items)
        if (item.above != UINT32_MAX && own[item.node])
            apart[items[item.above].node].push_back(item.node);
    for (auto i = first; i < all.size() && !apart.empty(); ++i)
        for (const NodeId node : all[i].lead.nodes)
            if (const auto found = apart.find(node); found != apart.end())
                for (const NodeId within : found->second)
                    all[i].apart.push_back({within, node});
}

} // namespace kurvo