// SPDX-License-Identifier: GPL-3.0-or-later
// types and roles: what the files add up to, by one or two of family, type, role, owner and age.
#include <algorithm>
#include <map>

#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/advice/tree_advice.h"
#include "core/base/text.h"
#include "core/explore/scheme.h"
#include "core/platform/own_data.h"

namespace kurvo::cli {
namespace {

struct Sums {
    std::uint64_t files = 0, disk = 0, apparent = 0;
    std::int64_t oldest = INT64_MAX, newest = INT64_MIN;
};

/// One way to tell files apart: each file's number, and what a number is called.
struct Grouping {
    std::function<std::uint32_t(NodeId)> of;
    std::function<std::string(std::uint32_t)> words; ///< for people
    std::function<std::string(std::uint32_t)> name;  ///< for scripts
};

constexpr const char* ageWords[ageClasses] = {"up to a week", "up to a month", "up to 3 months",    "up to a year",
                                              "1 to 2 years", "2 to 5 years",  "older than 5 years"};
constexpr const char* ageNames[ageClasses] = {"week", "month", "quarter", "year", "two_years", "five_years", "older"};

Grouping groupingBy(const std::string& by, const Source& source)
{
    const auto tree = source.tree;
    if (by == "family")
        return {[tree](NodeId file) { return static_cast<std::uint32_t>(typeInfo(tree->store().type(file)).family); },
                [](std::uint32_t key) { return std::string(familyName(static_cast<Family>(key))); },
                [](std::uint32_t key) { return std::string(familyName(static_cast<Family>(key))); }};
    if (by == "type")
        return {[tree](NodeId file) { return std::uint32_t{tree->store().type(file)}; },
                [](std::uint32_t key) { return std::string(typeInfo(static_cast<FileType>(key)).name); },
                [](std::uint32_t key) { return std::string(typeInfo(static_cast<FileType>(key)).extension); }};
    if (by == "owner") {
        const auto words = [info = source.info](std::uint32_t uid) { return ownerName(info, uid); };
        return {[tree](NodeId file) { return tree->store().owner(file); }, words, words};
    }
    if (by == "age")
        return {[tree, now = source.info.taken](NodeId file) {
                    return static_cast<std::uint32_t>(ageClass(tree->store().modified(file), now));
                },
                [](std::uint32_t key) { return std::string(ageWords[key]); },
                [](std::uint32_t key) { return std::string(ageNames[key]); }};
    const auto rules = readUserRules(withCarried(userFolders()).config).book;
    const auto advice = std::make_shared<const TreeAdvice>(adviseTree(rules, *tree));
    return {[advice](NodeId file) { return static_cast<std::uint32_t>(advice->roles[file]); },
            [](std::uint32_t key) { return std::string(roleTitle(static_cast<Role>(key))); },
            [](std::uint32_t key) { return std::string(roleName(static_cast<Role>(key))); }};
}

using Key = std::pair<std::uint32_t, std::uint32_t>;

template <typename K>
std::vector<std::pair<K, Sums>> largestFirst(const std::map<K, Sums>& sums)
{
    std::vector<std::pair<K, Sums>> order(sums.begin(), sums.end());
    std::stable_sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
        return a.second.disk != b.second.disk ? a.second.disk > b.second.disk : a.second.files > b.second.files;
    });
    return order;
}

void add(Sums& to, const Sums& more)
{
    to.files += more.files;
    to.disk += more.disk;
    to.apparent += more.apparent;
    to.oldest = std::min(to.oldest, more.oldest);
    to.newest = std::max(to.newest, more.newest);
}

std::string timeOrNull(std::int64_t time)
{
    return time == INT64_MAX || time == INT64_MIN ? "null" : std::to_string(time);
}

void printRow(const Sums& sums, std::uint64_t whole, const std::string& words, bool first)
{
    const auto line = fmt::format("{:>10}  {:>9}  {}  {:>16}  {}{}", sizeText(sums.disk), formatShare(sums.disk, whole),
                                  barText(sums.disk, whole), formatItems(sums.files, "file"), first ? "" : "  ", words);
    fmt::print("{}\n", first ? inked(line, Ink::Strong) : line);
}

int printGroups(const GroupArguments& arguments, const std::vector<std::string>& sources)
{
    auto loaded = loadTogether(sources);
    if (!loaded) {
        complain(loaded.error().sentence);
        return ExitFailed;
    }
    const auto& tree = *loaded->tree;
    std::vector<Grouping> groupings;
    for (const auto& by : arguments.by)
        groupings.push_back(groupingBy(by, *loaded));
    std::map<Key, Sums> sums;
    std::map<std::uint32_t, Sums> above;
    // A folder's own blocks have an owner, an age and a role, and no type.
    const bool withFolders = std::none_of(arguments.by.begin(), arguments.by.end(),
                                          [](const std::string& by) { return by == "family" || by == "type"; });
    tree.forEachBelow(rootNode, [&](NodeId node) {
        const bool folder = tree.isFolder(node);
        if (folder && (!withFolders || tree.store().has(node, FlagDoor)))
            return;
        const auto when = tree.store().modified(node);
        const Sums one = folder ? Sums{0, tree.store().ownDisk(node), 0, INT64_MAX, INT64_MIN}
                                : Sums{1, tree.disk(node), tree.apparent(node), when, when};
        const Key key{groupings[0].of(node), groupings.size() > 1 ? groupings[1].of(node) : 0};
        add(sums[key], one);
        add(above[key.first], one);
    });
    const auto whole = tree.disk(rootNode);
    if (arguments.json) {
        const auto rows = largestFirst(sums);
        for (std::size_t i = 0; i < std::min(rows.size(), arguments.count); ++i) {
            const auto& [key, row] = rows[i];
            std::string line = "{\"place\": " + jsonText(tree.path(rootNode));
            for (std::size_t k = 0; k < groupings.size(); ++k)
                line +=
                    ", \"" + arguments.by[k] + "\": " + jsonText(groupings[k].name(k == 0 ? key.first : key.second));
            if (arguments.by.back() == "type")
                line +=
                    ", \"name\": " + jsonText(groupings.back().words(groupings.size() > 1 ? key.second : key.first));
            fmt::print("{}, \"files\": {}, \"apparent_bytes\": {}, \"disk_bytes\": {}, \"oldest\": {}, \"newest\": "
                       "{}}}\n",
                       line, row.files, row.apparent, row.disk, timeOrNull(row.oldest), timeOrNull(row.newest));
        }
        return loaded->finish();
    }
    if (arguments.sources.size() > 1)
        fmt::print("{}\n", displayText(tree.path(rootNode)));
    const auto rows = largestFirst(sums);
    std::size_t shown = 0;
    for (const auto& [key, row] : largestFirst(above)) {
        if (shown++ == arguments.count)
            break;
        printRow(row, whole, groupings[0].words(key), true);
        std::size_t below = 0;
        if (groupings.size() > 1)
            for (const auto& [both, part] : rows)
                if (both.first == key && below++ < arguments.count)
                    printRow(part, whole, groupings[1].words(both.second), false);
    }
    return loaded->finish();
}

} // namespace

int runGroups(const GroupArguments& arguments)
{
    int status = ExitDone;
    for (const auto& sources : apartOr(arguments.together, arguments.sources))
        status = std::max(status, printGroups(arguments, sources));
    return status;
}

} // namespace kurvo::cli
