// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/stages/find/find_query.h"

#include <functional>
#include <unordered_set>
#include <utility>

#include "core/find/largest.h"

namespace kurvo::app {
namespace {

/// Bytes on disk, nothing twice where one folder lies in another.
std::uint64_t sumOf(const FileTree& tree, const std::vector<NodeId>& nodes)
{
    std::unordered_set<NodeId> folders;
    for (const NodeId node : nodes)
        if (tree.isFolder(node))
            folders.insert(node);
    std::uint64_t sum = 0;
    for (const NodeId node : nodes) {
        bool within = false;
        for (auto above = tree.parent(node); !folders.empty() && above != noNode && !within; above = tree.parent(above))
            within = folders.contains(above);
        sum += within ? 0 : tree.disk(node);
    }
    return sum;
}

/// Whether an entry is planned, itself or with a folder above it.
std::function<bool(NodeId)> plannedIn(const PlanState& plan, std::shared_ptr<const FileTree> tree)
{
    std::unordered_set<NodeId> planned;
    for (const auto& item : plan)
        if (item->node != noNode)
            planned.insert(item->node);
    return [tree = std::move(tree), planned = std::move(planned)](NodeId node) {
        for (; node != noNode; node = tree->parent(node))
            if (planned.contains(node))
                return true;
        return false;
    };
}

} // namespace

std::shared_ptr<FoundFiles> FindQuery::answer()
{
    auto found = std::make_shared<FoundFiles>();
    context.isPlanned = plannedIn(*plan, tree);
    found->tree = tree;
    found->questions = known ? known : std::make_shared<const Questions>(tree, now, kernel);
    found->top = top;
    found->answers = answered ? *answered : found->questions->answers(top);
    std::vector<NodeId> files;
    const bool byAdvice = order == FileOrder::Advice || order == FileOrder::Role;
    if (!context.advice && (byAdvice || filter.asksForAdvice()))
        context.advice =
            std::make_shared<const TreeAdvice>(adviseTree(rules ? rules->book : RuleBook::builtIn(), *tree));
    if (findsFolders(question)) {
        auto wanted = base.bind(*tree, context);
        files = found->questions->nodes(question, top);
        std::erase_if(files, [&](NodeId folder) { return !wanted.matches(folder); });
    } else {
        files = matchingFiles(*tree, base.bind(*tree, context), top);
        std::erase_if(files, [&](NodeId file) { return !found->questions->asks(question, file); });
    }
    found->field = std::make_shared<const AgeField>(kurvo::ageField(*tree, files, now));
    if (boxed) {
        auto narrow = filter.bind(*tree, context);
        std::erase_if(files, [&](NodeId file) { return !narrow.matches(file); });
    }
    found->disk = sumOf(*tree, files);
    found->folders = findsFolders(question);
    std::function<std::uint8_t(NodeId)> given;
    if (order == FileOrder::Role)
        given = [&](NodeId file) { return static_cast<std::uint8_t>(context.advice->roles[file]); };
    else if (byAdvice)
        given = [&](NodeId file) { return static_cast<std::uint8_t>(context.advice->levels[file]); };
    else if (order == FileOrder::Mark)
        given = [&](NodeId file) { return static_cast<std::uint8_t>(marks ? marks->kindOf(file) : 0); };
    sortFiles(*tree, files, order, descending, given);
    found->advice = context.advice;
    found->files = std::move(files);
    return found;
}

} // namespace kurvo::app
