// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/run_rows.h"

#include <algorithm>

#include <nlohmann/json.hpp>

#include "core/base/text.h"

namespace kurvo {
namespace {

using Json = nlohmann::json;

constexpr StepState lastState = StepState::Emptied;

template <typename Name, typename Value>
Value valueOf(const std::string& name, Value last, const Name& nameOf)
{
    for (int i = 0; i <= static_cast<int>(last); ++i)
        if (name == nameOf(static_cast<Value>(i)))
            return static_cast<Value>(i);
    throw Json::other_error::create(501, "unknown", nullptr);
}

std::string path(const Json& json, const char* name)
{
    return percentDecoded(json.at(name).get<std::string>());
}

} // namespace

std::string encodeRun(const RunRecord& record)
{
    const auto& run = record.run;
    Json json{{"id", run.rightsRun},
              {"began", run.began},
              {"ended", run.ended},
              {"place", percentEncoded(run.place)},
              {"host", percentEncoded(run.host)},
              {"free_before", run.freeBefore},
              {"free_after", run.freeAfter},
              {"steps", Json::array()}};
    for (const auto& s : record.steps)
        json["steps"].push_back({{"action", actionName(s.action)},
                                 {"state", stateName(s.state)},
                                 {"path", percentEncoded(s.path)},
                                 {"target", percentEncoded(s.target)},
                                 {"link", s.leaveLink},
                                 {"kind", static_cast<int>(s.stat.kind)},
                                 {"device", s.stat.device},
                                 {"inode", s.stat.inode},
                                 {"size", s.stat.size},
                                 {"modified", s.stat.modified},
                                 {"modified_ns", s.stat.modifiedNs},
                                 {"disk", s.disk},
                                 {"frees", s.frees},
                                 {"held_open", s.heldOpen},
                                 {"copy_inode", s.copyInode},
                                 {"trash", percentEncoded(s.trashed.folder.path)},
                                 {"trash_top", percentEncoded(s.trashed.folder.topFolder)},
                                 {"trash_name", percentEncoded(s.trashed.name)},
                                 {"trashed", s.trashed.deleted},
                                 {"note", percentEncoded(s.note)},
                                 {"changed", s.changed}});
    return json.dump();
}

Result<RunRecord> decodeRun(const std::string& line)
{
    const auto json = Json::parse(line, nullptr, false);
    RunRecord record;
    try {
        auto& run = record.run;
        run.rightsRun = json.at("id").get<std::int64_t>();
        run.began = json.at("began").get<std::int64_t>();
        run.ended = json.at("ended").get<std::int64_t>();
        run.place = path(json, "place");
        run.host = path(json, "host");
        run.freeBefore = json.at("free_before").get<std::uint64_t>();
        run.freeAfter = json.at("free_after").get<std::uint64_t>();
        for (const auto& row : json.at("steps")) {
            LoggedStep s;
            s.action = valueOf(row.at("action").get<std::string>(), Action::EmptyTrash, actionName);
            s.state = valueOf(row.at("state").get<std::string>(), lastState, stateName);
            s.path = path(row, "path");
            s.target = path(row, "target");
            s.leaveLink = row.at("link").get<bool>();
            const auto kind = row.at("kind").get<unsigned>();
            s.stat.kind = static_cast<EntryKind>(std::min(kind, static_cast<unsigned>(EntryKind::CharacterDevice)));
            s.stat.device = row.at("device").get<std::uint64_t>();
            s.stat.inode = row.at("inode").get<std::uint64_t>();
            s.stat.size = row.at("size").get<std::uint64_t>();
            s.stat.modified = row.at("modified").get<std::int64_t>();
            s.stat.modifiedNs = row.at("modified_ns").get<std::uint32_t>();
            s.disk = row.at("disk").get<std::uint64_t>();
            s.frees = row.at("frees").get<std::uint64_t>();
            s.heldOpen = row.at("held_open").get<bool>();
            s.copyInode = row.at("copy_inode").get<std::uint64_t>();
            s.trashed = {{path(row, "trash"), path(row, "trash_top")},
                         path(row, "trash_name"),
                         s.path,
                         row.at("trashed").get<std::int64_t>()};
            s.note = path(row, "note");
            s.changed = row.at("changed").get<std::int64_t>();
            record.steps.push_back(std::move(s));
        }
        if (run.rightsRun > 0)
            return record;
    } catch (const Json::exception&) {
    }
    return Error{ErrorKind::WrongFormat, {}, 0, "The helper told of a run in a way that is not understood."};
}

} // namespace kurvo
