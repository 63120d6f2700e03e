// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/versions.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <map>
#include <optional>

#include "core/advice/guard.h"
#include "core/tree/stretches.h"

namespace kurvo {
namespace {

bool isDigit(char c)
{
    return c >= '0' && c <= '9';
}
bool isLetter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}
bool isBreak(char c)
{
    return c == '-' || c == '_' || c == ' ' || c == '.' || c == '(' || c == ')' || c == '+' || c == '~';
}
std::string inLowerCase(std::string_view text)
{
    std::string out(text);
    for (auto& c : out)
        c = c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c;
    return out;
}

/// What software comes as: there a number with dots is a version, elsewhere it may be a measure.
bool isSoftware(std::string_view low)
{
    static constexpr std::string_view endings[] = {
        ".deb", ".rpm",  ".zip",   ".tar", ".gz",   ".xz",    ".zst", ".bz2", ".7z",   ".tgz", ".txz", ".appimage",
        ".run", ".msi",  ".exe",   ".iso", ".img",  ".jar",   ".war", ".whl", ".snap", ".apk", ".bin", ".flatpak",
        ".dmg", ".vsix", ".qcow2", ".ova", ".vmdk", ".crate", ".gem", ".efi", ".rom",  ".fw"};
    return std::any_of(std::begin(endings), std::end(endings), [low](auto ending) { return low.ends_with(ending); });
}

/// What is taken again and again: there a date is a version.
bool isTakenAgain(std::string_view low)
{
    static constexpr std::string_view endings[] = {".zip", ".tar", ".gz",   ".xz",  ".zst", ".bz2", ".7z",
                                                   ".tgz", ".sql", ".dump", ".bak", ".img", ".iso", ".qcow2"};
    static constexpr std::string_view words[] = {"backup", "export", "dump", "snapshot"};
    return std::any_of(std::begin(endings), std::end(endings), [low](auto ending) { return low.ends_with(ending); }) ||
           std::any_of(std::begin(words), std::end(words),
                       [low](auto word) { return low.find(word) != std::string_view::npos; });
}

std::size_t digits(std::string_view text, std::size_t at)
{
    auto end = at;
    while (end < text.size() && isDigit(text[end]))
        ++end;
    return end - at;
}

/// A date at `at`: 2026-05-01, 2026_05_01 or 20260501; how long it is, or 0.
std::size_t dateAt(std::string_view text, std::size_t at)
{
    const auto number = [&](std::size_t from, std::size_t count) {
        int value = 0;
        for (auto i = from; i < from + count; ++i)
            value = value * 10 + (text[i] - '0');
        return value;
    };
    const auto fits = [&](std::size_t year, std::size_t month, std::size_t day) {
        return number(year, 4) >= 1970 && number(year, 4) < 2100 && number(month, 2) >= 1 && number(month, 2) <= 12 &&
               number(day, 2) >= 1 && number(day, 2) <= 31;
    };
    const auto run = digits(text, at);
    if (run == 8)
        return fits(at, at + 4, at + 6) ? 8 : 0;
    if (run == 4 && at + 10 <= text.size() && (text[at + 4] == '-' || text[at + 4] == '_' || text[at + 4] == '.') &&
        text[at + 7] == text[at + 4] && digits(text, at + 5) == 2 && digits(text, at + 8) == 2)
        return fits(at, at + 5, at + 8) ? 10 : 0;
    return 0;
}

std::optional<VersionedName> dated(std::string_view name)
{
    if (!isTakenAgain(inLowerCase(name)))
        return std::nullopt;
    for (std::size_t at = 0; at < name.size(); ++at) {
        if (!isDigit(name[at]) || (at > 0 && isDigit(name[at - 1])))
            continue;
        const auto length = dateAt(name, at);
        if (length == 0)
            continue;
        auto end = at + length;
        // A time of day behind it belongs to it.
        if (end < name.size() && (name[end] == ' ' || name[end] == '-' || name[end] == '_' || name[end] == 'T'))
            if (const auto time = digits(name, end + 1); time == 4 || time == 6)
                end += 1 + time;
        VersionedName found{VersionMark::Date, std::string(name.substr(0, at)) + "\x01" + std::string(name.substr(end)),
                            std::string(name.substr(at, end - at))};
        std::erase_if(found.version, [](char c) { return !isDigit(c); });
        return at == 0 && end >= name.size() ? std::nullopt
                                             : std::optional(found); // nothing but a date is a folder of days
    }
    return std::nullopt;
}

std::optional<VersionedName> numbered(std::string_view name, bool isFolder)
{
    const auto low = inLowerCase(name);
    if (low.find(".so.") != std::string::npos || low.ends_with(".so"))
        return std::nullopt; // the linker's own names
    for (std::size_t at = 0; at < name.size(); ++at) {
        if (!isDigit(name[at]) || (at > 0 && (isDigit(name[at - 1]) || name[at - 1] == '.')))
            continue;
        const bool afterV =
            at > 0 && (name[at - 1] == 'v' || name[at - 1] == 'V') && (at == 1 || isBreak(name[at - 2]));
        auto end = at + digits(name, at);
        std::size_t parts = 1;
        while (end + 1 < name.size() && name[end] == '.' && isDigit(name[end + 1])) {
            end += 1 + digits(name, end + 1);
            ++parts;
        }
        const bool whole = at - (afterV ? 1 : 0) == 0 && end == name.size();
        if (parts < 2 && !afterV)
            continue;
        // A number of which letters are part ("x86_64", "720p", "1.5x") is no version.
        if (end < name.size() && isLetter(name[end]) && low.compare(end, 2, "rc") != 0 &&
            low.compare(end, 1, "b") != 0 && low.compare(end, 1, "a") != 0)
            continue;
        if (at > 0 && !afterV && !isBreak(name[at - 1]) && !isLetter(name[at - 1]))
            continue;
        if (whole ? !isFolder || parts < 3 || parts > 4 : !isFolder && !isSoftware(low) && !afterV)
            continue;
        // The builds and candidates of one version are versions, too: 6.1.0-13, 3.0-rc1.
        for (bool more = true; more && end < name.size();) {
            more = false;
            if ((name[end] == '-' || name[end] == '+' || name[end] == '~') && end + 1 < name.size() &&
                isDigit(name[end + 1])) {
                end += 1 + digits(name, end + 1);
                more = true;
            }
            for (const std::string_view word : {"-rc", "~rc", ".rc", "rc", "-beta", "-alpha", "beta", "alpha"})
                if (low.compare(end, word.size(), word) == 0 &&
                    (end + word.size() == name.size() || !isLetter(name[end + word.size()]))) {
                    end += word.size() + digits(name, end + word.size());
                    more = true;
                    break;
                }
        }
        const auto begin = at - (afterV ? 1 : 0);
        return VersionedName{VersionMark::Number,
                             std::string(name.substr(0, begin)) + "\x01" + std::string(name.substr(end)),
                             std::string(name.substr(at, end - at))};
    }
    return std::nullopt;
}

/// The name of the original, where the name says it is a copy.
std::optional<VersionedName> copied(std::string_view name)
{
    const auto low = inLowerCase(name);
    const auto copyOf = [](std::string original) {
        return std::optional(VersionedName{VersionMark::Copy, std::move(original), {}});
    };
    for (const std::string_view ending : {".bak", ".old", ".orig", ".backup"})
        if (low.ends_with(ending) && low.size() > ending.size())
            return copyOf(std::string(name.substr(0, name.size() - ending.size())));
    if (low.starts_with("copy of ") && name.size() > 8)
        return copyOf(std::string(name.substr(8)));
    const auto dot = name.rfind('.');
    const auto stem = name.substr(0, dot == 0 ? name.npos : dot);
    const auto rest = dot == std::string_view::npos || dot == 0 ? std::string_view() : name.substr(dot);
    auto lowStem = inLowerCase(stem);
    const auto cut = [&](std::size_t at) {
        auto end = at;
        while (end > 0 && (stem[end - 1] == ' ' || stem[end - 1] == '-' || stem[end - 1] == '_'))
            --end;
        return end == 0 ? std::nullopt : copyOf(std::string(stem.substr(0, end)) + std::string(rest));
    };
    if (lowStem.ends_with(')')) {
        const auto open = lowStem.rfind('(');
        if (open == std::string::npos || open == 0)
            return std::nullopt;
        const auto inside = std::string_view(lowStem).substr(open + 1, lowStem.size() - open - 2);
        const bool number = !inside.empty() && inside.size() <= 2 && std::all_of(inside.begin(), inside.end(), isDigit);
        if (!number && inside.find("copy") == std::string_view::npos)
            return std::nullopt;
        const auto before = std::string_view(lowStem).substr(0, open);
        const auto trimmed = before.substr(0, before.find_last_not_of(' ') + 1);
        for (const std::string_view word : {" - copy", "-copy", "_copy"})
            if (trimmed.ends_with(word))
                return cut(trimmed.size() - word.size());
        return cut(open);
    }
    for (const std::string_view word : {" - copy", "-copy", "_copy", " copy"})
        if (lowStem.ends_with(word))
            return cut(lowStem.size() - word.size());
    return std::nullopt;
}

/// Quick, says yes too often rather than not.
bool mayHaveMark(std::string_view name)
{
    for (std::size_t i = 0; i < name.size(); ++i) {
        const char c = name[i];
        if (c == '(' || c == 'C' || c == 'c') {
            if (c == '(' || (i + 3 < name.size() && (name[i + 1] == 'o' || name[i + 1] == 'O')))
                return true;
        } else if (isDigit(c) && i + 1 < name.size()) {
            if ((name[i + 1] == '.' && i + 2 < name.size() && isDigit(name[i + 2])) ||
                (i > 0 && (name[i - 1] == 'v' || name[i - 1] == 'V')))
                return true;
            if (digits(name, i) >= 4)
                return true;
        } else if (isDigit(c) && i > 0 && (name[i - 1] == 'v' || name[i - 1] == 'V')) {
            return true;
        }
    }
    return name.ends_with(".bak") || name.ends_with(".old") || name.ends_with(".orig") || name.ends_with(".backup");
}

/// The name without its mark, for people: "plotter.deb".
std::string shownName(std::string shared)
{
    const auto at = shared.find('\x01');
    if (at == std::string::npos)
        return shared;
    auto before = shared.substr(0, at), after = shared.substr(at + 1);
    while (!before.empty() && isBreak(before.back()))
        before.pop_back();
    if (before.empty())
        while (!after.empty() && (after.front() == '-' || after.front() == '_' || after.front() == ' '))
            after.erase(0, 1);
    return before + after;
}

bool isLeftOut(Role role)
{
    return role == Role::Cache || role == Role::PackageCache || role == Role::Trash || role == Role::Logs;
}

class Finder {
public:
    Finder(const FileTree& tree, const VersionOptions& options) : tree_(tree), store_(tree.store()), options_(options)
    {
    }

