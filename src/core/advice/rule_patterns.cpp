// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/advice/rule_patterns.h"

#include <fnmatch.h>

#include <algorithm>
#include <cstring>

#include "core/advice/rule_book.h"

namespace kurvo {

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

bool RulePatterns::Part::fits(const char* name, std::size_t length) const
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

RulePatterns::RulePatterns(const std::vector<AdviceRule>& rules) : rules_(rules.size())
{
    for (std::size_t rule = 0; rule < rules.size(); ++rule)
        for (const auto& path : rules[rule].paths) {
            if (path.starts_with("~/")) { // home folders
                for (const auto* home : {"/home/*", "/root", "/var/home/*"})
                    addPattern(home + path.substr(1), rule);
            } else {
                addPattern(path, rule);
            }
        }
    indexBeginnings();
}

void RulePatterns::addPattern(std::string_view form, std::size_t rule)
{
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

void RulePatterns::indexBeginnings()
{
    for (std::uint32_t i = 0; i < patterns_.size(); ++i) {
        const auto& parts = patterns_[i].parts;
        if (parts[0].kind != Part::Kind::Deep)
            continue;
        const auto& first = parts[1]; // there is one: a pattern of nothing but ** is no pattern
        const auto byte = [](char c) { return static_cast<unsigned char>(c); };
        const bool plainFirst = !first.text.empty() && std::strchr("*?[\\", first.text[0]) == nullptr;
        if (first.kind == Part::Kind::Literal) {
            byName_[first.text].push_back(i);
            lengthsByFirst_[byte(first.text[0])] |= std::uint64_t{1} << std::min<std::size_t>(first.text.size(), 63);
        } else if (first.kind == Part::Kind::Ending && !first.text.empty()) {
            byLast_[byte(first.text.back())].push_back(i);
            lasts_[byte(first.text.back())] = true;
        } else if (plainFirst) {
            byFirst_[byte(first.text[0])].push_back(i);
            firsts_[byte(first.text[0])] = true;
        } else {
            other_.push_back(i);
            anyBegins_ = true;
        }
    }
}

/// Notes a pattern as used up to `part`; "**" may stand for nothing, so what comes after it is reached as well.
void RulePatterns::reach(std::uint32_t pattern, std::uint32_t part, State& state, std::size_t& best) const
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

RulePatterns::State RulePatterns::start() const
{
    State state;
    std::size_t none = 0;
    for (std::uint32_t i = 0; i < patterns_.size(); ++i)
        if (patterns_[i].parts[0].kind != Part::Kind::Deep)
            reach(i, 0, state, none);
    return state;
}

std::size_t RulePatterns::enter(const State& above, const char* name, std::size_t length, State& below,
                                std::size_t only) const
{
    below.clear();
    auto best = rules_;
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
    if (!mayBegin(name, length))
        return best;
    const auto begin = [&](std::uint32_t pattern) {
        if (only == everyRule || patterns_[pattern].rule == only)
            reach(pattern, 2, below, best);
    };
    const auto first = static_cast<unsigned char>(name[0]), last = static_cast<unsigned char>(name[length - 1]);
    if ((lengthsByFirst_[first] >> std::min<std::size_t>(length, 63) & 1) != 0)
        if (const auto named = byName_.find(std::string_view(name, length)); named != byName_.end())
            for (const auto pattern : named->second)
                begin(pattern);
    for (const auto* some : {&byLast_[last], &byFirst_[first], &other_})
        for (const auto pattern : *some)
            if (patterns_[pattern].parts[1].fits(name, length))
                begin(pattern);
    return best;
}

std::size_t RulePatterns::follow(std::string_view path, State& state, std::size_t only) const
{
    State next;
    state = start();
    auto best = rules_;
    std::string name; // with the null byte that globs need
    for (const auto part : componentsOf(path)) {
        name = part;
        best = enter(state, name.c_str(), name.size(), next, only);
        std::swap(state, next);
    }
    return best;
}

bool RulePatterns::isSettled(const State& state, std::size_t& rule) const
{
    rule = rules_;
    for (const auto& at : state) {
        if (patterns_[at.pattern].parts.size() != at.part + 1 ||
            patterns_[at.pattern].parts[at.part].kind != Part::Kind::Deep)
            return false;
        rule = std::min(rule, patterns_[at.pattern].rule);
    }
    return true;
}

} // namespace kurvo
