// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/rule_of_items.h"

#include <algorithm>

#include "core/base/text.h"
#include "core/find/filter.h"
#include "core/types/file_types.h"

namespace kurvo {
namespace {

/// The folder that holds both.
NodeId commonFolder(const FileTree& tree, NodeId a, NodeId b)
{
    const auto up = tree.chain(a), other = tree.chain(b);
    NodeId common = rootNode;
    for (std::size_t i = 0; i < std::min(up.size(), other.size()) && up[i] == other[i]; ++i)
        common = up[i];
    return common;
}

NodeId folderOf(const FileTree& tree, NodeId node)
{
    return tree.isFolder(node) ? node : tree.parent(node);
}

/// One of them and all that are like it, as a term of a filter; empty where it cannot be written in one.
std::string termFor(const FileTree& tree, NodeId node)
{
    const auto folder = tree.path(folderOf(tree, node));
    if (displayText(folder) != folder)
        return {}; // a filter is a line of text
    const auto under = "under:" + filterWord(folder);
    if (tree.isFolder(node))
        return under;
    const auto type = typeInfo(tree.store().type(node)).extension;
    return type.empty() ? std::string() : "(" + under + " type:" + filterWord(type) + ")";
}

} // namespace

void speakOfItems(UpkeepRule& rule, const FileTree& tree, std::vector<NodeId> items)
{
    const auto placeOf = [&](NodeId node) { return tree.isTogether() ? tree.chain(node)[1] : rootNode; };
    const auto drive = placeOf(items.front());
    std::erase_if(items, [&](NodeId node) { return placeOf(node) != drive; });
    auto common = folderOf(tree, items.front());
    std::vector<std::string> terms;
    bool isNamed = true;
    for (const auto node : items) {
        common = commonFolder(tree, common, folderOf(tree, node));
        auto term = termFor(tree, node);
        isNamed = isNamed && !term.empty();
        if (std::find(terms.begin(), terms.end(), term) == terms.end())
            terms.push_back(std::move(term));
    }
    rule.subject = UpkeepSubject::Filter;
    rule.place = tree.path(common);
    constexpr std::size_t mostTerms = 8; // that a person would still read
    if (!isNamed || terms.size() > mostTerms || (items.size() == 1 && tree.isFolder(items.front()))) {
        rule.filter = "size>1M";
        return;
    }
    rule.filter.clear();
    for (const auto& term : terms)
        rule.filter += (rule.filter.empty() ? "" : " or ") + term;
}

} // namespace kurvo
