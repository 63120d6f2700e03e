// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/plan/plan_file.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstdio>
#include <optional>
#include <set>
#include <utility>
#include <vector>

#include <nlohmann/json.hpp>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/platform/entry_kind_names.h"
#include "core/platform/unique_fd.h"
#include "core/tree/find_paths.h"

namespace kurvo {
namespace {

using Json = nlohmann::json;

constexpr int version = 1;
constexpr std::array actions{"trash", "delete", "move", "empty trash"};

/// A path as JSON has it: bytes that are no UTF-8 as percent escapes in a field of their own would hide what is
/// planned, so the text is percent-encoded as a whole only where it must be.
bool isText(const std::string& bytes)
{
    for (std::string_view rest = bytes; !rest.empty();) {
        const auto length = utf8SequenceLength(rest);
        if (length == 0)
            return false;
        rest.remove_prefix(length);
    }
    return true;
}

void setPath(Json& object, const std::string& name, const std::string& path)
{
    if (isText(path))
        object[name] = path;
    else
        object[name + "_encoded"] = percentEncoded(path);
}

struct Wrong {
    std::string sentence;
};

/// A member of an object, or Wrong with its name.
template <typename T>
T member(const Json& object, const char* name)
{
    const auto found = object.find(name);
    if (found == object.end())
        throw Wrong{std::string("\"") + name + "\" is missing"};
    const bool fits = std::is_same_v<T, std::string> ? found->is_string()
                      : std::is_same_v<T, bool>      ? found->is_boolean()
                      : std::is_unsigned_v<T>        ? found->is_number_unsigned()
                                                     : found->is_number_integer();
    if (!fits)
        throw Wrong{std::string("\"") + name + "\" is not what it should be"};
    // A number that does not fit would become another one.
    if constexpr (std::is_integral_v<T> && !std::is_same_v<T, bool>)
        if (found->is_number_unsigned() ? !std::in_range<T>(found->template get<std::uint64_t>())
                                        : !std::in_range<T>(found->template get<std::int64_t>()))
            throw Wrong{std::string("\"") + name + "\" is out of range"};
    return found->template get<T>();
}

template <typename T>
T memberOr(const Json& object, const char* name, T otherwise)
{
    return object.contains(name) ? member<T>(object, name) : otherwise;
}

std::string path(const Json& object, const std::string& name)
{
    if (object.contains(name + "_encoded") && object.contains(name))
        throw Wrong{"it has both \"" + name + "\" and \"" + name + "_encoded\""};
    auto found = object.contains(name + "_encoded")
                     ? percentDecoded(member<std::string>(object, (name + "_encoded").c_str()))
                     : member<std::string>(object, name.c_str());
    const bool climbs = ("/" + found + "/").find("/../") != std::string::npos ||
                        ("/" + found + "/").find("/./") != std::string::npos || found.find("//") != std::string::npos;
    if (!found.starts_with('/') || found.size() < 2 || found.ends_with('/') || climbs || found.find('\0') != found.npos)
        throw Wrong{"\"" + name + "\" is no whole path from the root"};
    return found;
}

/// UTC seconds that a filesystem can have: some ten thousand years either way.
bool isTime(std::int64_t seconds)
{
    constexpr std::int64_t most = 1ll << 38;
    return seconds >= -most && seconds <= most;
}

/// JSON in which no object has a member twice, of which readers would take one or the other.
std::optional<Json> parsed(const std::string& text, std::string& twice)
{
    std::vector<std::set<std::string>> open;
    const auto look = [&](int, Json::parse_event_t event, Json& value) {
        if (event == Json::parse_event_t::object_start)
            open.emplace_back();
        else if (event == Json::parse_event_t::object_end)
            open.pop_back();
        else if (event == Json::parse_event_t::key && !open.empty() &&
                 !open.back().insert(value.get<std::string>()).second)
            twice = value.get<std::string>();
        return true;
    };
    auto json = Json::parse(text, look, false);
    return json.is_discarded() ? std::nullopt : std::optional<Json>(std::move(json));
}

template <typename Names>
std::size_t oneOf(const Json& object, const char* name, const Names& names)
{
    const auto text = member<std::string>(object, name);
    const auto found = std::find(names.begin(), names.end(), text);
    if (found == names.end())
        throw Wrong{std::string("\"") + name + "\" is \"" + displayText(text) + "\", which is not known"};
    return static_cast<std::size_t>(found - names.begin());
}

std::int64_t readTime(const Json& object, std::uint32_t& nanoseconds)
{
    const auto seconds = member<std::int64_t>(object, "modified");
    nanoseconds = member<std::uint32_t>(object, "modified_ns");
    if (!isTime(seconds) || nanoseconds >= 1'000'000'000)
        throw Wrong{"its time of modification is out of range"};
    return seconds;
}

ContentSummary contentOf(const Json& object)
{
    ContentSummary content;
    content.entries = member<std::uint64_t>(object, "entries");
    content.apparent = member<std::uint64_t>(object, "apparent");
    content.fingerprint = member<std::uint64_t>(object, "fingerprint");
    content.unreadable = memberOr<std::uint32_t>(object, "unreadable", 0);
    return content;
}

/// What a planned item and its twin have in common.
template <typename Thing>
void setIdentity(Json& object, const Thing& thing, const ContentSummary& content)
{
    object["device"] = thing.device;
    object["inode"] = thing.inode;
    object["size"] = thing.size;
    object["modified"] = thing.modified;
    object["modified_ns"] = thing.modifiedNs;
    object["entries"] = content.entries;
    object["apparent"] = content.apparent;
    object["fingerprint"] = content.fingerprint;
    object["unreadable"] = content.unreadable;
    setPath(object, "path", thing.path);
}

Twin twinOf(const Json& object)
{
    if (!object.is_object())
        throw Wrong{"\"stays\" is no object"};
    Twin twin;
    twin.path = path(object, "path");
    twin.device = member<std::uint64_t>(object, "device");
    twin.inode = member<std::uint64_t>(object, "inode");
    twin.size = member<std::uint64_t>(object, "size");
    twin.modified = readTime(object, twin.modifiedNs);
    twin.content = contentOf(object);
    return twin;
}

PlannedItem itemOf(const Json& object)
{
    if (!object.is_object())
        throw Wrong{"it is no object"};
    PlannedItem planned;
    auto& item = planned.item;
    item.action = static_cast<Action>(oneOf(object, "action", actions));
    item.path = path(object, "path");
    item.kind = static_cast<EntryKind>(oneOf(object, "kind", entryKindNames));
    item.device = member<std::uint64_t>(object, "device");
    item.inode = member<std::uint64_t>(object, "inode");
    item.size = member<std::uint64_t>(object, "size");
    item.modified = readTime(object, item.modifiedNs);
    item.disk = member<std::uint64_t>(object, "disk");
    item.guardLifted = memberOr(object, "guard_lifted", false);
    if (item.action == Action::Move) {
        item.destination = path(object, "destination");
        item.leaveLink = memberOr(object, "leave_link", false);
    }
    if (object.contains("stays"))
        item.twin = twinOf(object["stays"]);
    planned.content = contentOf(object);
    planned.frees = memberOr(object, "frees", item.disk);
    planned.mark = memberOr(object, "mark", std::string());
    planned.note = memberOr(object, "note", std::string());
    return planned;
}

} // namespace

std::uint64_t PlanFile::disk(Action action) const
{
    std::uint64_t sum = 0;
    for (const auto& planned : items)
        sum += planned.item.action == action ? planned.item.disk : 0;
    return sum;
}

std::size_t PlanFile::count(Action action) const
{
    return static_cast<std::size_t>(std::count_if(
        items.begin(), items.end(), [action](const PlannedItem& planned) { return planned.item.action == action; }));
}

PlanFile planFileOf(const Plan& plan, const FileTree& tree)
{
    PlanFile file;
    const auto held = plan.heldByLinks(tree);
    for (const auto& item : plan.items()) {
        const auto less = held.find(item.node);
        file.items.push_back({item,
                              item.content ? *item.content : summarize(tree, item.node),
                              item.disk - (less == held.end() ? 0 : less->second),
                              {},
                              {}});
    }
    return file;
}

std::size_t restorePlan(const PlanFile& file, const FileTree& tree, const GuardFacts& facts, Plan& plan)
{
    std::size_t lost = 0;
    std::vector<std::string_view> paths;
    for (const auto& planned : file.items)
        paths.push_back(planned.item.path);
    const auto nodes = findPaths(tree, paths);
    for (std::size_t i = 0; i < file.items.size(); ++i) {
        const auto& planned = file.items[i];
        auto item = planned.item;
        const NodeId node = nodes[i];
        const auto places = tree.places();
        if (node == noNode && std::none_of(places.begin(), places.end(),
                                           [&](NodeId place) { return isAtOrBelow(item.path, tree.path(place)); })) {
            item.content = planned.content;
            lost += plan.addOutside(std::move(item), facts) ? 0 : 1;
            continue;
        }
        item.node = node;
        if (node == noNode || !isAsPlanned(item, tree) ||
            !plan.add(tree, node, facts, item.guardLifted ? Guard::Lifted : Guard::Up,
                      {item.action, item.destination, item.leaveLink, item.twin}))
            ++lost;
    }
    return lost;
}

std::string planPathFor(const std::string& folder, const std::string& host, const std::string& place)
{
    const auto key = host + '\0' + place;
    char name[32];
    std::snprintf(name, sizeof name, "%016llx.json",
                  static_cast<unsigned long long>(XXH3_64bits(key.data(), key.size())));
    return joinPath(folder, name);
}

std::string encodePlan(const PlanFile& plan)
{
    Json file{{"format", "kurvo-plan"}, {"version", version}, {"host", plan.host}, {"written", plan.written}};
    setPath(file, "place", plan.place);
    auto& items = file["items"] = Json::array();
    for (const auto& planned : plan.items) {
        const auto& item = planned.item;
        Json object{{"action", actions[static_cast<std::size_t>(item.action)]},
                    {"kind", entryKindNames[static_cast<std::size_t>(item.kind)]},
                    {"disk", item.disk},
                    {"frees", planned.frees}};
        setIdentity(object, item, planned.content);
        if (item.action == Action::Move) {
            setPath(object, "destination", item.destination);
            object["leave_link"] = item.leaveLink;
        }
        if (item.guardLifted)
            object["guard_lifted"] = true;
        if (item.twin)
            setIdentity(object["stays"], *item.twin, item.twin->content);
        if (!planned.mark.empty())
            object["mark"] = planned.mark;
        if (!planned.note.empty())
            object["note"] = planned.note;
        items.push_back(std::move(object));
    }
    return file.dump(2, ' ', false, Json::error_handler_t::replace) + "\n";
}

Result<PlanFile> decodePlan(const std::string& json, const std::string& name)
{
    const auto shown = displayText(name);
    std::string twice;
    const auto read = parsed(json, twice);
    if (!read)
        return Error{ErrorKind::Damaged, name, 0, shown + " is not valid JSON. Nothing was taken from it."};
    const auto& file = *read;
    if (!file.is_object() || file.value("format", Json()) != "kurvo-plan")
        return Error{ErrorKind::WrongFormat, name, 0, shown + " is not a plan."};
    std::size_t at = 0;
    try {
        if (!twice.empty())
            throw Wrong{"\"" + displayText(twice) + "\" stands twice in one object"};
        const auto found = member<std::int64_t>(file, "version");
        if (found > version)
            return Error{ErrorKind::TooNew, name, 0, shown + " was written by a newer version of Kurvo."};
        if (found < version)
            throw Wrong{"there is no version " + std::to_string(found)};
        PlanFile plan;
        plan.host = member<std::string>(file, "host");
        plan.place = file.contains("place") && file["place"] == "/" ? "/" : path(file, "place");
        plan.written = member<std::int64_t>(file, "written");
        if (!isTime(plan.written))
            throw Wrong{"\"written\" is out of range"};
        if (!file.contains("items") || !file["items"].is_array())
            throw Wrong{"\"items\" is missing"};
        std::set<std::string> paths;
        for (const auto& object : file["items"]) {
            ++at;
            plan.items.push_back(itemOf(object));
            paths.insert(plan.items.back().item.path);
        }
        at = 0;
        // One that lies in another would be acted on twice.
        if (paths.size() != plan.items.size())
            throw Wrong{"two of its items have the same path"};
        for (const auto& one : paths)
            for (auto above = std::string(parentPath(one)); above != "/"; above = parentPath(above))
                if (paths.contains(above))
                    throw Wrong{displayText(one) + " is planned and lies in another planned item"};
        return plan;
    } catch (const Wrong& wrong) {
        return Error{ErrorKind::Damaged, name, 0,
                     (at > 0 ? "Item " + std::to_string(at) + " of " + shown : shown) +
                         " cannot be used: " + wrong.sentence + ". Nothing was taken from it."};
    }
}

bool beginsAsPlan(std::string_view begin)
{
    return begin.starts_with("{\n  \"format\": \"kurvo-plan\"");
}

Result<Done> writePlanFile(const std::string& path, const PlanFile& plan, AtomicFile::Existing existing)
{
    auto file = AtomicFile::create(path, AtomicFile::Readers::AsUsual, existing); // it is made to be handed over
    if (!file)
        return file.error();
    const auto text = encodePlan(plan);
    file->write(text.data(), text.size());
    return file->commit();
}

Result<PlanFile> readPlanFile(const std::string& path)
{
    UniqueFd fd(::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK));
    struct stat s { };
    if (!fd || ::fstat(fd.get(), &s) != 0)
        return systemError("open", path, errno);
    constexpr off_t most = 256 << 20;
    if (!S_ISREG(s.st_mode) || s.st_size > most)
        return Error{ErrorKind::WrongFormat, path, 0, displayText(path) + " is not a plan."};
    std::string text(static_cast<std::size_t>(s.st_size), '\0');
    std::size_t got = 0;
    while (got < text.size()) {
        const auto n = ::read(fd.get(), text.data() + got, text.size() - got);
        if (n < 0 && errno == EINTR)
            continue;
        if (n < 0)
            return systemError("read", path, errno);
        if (n == 0)
            break;
        got += static_cast<std::size_t>(n);
    }
    text.resize(got);
    return decodePlan(text, path);
}

} // namespace kurvo
