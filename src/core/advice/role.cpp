// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/advice/role.h"

#include <array>

namespace kurvo {
namespace {

struct Words {
    std::string_view name;
    const char* title;
    RoleGroup group;
};
constexpr std::array<Words, roleCount> words{{
    {"system", "System", RoleGroup::System},
    {"programs", "Programs", RoleGroup::Programs},
    {"packages", "Package caches", RoleGroup::Caches},
    {"documents", "Documents", RoleGroup::Personal},
    {"pictures", "Pictures", RoleGroup::Personal},
    {"audio", "Audio", RoleGroup::Personal},
    {"video", "Video", RoleGroup::Personal},
    {"personal", "Other personal files", RoleGroup::Personal},
    {"appdata", "Application data", RoleGroup::AppData},
    {"cache", "Caches", RoleGroup::Caches},
    {"logs", "Logs and crash dumps", RoleGroup::LogsAndTemporary},
    {"trash", "Trash", RoleGroup::Trash},
    {"backups", "Backups", RoleGroup::Backups},
    {"machines", "Virtual machines and containers", RoleGroup::MachinesAndDevelopment},
    {"development", "Development", RoleGroup::MachinesAndDevelopment},
    {"downloads", "Downloads", RoleGroup::Personal},
    {"temporary", "Temporary", RoleGroup::LogsAndTemporary},
    {"unknown", "Not known", RoleGroup::NotKnown},
}};

const Words& wordsOf(Role role)
{
    return words[static_cast<std::size_t>(role)];
}

/// A file in a place of which nothing more is known than that it is somebody's own, or not even that.
Role ownFile(Role place, Family family)
{
    switch (family) {
    case Family::Video:
        return Role::Video;
    case Family::Audio:
        return Role::Audio;
    case Family::Pictures:
        return Role::Pictures;
    case Family::Documents:
        return Role::Documents;
    case Family::Archives:
        return Role::Personal;
    case Family::DiskImages:
        return Role::Machines;
    case Family::Logs:
        return Role::Logs;
    case Family::Databases:
        return place == Role::Personal ? place : Role::AppData;
    case Family::Programs:
        return place == Role::Personal ? place : Role::Programs;
    case Family::Unknown:
        break;
    }
    return place;
}

} // namespace

std::string_view roleName(Role role)
{
    return wordsOf(role).name;
}

const char* roleTitle(Role role)
{
    return wordsOf(role).title;
}

std::optional<Role> roleNamed(std::string_view name)
{
    for (std::size_t i = 0; i < roleCount; ++i)
        if (words[i].name == name)
            return static_cast<Role>(i);
    return std::nullopt;
}

RoleGroup groupOf(Role role)
{
    return wordsOf(role).group;
}

const char* roleGroupTitle(RoleGroup group)
{
    static constexpr std::array titles{
        "System", "Programs", "Personal files",           "Application data", "Caches", "Logs and temporary",
        "Trash",  "Backups",  "Machines and development", "Not known"};
    return titles[static_cast<std::size_t>(group)];
}

Role roleWithin(Role above, std::optional<Role> spoken, bool anywhere, std::optional<Family> family)
{
    const bool open = above == Role::NotKnown || above == Role::Personal || above == Role::AppData ||
                      above == Role::Downloads || above == Role::Development;
    auto role = spoken && (open || !anywhere) ? *spoken : above;
    if (family && (role == Role::Personal || role == Role::NotKnown))
        role = ownFile(role, *family);
    return role;
}

} // namespace kurvo
