// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/rule.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <filesystem>
#include <functional>
#include <sstream>
#include <tuple>

#include <fmt/format.h>
#include <toml++/toml.h>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/find/filter.h"
#include "core/platform/atomic_file.h"
#include "core/platform/file_facts.h"
#include "core/platform/filesystem_identity.h"

namespace kurvo {
namespace {

constexpr const char* suffix = ".toml";
constexpr std::size_t largestRule = 1 << 16;
constexpr int mostDays = 3650;

constexpr UpkeepAction actions[] = {UpkeepAction::Tell, UpkeepAction::Trash, UpkeepAction::Delete, UpkeepAction::Move};

bool isName(std::string_view name)
{
    return !name.empty() && name.size() <= 64 && name.front() != '-' &&
           std::all_of(name.begin(), name.end(),
                       [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-'; });
}

/// Takes a rule apart; the first mistake ends it.
class RuleReader {
public:
    RuleReader(std::string name, std::string file) : file_(std::move(file)) { rule_.name = std::move(name); }

    Result<UpkeepRule> read(const toml::table& table)
    {
        int subjects = 0;
        for (const auto& [key, node] : table) {
            const auto name = std::string(key.str());
            const auto line = node.source().begin.line;
            std::string wrong;
            if (name == "title")
                wrong = text(node, rule_.title);
            else if (name == "place")
                wrong = text(node, rule_.place);
            else if (name == "to")
                wrong = text(node, rule_.to);
            else if (name == "place-encoded" || name == "to-encoded") {
                auto& path = name == "to-encoded" ? rule_.to : rule_.place;
                wrong = text(node, path);
                path = percentDecoded(path);
            } else if (name == "to-drive")
                wrong = text(node, rule_.toDrive);
            else if (name == "filter")
                wrong = text(node, rule_.filter), ++subjects;
            else if (name == "leads" || name == "advice" || name == "folders") {
                wrong = list(node, rule_.kinds), ++subjects;
                rule_.subject = name == "leads"    ? UpkeepSubject::Leads
                                : name == "advice" ? UpkeepSubject::Advice
                                                   : UpkeepSubject::Folders;
            } else if (name == "trash") {
                bool is = false;
                wrong = flag(node, is), ++subjects;
                if (wrong.empty() && !is)
                    wrong = "takes true, or is left out";
                rule_.subject = UpkeepSubject::Trash;
            } else if (name == "older-than-days")
                wrong = number(node, rule_.olderDays, mostDays);
            else if (name == "keep-days")
                wrong = number(node, rule_.keepDays, mostDays);
            else if (name == "more-than")
                wrong = size(node, rule_.moreThan);
            else if (name == "most")
                wrong = size(node, rule_.most);
            else if (name == "grows-a-week")
                wrong = size(node, rule_.growsAWeek);
            else if (name == "fuller-than") {
                const auto percent = node.value<double>();
                if (percent && *percent > 0 && *percent < 100)
                    rule_.fullerThan = *percent;
                else
                    wrong = "takes a number of percent between 0 and 100";
            } else if (name == "do")
                wrong = action(node);
            else if (name == "on")
                wrong = flag(node, rule_.on);
            else
                wrong = "is not known";
            if (!wrong.empty())
                return mistake(line, "\"" + displayText(name) + "\" " + wrong + ".");
        }
        if (subjects != 1)
            return mistake(1,
                           subjects == 0
                               ? "It does not say of what: \"filter\", \"leads\", \"advice\", \"folders\" or \"trash\"."
                               : "\"filter\", \"leads\", \"advice\", \"folders\" and \"trash\" go one at a time.");
        if (const auto problem = problemOf(rule_); !problem.empty())
            return mistake(1, problem);
        return std::move(rule_);
    }

    Error mistake(std::size_t line, const std::string& sentence) const
    {
        return {ErrorKind::WrongFormat, file_, 0, fmt::format("{}:{}: {}", displayText(file_), line, sentence)};
    }

private:
    static std::string text(const toml::node& node, std::string& into)
    {
        const auto* value = node.as_string();
        if (!value || value->get().empty())
            return "takes a text";
        into = value->get();
        return {};
    }
    static std::string list(const toml::node& node, std::vector<std::string>& into)
    {
        const auto* values = node.as_array();
        if (!values || values->empty())
            return "takes a list of names";
        for (const auto& value : *values) {
            if (!value.is_string() || (**value.as_string()).empty())
                return "takes a list of names";
            into.push_back(**value.as_string());
        }
        return {};
    }
    static std::string flag(const toml::node& node, bool& into)
    {
        if (!node.is_boolean())
            return "takes true or false";
        into = **node.as_boolean();
        return {};
    }
    static std::string number(const toml::node& node, int& into, int most)
    {
        const auto* value = node.as_integer();
        if (!value || value->get() < 0 || value->get() > most)
            return fmt::format("takes a number of days up to {}", most);
        into = static_cast<int>(value->get());
        return {};
    }
    static std::string size(const toml::node& node, std::uint64_t& into)
    {
        const auto* value = node.as_string();
        const auto bytes = value ? parseSize(value->get()) : std::nullopt;
        if (!bytes || *bytes == 0)
            return "takes a size such as \"20G\"";
        into = *bytes;
        return {};
    }
    std::string action(const toml::node& node)
    {
        for (const auto known : actions)
            if (node.value_or<std::string>("") == upkeepActionName(known)) {
                rule_.action = known;
                return {};
            }
        return "takes \"tell\", \"trash\", \"delete\" or \"move\"";
    }

    std::string file_;
    UpkeepRule rule_;
};

std::string joined(const std::vector<std::string>& words)
{
    std::string all;
    for (const auto& word : words)
        all += (all.empty() ? "" : ", ") + word;
    return all;
}

/// So that it is read again as the same number of bytes.
std::string sizeAsText(std::uint64_t bytes)
{
    constexpr std::pair<int, const char*> units[] = {{40, "T"}, {30, "G"}, {20, "M"}, {10, "K"}};
    for (const auto& [shift, letter] : units)
        if (bytes >> shift != 0 && bytes % (std::uint64_t{1} << shift) == 0)
            return std::to_string(bytes >> shift) + letter;
    return std::to_string(bytes);
}

} // namespace

const char* upkeepActionName(UpkeepAction action)
{
    switch (action) {
    case UpkeepAction::Tell:
        return "tell";
    case UpkeepAction::Trash:
        return "trash";
    case UpkeepAction::Delete:
        return "delete";
    case UpkeepAction::Move:
        break;
    }
    return "move";
}

std::string describeRule(const UpkeepRule& rule)
{
    std::string what;
    switch (rule.subject) {
    case UpkeepSubject::Filter:
        what = "files found by \"" + displayText(rule.filter) + "\"";
        break;
    case UpkeepSubject::Leads:
        what = "what leads tell of (" + displayText(joined(rule.kinds)) + ")";
        break;
    case UpkeepSubject::Advice:
        what =
            (rule.kinds.size() == 1 ? "files of the kind " : "files of the kinds ") + displayText(joined(rule.kinds));
        break;
    case UpkeepSubject::Folders:
        what = (rule.kinds.size() == 1 ? "folders of the kind " : "folders of the kinds ") +
               displayText(joined(rule.kinds));
        break;
    case UpkeepSubject::Trash:
        what = "what lies in the trash";
        break;
    }
    if (rule.olderDays > 0)
        what += (rule.subject == UpkeepSubject::Trash ? " for " : ", not changed for ") +
                formatItems(static_cast<std::uint64_t>(rule.olderDays), "day");
    if (rule.growsAWeek > 0)
        what += ", growing by more than " + formatBytes(rule.growsAWeek) + " a week";
    std::string does;
    switch (rule.action) {
    case UpkeepAction::Tell:
        does = "Tells of ";
        break;
    case UpkeepAction::Trash:
        does = "Puts into the trash ";
        break;
    case UpkeepAction::Delete:
        does = "Deletes ";
        break;
    case UpkeepAction::Move:
        does = "Moves to " + displayText(rule.to) + " ";
        break;
    }
    auto all = does + what + ", in " + displayText(rule.place);
    if (rule.moreThan > 0)
        all += ", once that is more than " + formatBytes(rule.moreThan);
    if (rule.fullerThan > 0)
        all += fmt::format(", once the drive is more than {:g} % full", rule.fullerThan);
    if (rule.action != UpkeepAction::Tell)
        all += "; at most " + formatBytes(rule.most) + " a run";
    if (rule.action == UpkeepAction::Trash)
        all += rule.keepDays > 0 ? "; deleted after " + formatItems(static_cast<std::uint64_t>(rule.keepDays), "day") +
                                       " in the trash"
                                 : std::string("; stays in the trash");
    return all + ".";
}

std::string problemOf(const UpkeepRule& rule)
{
    if (!isName(rule.name))
        return "The name of a rule is of small letters, digits and \"-\".";
    if (!rule.place.starts_with('/'))
        return "\"place\" takes a whole path, such as /home.";
    const bool acts = rule.action != UpkeepAction::Tell;
    if (rule.subject == UpkeepSubject::Filter) {
        const auto parsed = Filter::parse(rule.filter);
        if (const auto* error = std::get_if<FilterError>(&parsed))
            return "The filter is wrong: " + error->sentence;
        if (std::get<Filter>(parsed).isEmpty())
            return "An empty filter would find everything.";
        if (std::get<Filter>(parsed).asksFor(Filter::Test::Changes) ||
            std::get<Filter>(parsed).asksFor(Filter::Test::Delta) ||
            std::get<Filter>(parsed).asksFor(Filter::Test::Planned))
            return "The filter asks for changes or for what is planned, of which a rule knows nothing.";
    } else if (rule.subject != UpkeepSubject::Trash && rule.kinds.empty()) {
        return "It does not say of which kinds.";
    }
    if (acts && rule.most == 0)
        return "\"most\" is missing: what a run may do at the most, such as \"20G\".";
    if (acts && rule.growsAWeek > 0)
        return "\"grows-a-week\" is only told: what grows is in use.";
    if (acts && rule.olderDays == 0 && rule.moreThan == 0 && rule.fullerThan == 0)
        return "It does not say from when on: \"older-than-days\", \"more-than\" or \"fuller-than\".";
    if (rule.subject == UpkeepSubject::Trash &&
        (rule.action == UpkeepAction::Trash || rule.action == UpkeepAction::Move))
        return "What lies in the trash can be deleted or told of.";
    if ((rule.action == UpkeepAction::Move) != !rule.to.empty())
        return rule.to.empty() ? "A move needs \"to\", a folder on another drive." : "\"to\" goes with a move only.";
    if (rule.action == UpkeepAction::Move && !rule.to.starts_with('/'))
        return "\"to\" takes a whole path.";
    if (rule.action == UpkeepAction::Move && (isAtOrBelow(rule.to, rule.place) || isAtOrBelow(rule.place, rule.to)))
        return displayText(rule.to) + " lies in the rule's own place: it would move the same again and again.";
    return {};
}

bool UpkeepRule::operator==(const UpkeepRule& other) const
{
    const auto all = [](const UpkeepRule& r) {
        return std::tie(r.name, r.title, r.place, r.subject, r.filter, r.kinds, r.olderDays, r.moreThan, r.fullerThan,
                        r.growsAWeek, r.action, r.to, r.toDrive, r.most, r.keepDays, r.on);
    };
    return all(*this) == all(other);
}

const UpkeepRule* UpkeepRules::find(const std::string& name) const
{
    const auto found = std::find_if(rules.begin(), rules.end(), [&](const UpkeepRule& r) { return r.name == name; });
    return found == rules.end() ? nullptr : &*found;
}

Result<UpkeepRule> readUpkeepRule(const std::string& file)
{
    auto name = std::string(fileName(file));
    if (name.ends_with(suffix))
        name.resize(name.size() - std::string_view(suffix).size());
    struct stat s { };
    if (::stat(file.c_str(), &s) == 0 && s.st_uid != ::geteuid())
        return Error{ErrorKind::NoPermission, file, 0,
                     displayText(file) + " is somebody else's: a rule is carried out for who wrote it."};
    const auto text = readBeginning(file, largestRule);
    if (!text)
        return text.error();
    RuleReader reader(name, file);
    try {
        auto rule = reader.read(toml::parse(*text));
        if (rule)
            rule->made = s.st_mtim.tv_sec;
        return rule;
    } catch (const toml::parse_error& error) {
        return reader.mistake(error.source().begin.line, std::string(error.description()) + ".");
    }
}

UpkeepRules readUpkeepRules(const std::string& folder)
{
    UpkeepRules all;
    std::error_code error;
    std::vector<std::string> files;
    for (auto at = std::filesystem::directory_iterator(folder, error);
         !error && at != std::filesystem::directory_iterator(); at.increment(error))
        if (auto name = at->path().filename().string(); name.ends_with(suffix) && !name.starts_with('.'))
            files.push_back(at->path().string());
    std::sort(files.begin(), files.end());
    for (const auto& file : files) {
        auto rule = readUpkeepRule(file);
        if (rule)
            all.rules.push_back(std::move(*rule));
        else
            all.problems.push_back(rule.error().sentence);
    }
    return all;
}

Result<Done> writeUpkeepRule(const std::string& folder, const UpkeepRule& rule)
{
    if (const auto problem = problemOf(rule); !problem.empty())
        return Error{ErrorKind::WrongFormat, rule.name, 0, problem};
    if (auto made = makeFolders(folder); !made)
        return made.error();
    toml::table table;
    const auto text = [&table](const char* key, const std::string& value) {
        if (!value.empty())
            table.insert(key, value);
    };
    const auto path = [&](const char* key, const std::string& value) { // TOML has no other bytes than UTF-8
        if (displayText(value) == value)
            text(key, value);
        else
            text((std::string(key) + "-encoded").c_str(), percentEncoded(value));
    };
    const auto size = [&table](const char* key, std::uint64_t bytes) {
        if (bytes > 0)
            table.insert(key, sizeAsText(bytes));
    };
    text("title", rule.title);
    path("place", rule.place);
    toml::array kinds;
    for (const auto& kind : rule.kinds)
        kinds.push_back(kind);
    switch (rule.subject) {
    case UpkeepSubject::Filter:
        text("filter", rule.filter);
        break;
    case UpkeepSubject::Leads:
        table.insert("leads", kinds);
        break;
    case UpkeepSubject::Advice:
        table.insert("advice", kinds);
        break;
    case UpkeepSubject::Folders:
        table.insert("folders", kinds);
        break;
    case UpkeepSubject::Trash:
        table.insert("trash", true);
        break;
    }
    if (rule.olderDays > 0)
        table.insert("older-than-days", rule.olderDays);
    size("more-than", rule.moreThan);
    if (rule.fullerThan > 0)
        table.insert("fuller-than", rule.fullerThan);
    size("grows-a-week", rule.growsAWeek);
    table.insert("do", upkeepActionName(rule.action));
    path("to", rule.to);
    text("to-drive", rule.toDrive);
    size("most", rule.most);
    if (rule.action == UpkeepAction::Trash)
        table.insert("keep-days", rule.keepDays);
    table.insert("on", rule.on);
    std::ostringstream out;
    out << "# A rule of Kurvo's upkeep: docs/upkeep.md, \"kurvoctl help upkeep\".\n" << table << "\n";
    auto file = AtomicFile::create(joinPath(folder, rule.name + suffix), AtomicFile::Readers::OwnerOnly);
    if (!file)
        return file.error();
    const auto bytes = out.str();
    file->write(bytes.data(), bytes.size());
    return file->commit();
}

Result<Done> removeUpkeepRule(const std::string& folder, const std::string& name)
{
    const auto file = joinPath(folder, name + suffix);
    if (!isName(name) || ::unlink(file.c_str()) != 0)
        return isName(name) && errno != ENOENT
                   ? Result<Done>(systemError("remove", file, errno))
                   : Result<Done>(Error{ErrorKind::NotFound, name, 0, "There is no rule " + displayText(name) + "."});
    return Done{};
}

std::string driveAt(const std::string& folder)
{
    const auto identity = askWithin(std::chrono::seconds(10), [folder] {
        const UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        return fd ? driveIdentity(fd.get()) : std::string();
    });
    return identity.value_or(std::string());
}

std::string upkeepFolder(const UserFolders& user)
{
    return joinPath(user.config, "kurvo/upkeep");
}

std::string freeRuleName(const std::string& title, const UpkeepRules& rules)
{
    std::string name;
    for (const char c : title) {
        const char small = c >= 'A' && c <= 'Z' ? static_cast<char>(c + 32) : c;
        if ((small >= 'a' && small <= 'z') || (small >= '0' && small <= '9'))
            name += small;
        else if (!name.empty() && name.back() != '-')
            name += '-';
        if (name.size() >= 40)
            break;
    }
    while (!name.empty() && name.back() == '-')
        name.pop_back();
    if (name.empty())
        name = "rule";
    auto free = name;
    for (int i = 2; rules.find(free); ++i)
        free = name + "-" + std::to_string(i);
    return free;
}

std::vector<std::string> fightsOf(const std::vector<UpkeepRule>& rules, const UpkeepRule* with)
{
    std::vector<const UpkeepRule*> moves;
    for (const auto& rule : rules)
        if (rule.on && rule.action == UpkeepAction::Move && !(with && with->name == rule.name))
            moves.push_back(&rule);
    if (with && with->action == UpkeepAction::Move)
        moves.push_back(with);
    // What one moves comes to lie where another looks, and from there, however often, where the first one looks.
    const auto feeds = [](const UpkeepRule& a, const UpkeepRule& b) {
        return isAtOrBelow(a.to, b.place) || isAtOrBelow(b.place, a.to);
    };
    std::vector<std::string> fights;
    for (const auto* first : moves) {
        if (with && first != with)
            continue;
        std::vector<const UpkeepRule*> path;
        std::vector<bool> seen(moves.size(), false);
        bool found = false;
        const std::function<void(const UpkeepRule&)> follow = [&](const UpkeepRule& from) {
            for (std::size_t i = 0; i < moves.size() && !found; ++i) {
                if (!feeds(from, *moves[i]) || seen[i])
                    continue;
                seen[i] = true;
                path.push_back(moves[i]);
                found = moves[i] == first;
                if (!found)
                    follow(*moves[i]);
                if (!found)
                    path.pop_back();
            }
        };
        follow(*first);
        if (!found)
            continue;
        const auto* other = path.size() > 1 ? path.front() : first;
        auto sentence =
            fmt::format("The rules \"{}\" and \"{}\" would move the same to and fro.", first->name, other->name);
        const auto swapped =
            fmt::format("The rules \"{}\" and \"{}\" would move the same to and fro.", other->name, first->name);
        if (std::find(fights.begin(), fights.end(), swapped) == fights.end())
            fights.push_back(std::move(sentence));
    }
    return fights;
}

} // namespace kurvo