    std::vector<VersionGroup> run()
    {
        std::vector<VersionGroup> all;
        if (tree_.isGrowing() || !tree_.removed().empty()) {
            tree_.forEachBelow(rootNode, [&](NodeId node) {
                if (tree_.isFolder(node))
                    look(node, all);
            });
        } else {
            const auto bounds = stretchesOf(store_, tree_.extent().nodes);
            std::vector<std::vector<VersionGroup>> found(bounds.size() - 1);
            forEachStretch(bounds, [&](std::size_t part, NodeId from, NodeId to) {
                NodeId folder = noNode;
                for (NodeId node = from; node < to; ++node)
                    if (store_.parent(node) != folder) {
                        folder = store_.parent(node);
                        look(folder, found[part]);
                    }
            });
            for (auto& part : found)
                all.insert(all.end(), std::make_move_iterator(part.begin()), std::make_move_iterator(part.end()));
        }
        std::sort(all.begin(), all.end(), [](const VersionGroup& a, const VersionGroup& b) {
            return a.older != b.older ? a.older > b.older : a.items.front() < b.items.front();
        });
        return all;
    }

private:
    struct Member {
        NodeId node;
        std::string version;
    };

    void look(NodeId folder, std::vector<VersionGroup>& all) const
    {
        if (store_.childCount(folder) < 2 || tree_.disk(folder) < options_.smallest ||
            (options_.advice && folder < options_.advice->roles.size() && isLeftOut(options_.advice->roles[folder])))
            return;
        std::map<std::pair<VersionMark, std::string>, std::vector<Member>> groups;
        tree_.forEachChild(folder, [&](NodeId child) {
            const auto name = tree_.name(child);
            if (store_.kind(child) == EntryKind::SymbolicLink || !mayHaveMark(name))
                return;
            if (auto parts = versionedName(name, store_.isFolder(child)))
                groups[{parts->mark, (store_.isFolder(child) ? "/" : "") + parts->shared}].push_back(
                    {child, std::move(parts->version)});
        });
        if (groups.empty())
            return;
        const auto path = tree_.path(folder);
        if (isSystemPath(path) && !path.starts_with("/usr/local/") && path != "/usr/local")
            return;
        for (auto& [key, members] : groups)
            make(folder, path, key.first, key.second, members, all);
    }

