// SPDX-License-Identifier: GPL-3.0-or-later
// Asking a filter about entries.
#include "core/find/filter.h"

#include <fnmatch.h>

#include <algorithm>
#include <cctype>
#include <cstring>

#include "core/base/text.h"
#include "core/tree/stretches.h"

namespace kurvo {
namespace {

/// `needle` in lower case; ASCII case ignored.
bool containsWord(std::string_view text, std::string_view needle)
{
    if (needle.empty())
        return true;
    if (text.size() < needle.size())
        return false;
    const auto lower = [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; };
    const char first = needle.front();
    const char* const last = text.data() + (text.size() - needle.size());
    for (const char* at = text.data(); at <= last; ++at) {
        if (lower(*at) != first)
            continue;
        std::size_t i = 1;
        while (i < needle.size() && lower(at[i]) == needle[i])
            ++i;
        if (i == needle.size())
            return true;
    }
    return false;
}

bool endsWithWord(std::string_view text, std::string_view needle)
{
    return text.size() >= needle.size() && containsWord(text.substr(text.size() - needle.size()), needle);
}

std::string lowerCase(std::string text)
{
    std::transform(text.begin(), text.end(), text.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; });
    return text;
}

} // namespace

bool Filter::asksFor(Test test) const
{
    return std::any_of(terms_.begin(), terms_.end(), [test](const Term& term) { return term.test == test; });
}

BoundFilter Filter::bind(const FileTree& tree, FilterContext context) const
{
    BoundFilter bound;
    bound.tree_ = &tree;
    bound.context_ = std::move(context);
    for (const auto& term : terms_) {
        auto& step = bound.steps_.emplace_back();
        step.term = term;
        if (term.test == Test::Owners)
            for (const auto& value : term.values) {
                if (!value.empty() &&
                    std::all_of(value.begin(), value.end(), [](char c) { return c >= '0' && c <= '9'; }) &&
                    value.size() < 10)
                    step.uids.push_back(static_cast<std::uint32_t>(std::stoul(value)));
                for (const auto& [uid, name] : bound.context_.owners)
                    if (name == value)
                        step.uids.push_back(uid);
            }
        // Seeking a word is several times as quick as matching a glob.
        if (const auto& glob = term.text;
            (term.test == Test::PathGlob || term.test == Test::NameGlob) && glob.size() > 2 && glob.front() == '*') {
            const bool ascii = std::all_of(glob.begin(), glob.end(), [](char c) { return c > 0; });
            const auto special = glob.find_first_of("*?[\\", 1);
            step.within = ascii && glob.back() == '*' && special == glob.size() - 1;
            step.ending = ascii && term.test == Test::NameGlob && special == std::string::npos;
            if (step.within || step.ending)
                step.term.text = lowerCase(glob.substr(1, glob.size() - (step.within ? 2 : 1)));
        }
        if (term.test == Test::Marks) {
            const auto& kinds = bound.context_.marks ? bound.context_.marks->book().kinds : builtInMarkKinds();
            for (const auto& value : term.values)
                for (std::size_t kind = 0; kind <= kinds.size(); ++kind)
                    if (kind == kinds.size() ? value == "none"
                                             : value == "any" || value == kinds[kind].id || value == kinds[kind].name)
                        step.kinds |= 1u << kind;
        }
        if (term.test == Test::Under) {
            const auto root = tree.path(rootNode);
            const auto path = term.text.starts_with('/') ? term.text : joinPath(root, term.text);
            if (const auto found = tree.find(path))
                step.under.top = *found;
            else if (isAtOrBelow(root, path))
                step.under.top = rootNode; // all of this place lies there
        }
        if (term.test == Test::Age) {
            // Ages become dates once: older is earlier.
            const auto back = [&](std::int64_t age) { return bound.context_.now - age; };
            step.term.least = term.most == INT64_MAX ? INT64_MIN : back(term.most);
            step.term.most = term.least == INT64_MIN ? INT64_MAX : back(term.least);
        }
    }
    return bound;
}

