// SPDX-License-Identifier: GPL-3.0-or-later
// Reading rules from TOML. Each [[rule]] is parsed by itself: a mistake in one costs that one.
#include <dirent.h>
#include <fcntl.h>

#include <algorithm>
#include <unordered_set>

#include <toml++/toml.h>

#include "core/advice/rule_book.h"
#include "core/base/text.h"
#include "core/platform/file_facts.h"

namespace kurvo {
namespace {

struct Section {
    std::string_view text;
    std::size_t line = 1; ///< of its first line
};

/// The file cut before each line that begins a rule.
std::vector<Section> sectionsOf(std::string_view text)
{
    std::vector<Section> sections;
    std::size_t begin = 0, beginLine = 1, line = 1;
    for (std::size_t at = 0; at < text.size(); ++line) {
        const auto end = std::min(text.find('\n', at), text.size());
        auto content = text.substr(at, end - at);
        content.remove_prefix(std::min(content.find_first_not_of(" \t"), content.size()));
        if (content.starts_with("[[") && at > begin) {
            sections.push_back({text.substr(begin, at - begin), beginLine});
            begin = at;
            beginLine = line;
        }
        at = end + 1;
    }
    sections.push_back({text.substr(begin), beginLine});
    return sections;
}

class RuleReader {
public:
    RuleReader(const std::string& file, std::vector<RuleProblem>& problems) : file_(file), problems_(problems) { }

    void read(const Section& section, std::vector<AdviceRule>& rules)
    {
        line_ = section.line;
        toml::table table;
        try {
            table = toml::parse(section.text);
        } catch (const toml::parse_error& error) {
            line_ = section.line + std::max<std::size_t>(error.source().begin.line, 1) - 1;
            problem(std::string(error.description()) + ".");
            return;
        }
        for (const auto& [key, value] : table)
            if (key.str() != "rule" && lineOf(value))
                problem("\"" + std::string(key.str()) + "\" is not known here: every entry is a [[rule]].");
        if (const auto* all = table["rule"].as_array())
            for (const auto& each : *all)
                if (const auto* rule = each.as_table())
                    readRule(*rule, section.line, rules);
    }

private:
    bool lineOf(const toml::node& node)
    {
        line_ = first_ + node.source().begin.line - 1;
        return true;
    }

    void problem(std::string sentence) { problems_.push_back({file_, line_, std::move(sentence)}); }

    void readRule(const toml::table& table, std::size_t first, std::vector<AdviceRule>& rules)
    {
        first_ = first;
        AdviceRule rule;
        rule.file = file_;
        rule.line = first + std::max<std::size_t>(table.source().begin.line, 1) - 1;
        const auto before = problems_.size();
        bool hasLevel = false;
        for (const auto& [key, value] : table) {
            lineOf(value);
            const auto name = std::string(key.str());
            if (name == "path") {
                readPaths(value, rule);
                continue;
            }
            if (name == "in_use") {
                if (!value.is_boolean())
                    problem("\"in_use\" is true or false.");
                rule.inUse = value.value_or(false);
                continue;
            }
            const auto text = value.value<std::string>();
            if (!text || text->empty()) {
                problem("\"" + name + "\" wants a text in quotes.");
                continue;
            }
            if (name == "level")
                hasLevel = readLevel(*text, rule);
            else if (name == "role")
                readRole(*text, rule);
            else if (auto* member = memberOf(name, rule))
                *member = *text;
            else
                problem(
                    "\"" + name +
                    "\" is not known: a rule has id, path, level, role, lead, leads, in_use, what, do, command, test "
                    "and not.");
        }
        line_ = rule.line;
        if (problems_.size() == before) {
            if (rule.id.empty())
                problem("The rule has no id.");
            else if (rule.paths.empty())
                problem("The rule \"" + rule.id + "\" has no path.");
            else if (!hasLevel)
                problem("The rule \"" + rule.id + "\" has no level.");
            else if (rule.what.empty() || rule.action.empty())
                problem("The rule \"" + rule.id + "\" has to say what it is about (what) and what to do (do).");
            else if (std::any_of(rules.begin(), rules.end(), [&](const auto& r) { return r.id == rule.id; }))
                problem("The id \"" + rule.id + "\" is used twice in this file.");
        }
        if (problems_.size() == before)
            rules.push_back(std::move(rule));
    }