    void make(NodeId folder, const std::string& path, VersionMark mark, std::string shared,
              std::vector<Member>& members, std::vector<VersionGroup>& all) const
    {
        const bool folders = shared.starts_with('/');
        shared.erase(0, folders ? 1 : 0);
        if (mark == VersionMark::Copy) {
            const auto original = tree_.findChild(folder, shared);
            if (!original || store_.isFolder(*original) != folders)
                return;
            members.push_back({*original, {}});
        }
        if (members.size() < 2)
            return;
        if (options_.isPackaged)
            for (const auto& member : members)
                if (options_.isPackaged(path == "/" ? "/" + std::string(tree_.name(member.node))
                                                    : path + "/" + std::string(tree_.name(member.node))))
                    return;
        std::sort(members.begin(), members.end(), [&](const Member& a, const Member& b) {
            if (mark != VersionMark::Copy)
                if (const int order = compareVersions(a.version, b.version); order != 0)
                    return order > 0;
            const auto left = tree_.newest(a.node), right = tree_.newest(b.node);
            return left != right ? left > right : a.node < b.node;
        });
        VersionGroup group{mark, shownName(shared), folder, {}, 0};
        for (const auto& member : members)
            group.items.push_back(member.node);
        if (group.name.empty()) // nothing but versions: they are of what their folder is called
            group.name = folder == rootNode || tree_.parent(folder) == rootNode
                             ? std::string(tree_.label(folder))
                             : std::string(tree_.label(tree_.parent(folder))) + "/" + std::string(tree_.label(folder));
        for (std::size_t i = 1; i < group.items.size(); ++i)
            group.older += tree_.disk(group.items[i]);
        if (group.older >= options_.smallest)
            all.push_back(std::move(group));
    }