/// The children of a folder follow each other: its path is built once.
const std::string& BoundFilter::pathOf(Path& path, NodeId node) const
{
    const auto folder = tree_->parent(node);
    if (folder == noNode || path.folder != folder) {
        path.folder = folder;
        if (folder == noNode)
            return path.text = tree_->path(node);
        // And folders beside each other mostly, too.
        const auto above = tree_->parent(folder);
        if (above == noNode || above != path.above) {
            path.above = above;
            const bool begins = above == noNode || (above == rootNode && tree_->isTogether()); // a whole path
            path.aboveText = begins ? std::string() : tree_->path(above);
            if (!begins && !path.aboveText.ends_with('/'))
                path.aboveText += '/';
        }
        path.text = path.aboveText;
        if (folder != rootNode || !tree_->isTogether()) {
            path.text += tree_->name(folder);
            if (!path.text.ends_with('/'))
                path.text += '/';
        }
        path.length = path.text.size();
    }
    path.text.resize(path.length);
    path.text += tree_->name(node);
    return path.text;
}

/// A word without a slash lies within one name: whether any folder on the way has it is known for all that is in it.
bool BoundFilter::namesHaveWord(Step& step, NodeId node) const
{
    const auto& word = step.term.text;
    const auto folder = tree_->parent(node);
    if (folder != step.path.folder) {
        step.path.folder = folder;
        const auto above = folder == noNode ? noNode : tree_->parent(folder);
        if (above != step.path.above || above == noNode) {
            step.path.above = above;
            step.path.aboveHasWord = false;
            for (auto up = above; up != noNode && !step.path.aboveHasWord; up = tree_->parent(up))
                step.path.aboveHasWord = containsWord(tree_->name(up), word);
        }
        step.path.hasWord = step.path.aboveHasWord || (folder != noNode && containsWord(tree_->name(folder), word));
    }
    return step.path.hasWord || containsWord(tree_->name(node), word);
}

/// What a folder's path holds is held by all in it: then only the name is looked at, and so much before it as the word
/// may begin in.
bool BoundFilter::pathHasWord(Step& step, NodeId node) const
{
    const auto& word = step.term.text;
    if (word.find('/') == word.npos)
        return namesHaveWord(step, node);
    const auto folder = tree_->parent(node);
    if (folder == noNode)
        return containsWord(tree_->path(node), word);
    if (folder != step.path.folder) {
        pathOf(step.path, node);
        auto& path = step.path.text;
        path.resize(step.path.length);
        step.path.hasWord = containsWord(path, word);
        path.erase(0, path.size() - std::min(path.size(), word.size() - 1));
        step.path.length = path.size();
    }
    if (step.path.hasWord)
        return true;
    step.path.text.resize(step.path.length);
    step.path.text += tree_->name(node);
    return containsWord(step.path.text, word);
}

