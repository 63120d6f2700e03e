// SPDX-License-Identifier: GPL-3.0-or-later
// Asking the rules. A path is followed component by component through all patterns at once, as through the states of an
// automaton: what has not begun to fit is not looked at again, so that a whole tree costs little more than its names.
#include "core/advice/rule_book.h"

#include <fnmatch.h>

#include <algorithm>
#include <array>
#include <cstring>

#include "core/advice/built_in_rules.h"
#include "core/advice/guard.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

std::vector<std::string_view> componentsOf(std::string_view path)
{
    std::vector<std::string_view> parts;
    while (!path.empty()) {
        const auto slash = std::min(path.find('/'), path.size());
        if (slash > 0)
            parts.push_back(path.substr(0, slash));
        path.remove_prefix(std::min(slash + 1, path.size()));
    }
    return parts;
}

} // namespace

const char* adviceLevelName(AdviceLevel level)
{
    static constexpr std::array names{"leave alone", "use its own tool", "your call", "usually safe"};
    return names[static_cast<std::size_t>(level)];
}

const RuleBook& RuleBook::builtIn()
{
    static const RuleBook book = [] {
        RuleBook made;
        const auto& files = builtInRules();
        for (auto file = files.rbegin(); file != files.rend(); ++file)
            made.add(*file, {});
        return made;
    }();
    return book;
}

bool RuleBook::Part::fits(const char* name, std::size_t length) const
{
    switch (kind) {
    case Kind::Literal:
        return length == text.size() && std::memcmp(name, text.data(), length) == 0;
    case Kind::Ending:
        return length >= text.size() && std::memcmp(name + length - text.size(), text.data(), text.size()) == 0;
    case Kind::Beginning:
        return length >= text.size() && std::memcmp(name, text.data(), text.size()) == 0;
    case Kind::Any:
        return true;
    case Kind::Glob:
        return ::fnmatch(text.c_str(), name, 0) == 0;
    case Kind::Deep:
        break;
    }
    return false;
}

void RuleBook::compile()
{
    patterns_.clear();
    for (std::size_t rule = 0; rule < rules_.size(); ++rule)
        for (const auto& path : rules_[rule].paths) {
            std::vector<std::string> forms{path};
            if (path.starts_with("~/")) // home folders
                forms = {"/home/*" + path.substr(1), "/root" + path.substr(1), "/var/home/*" + path.substr(1)};
            for (const auto& form : forms) {
                Pattern pattern;
                pattern.rule = rule;
                for (const auto part : componentsOf(form)) {
                    const auto special = part.find_first_of("*?[");
                    const auto last = part.find_last_of("*?[");
                    Part made{Part::Kind::Glob, std::string(part)};
                    if (part == "**")
                        made.kind = Part::Kind::Deep;
                    else if (part == "*")
                        made.kind = Part::Kind::Any;
                    else if (special == std::string_view::npos)
                        made.kind = Part::Kind::Literal;
                    else if (special == 0 && last == 0 && part[0] == '*')
                        made = {Part::Kind::Ending, std::string(part.substr(1))};
                    else if (special == part.size() - 1 && part.back() == '*')
                        made = {Part::Kind::Beginning, std::string(part.substr(0, special))};
                    pattern.parts.push_back(std::move(made));
                }
                patterns_.push_back(std::move(pattern));
            }
        }
    anywhereByName_.clear();
    anywhereOther_.clear();
    anywhereByLast_.assign(256, {});
    for (std::uint32_t i = 0; i < patterns_.size(); ++i) {
        const auto& parts = patterns_[i].parts;
        if (parts[0].kind != Part::Kind::Deep)
            continue;
        const auto& first = parts[1]; // there is one: a pattern of nothing but ** is no pattern
        if (first.kind == Part::Kind::Literal)
            anywhereByName_[first.text].push_back(i);
        else if (first.kind == Part::Kind::Ending && !first.text.empty())
            anywhereByLast_[static_cast<unsigned char>(first.text.back())].push_back(i);
        else
            anywhereOther_.push_back(i);
    }
}

/// Notes a pattern as used up to `part`; "**" may stand for nothing, so what comes after it is reached as well.
void RuleBook::reach(std::uint32_t pattern, std::uint32_t part, State& state, std::size_t& best) const
{
    const auto& parts = patterns_[pattern].parts;
    for (;; ++part) {
        if (part == parts.size()) {
            best = std::min(best, patterns_[pattern].rule);
            return;
        }
        state.push_back({pattern, part});
        if (parts[part].kind != Part::Kind::Deep)
            return;
    }
}

