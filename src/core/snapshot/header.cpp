// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/snapshot/header.h"

#include <nlohmann/json.hpp>

#include "core/base/text.h"
#include "core/platform/folders.h"

namespace kurvo {
namespace {

using nlohmann::json;

json binary(const std::string& bytes)
{
    return json::binary(std::vector<std::uint8_t>(bytes.begin(), bytes.end()));
}

std::string bytesOf(const json& value)
{
    const auto& b = value.get_binary();
    return std::string(b.begin(), b.end());
}

/// The fixed drives of two machines, whatever their UUIDs say.
bool areTwoMachines(const SnapshotInfo& a, const SnapshotInfo& b)
{
    const auto isForRemovable = [](const std::string& mountPoint) {
        return isAtOrBelow(mountPoint, "/media") || isAtOrBelow(mountPoint, "/run/media") ||
               isAtOrBelow(mountPoint, "/mnt");
    };
    return !a.host.empty() && !b.host.empty() && a.host != b.host && a.mountPoint == b.mountPoint &&
           !isForRemovable(a.mountPoint);
}

} // namespace

bool isOneFilesystem(const SnapshotInfo& a, const SnapshotInfo& b)
{
    if (areTwoMachines(a, b))
        return false;
    if (!a.filesystemUuid.empty() && !b.filesystemUuid.empty())
        return a.filesystemUuid == b.filesystemUuid;
    return a.host == b.host && a.mountPoint == b.mountPoint && a.filesystem == b.filesystem;
}

bool isOnePlace(const SnapshotInfo& a, const SnapshotInfo& b)
{
    const auto pathInFilesystem = [](const SnapshotInfo& info) {
        auto below = std::string_view(info.place);
        if (isAtOrBelow(info.place, info.mountPoint))
            below.remove_prefix(info.mountPoint.size());
        while (below.starts_with('/'))
            below.remove_prefix(1);
        return below.empty() ? info.mountRoot : joinPath(info.mountRoot, below);
    };
    if (areTwoMachines(a, b))
        return false;
    if (!a.filesystemUuid.empty() && !b.filesystemUuid.empty())
        return a.filesystemUuid == b.filesystemUuid && pathInFilesystem(a) == pathInFilesystem(b);
    return a.host == b.host && a.place == b.place;
}

std::string ownerName(const SnapshotInfo& info, std::uint32_t uid)
{
    for (const auto& [known, name] : info.owners)
        if (known == uid)
            return name;
    return std::to_string(uid);
}

std::vector<std::pair<std::uint32_t, std::string>> ownersOf(const FileTree& tree)
{
    std::vector<std::pair<std::uint32_t, std::string>> owners;
    for (const auto uid : tree.store().owners())
        owners.emplace_back(uid, userName(uid));
    return owners;
}

std::string encodeHeader(const SnapshotHeader& all)
{
    const auto& info = all.info;
    json header;
    header["place"] = binary(info.place);
    header["place_name"] = displayText(info.placeName);
    header["host"] = displayText(info.host);
    header["filesystem"] = displayText(info.filesystem);
    if (!info.filesystemUuid.empty())
        header["filesystem_uuid"] = displayText(info.filesystemUuid);
    header["mount_point"] = binary(info.mountPoint);
    if (info.mountRoot != "/")
        header["mount_root"] = binary(info.mountRoot);
    header["taken"] = info.taken;
    header["seconds"] = info.seconds;
    header["capacity"] = {{"total", info.capacity.total},
                          {"used", info.capacity.used},
                          {"reserved", info.capacity.reserved},
                          {"free", info.capacity.free}};
    auto owners = json::array();
    for (const auto& [uid, name] : info.owners)
        owners.push_back({uid, displayText(name)});
    header["owners"] = owners;
    header["partial"] = info.partial;
    header["sample"] = info.sample;
    header["unreadable"] = info.unreadable;
    header["entries"] = info.entries;
    header["disk_bytes"] = info.diskBytes;
    header["id"] = info.id;
    header["options"] = {{"cross_mounts", info.crossMounts}, {"exclude", json::array()}};
    for (const auto& glob : info.exclude)
        header["options"]["exclude"].push_back(binary(glob));
    if (!info.ledger.empty()) {
        auto& ledger = header["ledger"] = json::array();
        for (const auto& [part, bytes] : info.ledger)
            ledger.push_back({part, bytes});
    }
    if (!info.baseId.empty())
        header["base"] = {{"id", info.baseId}, {"file", binary(info.baseFile)}};
    std::string index;
    for (const auto hash : all.index)
        putU64(index, hash);
    header["index"] = binary(index);
    const auto cbor = json::to_cbor(header);
    return std::string(cbor.begin(), cbor.end());
}

Result<SnapshotHeader> decodeHeader(std::string_view bytes, const std::string& path)
{
    // nlohmann reports wrong types by exceptions; they end here.
    try {
        const auto header = json::from_cbor(bytes.begin(), bytes.end());
        SnapshotHeader all;
        auto& info = all.info;
        info.place = bytesOf(header.at("place"));
        info.placeName = header.at("place_name").get<std::string>();
        info.host = header.at("host").get<std::string>();
        info.filesystem = header.at("filesystem").get<std::string>();
        info.filesystemUuid = header.value("filesystem_uuid", std::string());
        info.mountPoint = bytesOf(header.at("mount_point"));
        if (header.contains("mount_root"))
            info.mountRoot = bytesOf(header.at("mount_root"));
        info.taken = header.at("taken").get<std::int64_t>();
        info.seconds = header.at("seconds").get<double>();
        const auto& capacity = header.at("capacity");
        info.capacity.total = capacity.at("total").get<std::uint64_t>();
        info.capacity.used = capacity.at("used").get<std::uint64_t>();
        info.capacity.reserved = capacity.at("reserved").get<std::uint64_t>();
        info.capacity.free = capacity.at("free").get<std::uint64_t>();
        for (const auto& owner : header.at("owners"))
            info.owners.emplace_back(owner.at(0).get<std::uint32_t>(), owner.at(1).get<std::string>());
        info.partial = header.at("partial").get<bool>();
        info.sample = header.at("sample").get<bool>();
        info.unreadable = header.at("unreadable").get<std::uint64_t>();
        info.entries = header.at("entries").get<std::uint64_t>();
        info.diskBytes = header.at("disk_bytes").get<std::uint64_t>();
        if (!header.contains("id"))
            return all; // version 1
        info.id = header.at("id").get<std::string>();
        const auto& options = header.at("options");
        info.crossMounts = options.at("cross_mounts").get<bool>();
        for (const auto& glob : options.at("exclude"))
            info.exclude.push_back(bytesOf(glob));
        if (header.contains("ledger"))
            for (const auto& line : header.at("ledger"))
                info.ledger.emplace_back(line.at(0).get<std::string>(), line.at(1).get<std::uint64_t>());
        if (header.contains("base")) {
            info.baseId = header.at("base").at("id").get<std::string>();
            info.baseFile = bytesOf(header.at("base").at("file"));
        }
        const auto index = bytesOf(header.at("index"));
        for (std::size_t at = 0; at + 8 <= index.size(); at += 8)
            all.index.push_back(getU64(index, at));
        return all;
    } catch (const json::exception&) {
        return Error{ErrorKind::Damaged, path, 0,
                     "The snapshot " + displayText(path) + " is damaged: its header cannot be read."};
    }
}

} // namespace kurvo