    static std::string* memberOf(const std::string& name, AdviceRule& rule)
    {
        return name == "id"        ? &rule.id
               : name == "what"    ? &rule.what
               : name == "do"      ? &rule.action
               : name == "command" ? &rule.command
               : name == "lead"    ? &rule.lead
               : name == "leads"   ? &rule.leads
               : name == "test"    ? &rule.test
               : name == "not"     ? &rule.notTest
                                   : nullptr;
    }

    bool readLevel(const std::string& text, AdviceRule& rule)
    {
        for (std::size_t i = 0; i < adviceLevels; ++i)
            if (text == adviceLevelName(static_cast<AdviceLevel>(i))) {
                rule.level = static_cast<AdviceLevel>(i);
                return true;
            }
        problem("\"" + text + "\" is no level: it is one of leave alone, use its own tool, your call, usually safe.");
        return true; // said already
    }

    void readRole(const std::string& text, AdviceRule& rule)
    {
        rule.role = roleNamed(text);
        if (rule.role)
            return;
        std::string names;
        for (std::size_t i = 0; i < roleCount; ++i)
            names += (i == 0 ? "" : ", ") + std::string(roleName(static_cast<Role>(i)));
        problem("\"" + text + "\" is no role: it is one of " + names + ".");
    }

    void readPaths(const toml::node& value, AdviceRule& rule)
    {
        const auto take = [&](const toml::node& node) {
            const auto path = node.value<std::string>();
            if (!path)
                return problem("\"path\" wants a pattern in quotes, or a list of such.");
            if (!(path->starts_with('/') || path->starts_with("~/") || path->starts_with("**/")) || *path == "/" ||
                *path == "/**" || *path == "**/" || path->find("**/**") != std::string::npos || *path == "**/*")
                return problem("\"" + *path + "\": a pattern begins with /, ~/ (any home folder) or **/ (anywhere).");
            rule.paths.push_back(*path);
        };
        if (const auto* list = value.as_array())
            for (const auto& each : *list)
                take(each);
        else
            take(value);
    }

    const std::string& file_;
    std::vector<RuleProblem>& problems_;
    std::size_t line_ = 1;
    std::size_t first_ = 1;
};

} // namespace

std::vector<RuleProblem> RuleBook::add(std::string_view toml, const std::string& file)
{
    std::vector<RuleProblem> problems;
    std::vector<AdviceRule> fresh;
    RuleReader reader(file, problems);
    for (const auto& section : sectionsOf(toml))
        reader.read(section, fresh);
    std::unordered_set<std::string_view> ids;
    for (const auto& rule : fresh)
        ids.insert(rule.id);
    std::erase_if(rules_, [&](const AdviceRule& rule) { return ids.contains(rule.id); });
    rules_.insert(rules_.begin(), std::make_move_iterator(fresh.begin()), std::make_move_iterator(fresh.end()));
    patterns_ = RulePatterns(rules_);
    for (std::size_t i = 0; i < rules_.size(); ++i) {
        const auto& rule = rules_[i];
        if (rule.file != file || file.empty())
            continue;
        if (!rule.test.empty() && !fits(i, rule.test))
            problems.push_back(
                {file, rule.line, "The rule \"" + rule.id + "\" does not fit its own test " + rule.test + "."});
        if (!rule.notTest.empty() && fits(i, rule.notTest))
            problems.push_back(
                {file, rule.line, "The rule \"" + rule.id + "\" fits " + rule.notTest + ", which it must not."});
    }
    return problems;
}

UserRules readUserRules(const std::string& configFolder)
{
    UserRules user{RuleBook::builtIn(), {}};
    const auto folder = joinPath(configFolder, "kurvo/advice");
    std::vector<std::string> names;
    if (DIR* dir = ::opendir(folder.c_str())) {
        while (const auto* entry = ::readdir(dir))
            if (std::string_view(entry->d_name).ends_with(".toml") && entry->d_name[0] != '.')
                names.emplace_back(entry->d_name);
        ::closedir(dir);
    }
    std::sort(names.begin(), names.end());
    for (const auto& name : names) {
        constexpr std::size_t most = 4 << 20;
        const auto path = joinPath(folder, name);
        const auto text = readBeginning(path, most);
        if (!text) {
            user.problems.push_back({path, 0, text.error().sentence});
            continue;
        }
        auto problems = user.book.add(*text, path);
        user.problems.insert(user.problems.end(), problems.begin(), problems.end());
    }
    return user;
}

} // namespace kurvo