    /// A candidate comes before what it is a candidate for.
    static int compareVersions(const std::string& a, const std::string& b)
    {
        const auto isCandidate = [](const std::string& v) { return std::any_of(v.begin(), v.end(), isLetter); };
        const auto number = [](const std::string& v) {
            return v.substr(0, static_cast<std::size_t>(std::find_if(v.begin(), v.end(), isLetter) - v.begin()));
        };
        auto left = number(a), right = number(b);
        for (auto* each : {&left, &right})
            while (!each->empty() && !isDigit(each->back()))
                each->pop_back();
        if (left == right && isCandidate(a) != isCandidate(b))
            return isCandidate(a) ? -1 : 1;
        return ::strverscmp(a.c_str(), b.c_str());
    }

    const FileTree& tree_;
    const NodeStore& store_;
    const VersionOptions& options_;
};

} // namespace

std::optional<VersionedName> versionedName(std::string_view name, bool isFolder)
{
    if (auto found = copied(name))
        return found;
    if (auto found = isFolder ? std::nullopt : dated(name))
        return found;
    return numbered(name, isFolder);
}

std::vector<VersionGroup> findVersions(const FileTree& tree, const VersionOptions& options)
{
    return Finder(tree, options).run();
}

std::vector<NodeId> versionsToRemove(const VersionGroup& group, const FileTree& tree, std::size_t keep,
                                     std::int64_t now, std::int64_t age, std::int64_t unopened,
                                     const std::function<std::optional<std::int64_t>(NodeId)>& openedAt)
{
    std::vector<NodeId> out;
    for (auto i = std::max<std::size_t>(keep, 1); i < group.items.size(); ++i) {
        const NodeId node = group.items[i];
        if (age > 0 && now - tree.newest(node) < age)
            continue;
        if (unopened > 0) {
            const auto opened = openedAt ? openedAt(node) : std::nullopt;
            if (!opened || now - *opened < unopened)
                continue; // what is not known stays
        }
        out.push_back(node);
    }
    return out;
}

} // namespace kurvo
