// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/place_sets.h"

#include <strings.h>
#include <sys/stat.h>

#include <algorithm>
#include <sstream>

#include <toml++/toml.h>

#include "core/base/patience.h"
#include "core/base/text.h"
#include "core/platform/file_facts.h"
#include "core/platform/filesystem_identity.h"
#include "core/platform/folders.h"
#include "core/platform/lock_file.h"
#include "core/snapshot/together.h"

namespace kurvo {
namespace {

constexpr std::size_t largestFile = std::size_t{1} << 20;

/// Each as it is called in the file.
using Field = std::pair<const char*, std::string SnapshotInfo::*>;
constexpr Field placeFields[] = {
    {"path", &SnapshotInfo::place},          {"name", &SnapshotInfo::placeName},
    {"host", &SnapshotInfo::host},           {"filesystem", &SnapshotInfo::filesystem},
    {"uuid", &SnapshotInfo::filesystemUuid}, {"mounted", &SnapshotInfo::mountPoint},
    {"shows", &SnapshotInfo::mountRoot},
};

/// Names are for people to read; all else is bytes.
std::string toText(const Field& field, const std::string& bytes)
{
    return field.second == &SnapshotInfo::placeName ? displayText(bytes) : percentEncoded(bytes);
}

std::string fromText(const Field& field, const std::string& text)
{
    return field.second == &SnapshotInfo::placeName ? displayText(text) : percentDecoded(text);
}

std::string fileIn(const std::string& folder)
{
    return joinPath(folder, "sets.toml");
}

Error notUnderstood(const std::string& file, const toml::source_region& where)
{
    return {ErrorKind::Damaged, file, 0,
            displayText(file) + ", line " + std::to_string(where.begin.line) +
                ", cannot be understood. It is left as it is until it is put right."};
}

/// The first that is wrong goes into `wrong`.
SnapshotInfo placeFrom(const toml::node& node, const toml::node*& wrong)
{
    SnapshotInfo place;
    const auto* table = node.as_table();
    if (!table) {
        wrong = &node;
        return place;
    }
    for (const auto& [key, value] : *table) {
        if (key.str() == "sample") {
            place.sample = value.value_or(false);
            continue;
        }
        const auto* field = std::find_if(std::begin(placeFields), std::end(placeFields),
                                         [name = key.str()](const auto& one) { return one.first == name; });
        if (field == std::end(placeFields) || !value.is_string())
            wrong = &value;
        else
            place.*field->second = fromText(*field, **value.as_string());
    }
    if (!place.place.starts_with('/'))
        wrong = &node;
    return place;
}

Result<std::vector<PlaceSet>> setsFrom(const std::string& file, const toml::table& table)
{
    std::vector<PlaceSet> sets;
    const toml::node* wrong = nullptr;
    for (const auto& [key, value] : table) {
        const auto* list = value.as_array();
        if (key.str() != "set" || !list || !(list->empty() || list->is_array_of_tables())) {
            wrong = &value;
            continue;
        }
        for (const auto& one : *list) {
            const auto& entry = *one.as_table();
            PlaceSet set;
            set.name = displayText(entry["name"].value_or(std::string()));
            if (const auto* places = entry["place"].as_array())
                for (const auto& place : *places)
                    set.places.push_back(placeFrom(place, wrong));
            if (set.name.empty() || set.places.empty() || entry.size() != 2)
                wrong = &one;
            sets.push_back(std::move(set));
        }
    }
    if (wrong)
        return notUnderstood(file, wrong->source());
    return sets;
}

Result<Done> writeSets(const std::string& folder, const std::vector<PlaceSet>& sets)
{
    toml::array all;
    for (const auto& set : sets) {
        toml::array places;
        for (const auto& place : set.places) {
            toml::table entry;
            for (const auto& field : placeFields)
                if (const auto& bytes = place.*field.second; !bytes.empty())
                    entry.insert(field.first, toText(field, bytes));
            if (place.sample)
                entry.insert("sample", true);
            places.push_back(std::move(entry));
        }
        all.push_back(toml::table{{"name", set.name}, {"place", std::move(places)}});
    }
    std::ostringstream text;
    text << "# Places that are looked at together, each set under its name.\n"
         << toml::toml_formatter(toml::table{{"set", std::move(all)}}) << '\n';
    auto file = AtomicFile::create(fileIn(folder));
    if (!file)
        return file.error();
    const auto bytes = text.str();
    file->write(bytes.data(), bytes.size());
    return file->commit();
}

bool isNamed(const PlaceSet& set, const std::string& name)
{
    return ::strcasecmp(set.name.c_str(), name.c_str()) == 0;
}

Error noSet(const std::string& name)
{
    return {ErrorKind::NotFound, {}, 0, "There is no set named \"" + displayText(name) + "\"."};
}

/// Where on its filesystem a place lies, once that is mounted at `mountPoint`.
std::string placeOn(const std::string& mountPoint, const SnapshotInfo& place)
{
    auto below = std::string_view(place.place);
    if (isAtOrBelow(place.place, place.mountPoint))
        below.remove_prefix(place.mountPoint.size());
    while (below.starts_with('/'))
        below.remove_prefix(1);
    return below.empty() ? mountPoint : joinPath(mountPoint, below);
}

std::string pathNow(const SnapshotInfo& place, const std::vector<Drive>& drives)
{
    const auto isThere = [&](const std::string& path) {
        struct stat s { };
        return ::stat(path.c_str(), &s) == 0 && S_ISDIR(s.st_mode) && isOnePlace(describePlace(path), place);
    };
    if (place.sample || place.host != hostName())
        return {};
    if (isThere(place.place))
        return place.place;
    for (const auto& drive : drives)
        if (!place.filesystemUuid.empty() && filesystemUuid(drive.mountPoint) == place.filesystemUuid)
            if (auto path = placeOn(drive.mountPoint, place); isThere(path))
                return path;
    return {};
}

} // namespace

Result<std::vector<PlaceSet>> readSets(const std::string& folder)
{
    const auto file = fileIn(folder);
    const auto text = readBeginning(file, largestFile);
    if (!text && text.error().kind == ErrorKind::NotFound)
        return std::vector<PlaceSet>();
    if (!text)
        return text.error();
    if (text->size() >= largestFile) // what is beyond was not read, and would be lost when it is written
        return Error{ErrorKind::Damaged, file, 0,
                     displayText(file) + " is far too large for a list of sets. It is left as it is."};
    try {
        return setsFrom(file, toml::parse(*text, file));
    } catch (const toml::parse_error& error) {
        return notUnderstood(file, error.source());
    }
}

Result<Done> changeSets(const std::string& folder, const std::function<Result<Done>(std::vector<PlaceSet>&)>& change)
{
    if (auto made = makeFolders(folder); !made)
        return made.error();
    const auto held = lockBeside(fileIn(folder));
    if (!held)
        return held.error();
    auto sets = readSets(folder);
    if (!sets)
        return sets.error();
    if (auto changed = change(*sets); !changed)
        return changed;
    return writeSets(folder, *sets);
}

Result<Done> keepSet(const std::string& folder, PlaceSet set)
{
    set.name = displayText(set.name);
    if (set.name.empty())
        return Error{ErrorKind::Unsupported, {}, 0, "A set needs a name."};
    for (std::size_t i = 0; i < set.places.size(); ++i)
        for (std::size_t k = 0; k < set.places.size(); ++k) {
            const auto &place = set.places[i], &other = set.places[k];
            const auto refused = [&](const std::string& why) {
                return Error{ErrorKind::Unsupported, place.place, 0, displayText(place.place) + why};
            };
            if (!isOfOneMachine(place, other))
                return refused(" is of another machine. Places of one machine go together.");
            if (i != k && isOnePlace(place, other))
                return refused(" is named twice.");
            // What another drive has mounted there is another place.
            if (i != k && isAtOrBelow(place.place, other.place) && isOneFilesystem(place, other))
                return refused(" lies in " + displayText(other.place) + ", with which it is looked at anyway.");
        }
    if (set.places.size() < 2)
        return Error{ErrorKind::Unsupported, {}, 0, "A set needs two places at least."};
    return changeSets(folder, [&](std::vector<PlaceSet>& sets) -> Result<Done> {
        const auto known =
            std::find_if(sets.begin(), sets.end(), [&](const PlaceSet& one) { return isNamed(one, set.name); });
        if (known != sets.end())
            *known = std::move(set);
        else
            sets.push_back(std::move(set));
        return Done{};
    });
}

Result<Done> removeSet(const std::string& folder, const std::string& name)
{
    return changeSets(folder, [&](std::vector<PlaceSet>& sets) -> Result<Done> {
        return std::erase_if(sets, [&](const PlaceSet& set) { return isNamed(set, name); }) > 0 ? Result<Done>(Done{})
                                                                                                : noSet(name);
    });
}

Result<Done> renameSet(const std::string& folder, const std::string& name, const std::string& to)
{
    return changeSets(folder, [&](std::vector<PlaceSet>& sets) -> Result<Done> {
        const auto wanted = displayText(to);
        PlaceSet* found = nullptr;
        for (auto& set : sets)
            if (isNamed(set, name))
                found = &set;
            else if (isNamed(set, wanted))
                return Error{ErrorKind::Unsupported, {}, 0, "There is a set named \"" + wanted + "\" already."};
        if (!found)
            return noSet(name);
        if (wanted.empty())
            return Error{ErrorKind::Unsupported, {}, 0, "A set needs a name."};
        found->name = wanted;
        return Done{};
    });
}

const PlaceSet* setNamed(const std::vector<PlaceSet>& sets, const std::string& name)
{
    const auto found = std::find_if(sets.begin(), sets.end(), [&](const PlaceSet& set) { return isNamed(set, name); });
    return found == sets.end() ? nullptr : &*found;
}

std::vector<PlaceNow> whereIs(const PlaceSet& set, const Catalogue& catalogue)
{
    std::vector<Drive> drives;
    if (auto all = readAllMounts())
        drives = std::move(*all);
    std::vector<PlaceNow> places;
    for (const auto& place : set.places) {
        auto& now = places.emplace_back();
        const auto answer = askWithin(std::chrono::seconds(5), [place, drives] { return pathNow(place, drives); });
        now.path = answer.value_or(std::string());
        for (auto& entry : snapshotsOf(catalogue, place))
            if (!entry.info.partial && (!now.newest || entry.info.taken > now.newest->info.taken))
                now.newest = std::move(entry);
    }
    return places;
}

} // namespace kurvo