bool BoundFilter::passes(Step& step, NodeId node)
{
    using Test = Filter::Test;
    const auto& tree = *tree_;
    const auto& store = tree.store();
    const auto& term = step.term;
    const auto within = [&term](std::uint64_t value) {
        const auto v = static_cast<std::int64_t>(std::min<std::uint64_t>(value, INT64_MAX));
        return v >= term.least && v <= term.most;
    };
    switch (term.test) {
    case Test::Word:
        return containsWord(tree.name(node), term.text);
    case Test::NameGlob:
        if (step.ending)
            return endsWithWord(tree.name(node), term.text);
        if (step.within)
            return containsWord(tree.name(node), term.text);
        return ::fnmatch(term.text.c_str(), store.nameC(node), FNM_CASEFOLD) == 0;
    case Test::PathGlob:
        if (step.within)
            return pathHasWord(step, node);
        return ::fnmatch(term.text.c_str(), pathOf(step.path, node).c_str(), FNM_CASEFOLD) == 0;
    case Test::Size:
        return within(context_.changes ? context_.changes->disk(node) : tree.disk(node));
    case Test::Apparent:
        return within(context_.changes ? context_.changes->apparent(node) : tree.apparent(node));
    case Test::Age:
    case Test::Changed: {
        const auto modified = store.modified(node);
        return modified >= term.least && modified <= term.most;
    }
    case Test::Families:
        return !tree.isFolder(node) &&
               (term.families >> static_cast<unsigned>(typeInfo(store.type(node)).family) & 1) != 0;
    case Test::Types:
        return !tree.isFolder(node) &&
               std::find(term.types.begin(), term.types.end(), store.type(node)) != term.types.end();
    case Test::Owners:
        return std::find(step.uids.begin(), step.uids.end(), store.owner(node)) != step.uids.end();
    case Test::Under: {
        if (step.under.top == noNode)
            return false;
        if (node == step.under.top)
            return true;
        const auto folder = store.parent(node);
        if (folder != step.under.folder) {
            step.under.folder = folder;
            step.under.inside = folder != noNode && tree.isAtOrBelow(folder, step.under.top);
        }
        return step.under.inside;
    }
    case Test::Marks: {
        const auto none = builtInMarkKinds().size();
        return (step.kinds >> (context_.marks ? context_.marks->kindOf(node) : none) & 1) != 0;
    }
    case Test::Advices: {
        const auto level = context_.advice ? context_.advice->levels[node] : AdviceLevel::YourCall;
        return (term.families >> static_cast<unsigned>(level) & 1) != 0;
    }
    case Test::Roles: {
        const auto role = context_.advice ? context_.advice->roles[node] : Role::NotKnown;
        return (term.families >> static_cast<unsigned>(role) & 1) != 0;
    }
    case Test::Changes:
        return context_.changes && (term.families >> context_.changes->kind(node) & 1) != 0;
    case Test::Delta: {
        const auto delta = context_.changes ? context_.changes->delta(node) : 0;
        return context_.changes && delta >= term.least && delta <= term.most;
    }
    case Test::Hidden:
        return tree.isHidden(node);
    case Test::Sparse:
        return isSparse(store, node);
    case Test::Preallocated:
        return isPreallocated(store, node);
    case Test::Linked:
        return store.has(node, FlagLinked);
    case Test::Planned:
        return context_.isPlanned && context_.isPlanned(node);
    case Test::SymbolicLink:
        return store.kind(node) == EntryKind::SymbolicLink;
    case Test::EmptyFile:
        return store.kind(node) == EntryKind::File && store.ownApparent(node) == 0;
    case Test::And:
    case Test::Or:
    case Test::Not:
    case Test::Everything:
        break;
    }
    return true;
}

bool BoundFilter::matches(NodeId node)
{
    using Test = Filter::Test;
    if (steps_.empty())
        return true;
    stack_.clear();
    for (auto& step : steps_) {
        switch (step.term.test) {
        case Test::And:
        case Test::Or: {
            const bool last = stack_.back();
            stack_.pop_back();
            stack_.back() = step.term.test == Test::And ? stack_.back() && last : stack_.back() || last;
            break;
        }
        case Test::Not:
            stack_.back() = !stack_.back();
            break;
        default:
            stack_.push_back(passes(step, node));
        }
    }
    return stack_.back();
}

std::vector<NodeId> matchingFiles(const FileTree& tree, const BoundFilter& filter, NodeId top)
{
    std::vector<NodeId> found;
    if (top != rootNode || tree.isGrowing() || !tree.removed().empty()) {
        auto own = filter;
        tree.forEachBelow(top, [&](NodeId node) {
            if (!tree.isFolder(node) && own.matches(node))
                found.push_back(node);
        });
        return found;
    }
    const auto bounds = stretchesOf(tree.store(), tree.extent().nodes);
    std::vector<std::vector<NodeId>> parts(bounds.size() - 1);
    forEachStretch(bounds, [&](std::size_t part, NodeId from, NodeId to) {
        auto own = filter;
        for (NodeId node = from; node < to; ++node)
            if (!tree.isFolder(node) && own.matches(node))
                parts[part].push_back(node);
    });
    for (const auto& part : parts)
        found.insert(found.end(), part.begin(), part.end());
    return found;
}

std::string filterWord(std::string_view word)
{
    std::string out;
    for (const char c : word) {
        const auto byte = static_cast<unsigned char>(c);
        const bool plain = std::isalnum(byte) != 0 || byte >= 0x80 || std::strchr("/._-+,", c) != nullptr;
        out += plain ? "" : "\\";
        out += c;
    }
    return out;
}

} // namespace kurvo
