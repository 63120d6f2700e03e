// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/marks/marks.h"

#include <algorithm>

#include "core/base/figures.h"
#include "core/base/text.h"

namespace kurvo {

const std::vector<MarkKind>& builtInMarkKinds()
{
    static const std::vector<MarkKind> kinds{{"keep", "keep", 0x117733, "\u25CF"},
                                             {"ask", "ask", 0xDDCC77, "?"},
                                             {"archive", "archive", 0x88CCEE, "\u25A0"},
                                             {"clear-out", "clear out", 0xCC6677, "\u00D7"}};
    return kinds;
}

std::optional<std::size_t> MarkBook::kindIndex(const std::string& id) const
{
    const auto found = std::find_if(kinds.begin(), kinds.end(), [&id](const MarkKind& kind) { return kind.id == id; });
    return found == kinds.end() ? std::nullopt : std::optional(static_cast<std::size_t>(found - kinds.begin()));
}

TreeMarks::TreeMarks(std::shared_ptr<const FileTree> tree, std::shared_ptr<const MarkBook> book)
    : tree_(std::move(tree)), book_(std::move(book))
{
    for (const auto& [path, mark] : book_->marks)
        if (const auto node = tree_->find(path); node && book_->kindIndex(mark.kind))
            own_.emplace(*node, &mark);
    // What the place lies in can be marked as well.
    for (const NodeId root : tree_->places()) {
        const Mark* above = nullptr;
        auto path = tree_->path(root);
        while (path != "/" && !above) {
            path = std::string(parentPath(path));
            if (const auto found = book_->marks.find(path);
                found != book_->marks.end() && book_->kindIndex(found->second.kind))
                above = &found->second;
        }
        if (above)
            own_.emplace(root, above);
    }
    if (own_.empty())
        return;
    const auto& store = tree_->store();
    from_.assign(tree_->extent().folders, noNode);
    for (NodeId node = 0; node < tree_->extent().nodes; ++node)
        if (store.isFolder(node))
            from_[store.folderIndex(node)] = own_.contains(node) ? node
                                             : node == rootNode  ? noNode
                                                                 : from_[store.folderIndex(store.parent(node))];
}

const Mark* TreeMarks::own(NodeId node) const
{
    const auto found = own_.find(node);
    // The mark of a folder above the place is only inherited.
    return found == own_.end() || (tree_->isPlace(node) && found->second->path != tree_->path(node)) ? nullptr
                                                                                                     : found->second;
}

TreeMarks::Found TreeMarks::of(NodeId node) const
{
    if (own_.empty() || node == noNode)
        return {};
    const auto& store = tree_->store();
    if (!store.isFolder(node)) {
        if (const auto found = own_.find(node); found != own_.end())
            return {found->second, node};
        node = store.parent(node);
        if (node == noNode)
            return {};
    }
    const auto index = store.folderIndex(node);
    const auto from = index < from_.size() ? from_[index] : noNode;
    return from == noNode ? Found{} : Found{own_.at(from), from};
}

std::size_t TreeMarks::kindOf(NodeId node) const
{
    const auto found = of(node);
    return found.mark ? book_->kindIndex(found.mark->kind).value_or(book_->kinds.size()) : book_->kinds.size();
}

std::string marksAsCsv(const MarkBook& book)
{
    std::vector<const Mark*> all;
    for (const auto& [path, mark] : book.marks)
        all.push_back(&mark);
    std::sort(all.begin(), all.end(), [](const Mark* a, const Mark* b) { return a->path < b->path; });
    std::string csv = "mark,note,changed,path\r\n";
    for (const auto* mark : all) {
        const auto kind = book.kindIndex(mark->kind);
        csv += csvField(kind ? book.kinds[*kind].name : mark->kind) + "," + csvField(mark->note) + "," +
               formatTime(mark->changed) + "," + csvField(displayText(mark->path)) + "\r\n";
    }
    return csv;
}

} // namespace kurvo