/// Patterns that begin anywhere are no state: they can begin at every name and are asked by what that is.
RuleBook::State RuleBook::start() const
{
    State state;
    std::size_t none = 0;
    for (std::uint32_t i = 0; i < patterns_.size(); ++i)
        if (patterns_[i].parts[0].kind != Part::Kind::Deep)
            reach(i, 0, state, none);
    return state;
}

std::size_t RuleBook::enter(const State& above, const char* name, std::size_t length, State& below,
                            std::size_t only) const
{
    below.clear();
    auto best = rules_.size();
    for (const auto& at : above) {
        const auto& parts = patterns_[at.pattern].parts;
        const auto& part = parts[at.part];
        if (only != everyRule && patterns_[at.pattern].rule != only)
            continue;
        if (part.kind == Part::Kind::Deep) {
            // "**" takes this name, and what comes after it was reached along with it.
            below.push_back(at);
            if (at.part + 1 == parts.size())
                best = std::min(best, patterns_[at.pattern].rule);
            else if (parts[at.part + 1].kind != Part::Kind::Deep)
                below.push_back({at.pattern, at.part + 1});
        } else if (part.fits(name, length)) {
            reach(at.pattern, at.part + 1, below, best);
        }
    }
    const auto begin = [&](std::uint32_t pattern) {
        if (only == everyRule || patterns_[pattern].rule == only)
            reach(pattern, 2, below, best);
    };
    if (const auto named = anywhereByName_.find(std::string_view(name, length)); named != anywhereByName_.end())
        for (const auto pattern : named->second)
            begin(pattern);
    for (const auto* some :
         {length > 0 ? &anywhereByLast_[static_cast<unsigned char>(name[length - 1])] : nullptr, &anywhereOther_})
        for (std::size_t i = 0; some && i < some->size(); ++i)
            if (patterns_[(*some)[i]].parts[1].fits(name, length))
                begin((*some)[i]);
    return best;
}

const AdviceRule* RuleBook::find(std::string_view path) const
{
    State state = start(), next;
    auto best = rules_.size();
    std::string name; // with the null byte that globs need
    for (const auto part : componentsOf(path)) {
        name = part;
        best = enter(state, name.c_str(), name.size(), next);
        std::swap(state, next);
    }
    if (best < rules_.size() && rules_[best].level == AdviceLevel::UsuallySafe && isSystemPath(path))
        return nullptr;
    return best < rules_.size() ? &rules_[best] : nullptr;
}

bool RuleBook::fits(std::size_t index, std::string_view path) const
{
    State state = start(), next;
    auto best = rules_.size();
    std::string name;
    for (const auto part : componentsOf(path)) {
        name = part;
        best = enter(state, name.c_str(), name.size(), next, index);
        std::swap(state, next);
    }
    return best == index;
}

std::vector<AdviceLevel> RuleBook::levels(const FileTree& tree) const
{
    const auto& store = tree.store();
    std::vector<AdviceLevel> levels(tree.extent().nodes, AdviceLevel::YourCall);
    const auto levelOf = [this](std::size_t rule, bool system) {
        const auto level = rule < rules_.size() ? rules_[rule].level : AdviceLevel::YourCall;
        return system && level == AdviceLevel::UsuallySafe ? AdviceLevel::YourCall : level;
    };
    struct Folder {
        NodeId node;
        State state;
        bool system;
    };
    std::vector<Folder> pending;
    {
        const auto path = tree.path(rootNode);
        State state = start(), next;
        auto best = rules_.size();
        std::string name;
        for (const auto part : componentsOf(path)) {
            name = part;
            best = enter(state, name.c_str(), name.size(), next);
            std::swap(state, next);
        }
        levels[rootNode] = levelOf(best, isSystemPath(path));
        pending.push_back({rootNode, std::move(state), isSystemPath(path)});
    }
    State below;
    while (!pending.empty()) {
        const auto folder = std::move(pending.back());
        pending.pop_back();
        // Only near the root can a folder be where the system begins.
        const bool shallow = !folder.system && tree.chain(folder.node).size() < 5;
        tree.forEachChild(folder.node, [&](NodeId child) {
            const auto name = store.name(child);
            const auto rule = enter(folder.state, store.nameC(child), name.size(), below);
            const bool system = folder.system || (shallow && isSystemPath(tree.path(child)));
            levels[child] = levelOf(rule, system);
            if (tree.isFolder(child))
                pending.push_back({child, below, system});
        });
    }
    return levels;
}

} // namespace kurvo
