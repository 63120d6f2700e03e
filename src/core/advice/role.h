// SPDX-License-Identifier: GPL-3.0-or-later
// What an entry is there for. Rules say it of places (docs/advice.md); what lies in a place is of its role, and
// somebody's own files are told apart by their families.
#pragma once

#include <cstdint>
#include <optional>
#include <string_view>

#include "core/types/file_types.h"

namespace kurvo {

enum class Role : std::uint8_t {
    System,       ///< what the machine starts and runs with, and its settings
    Programs,     ///< what is installed
    PackageCache, ///< what package managers have fetched
    Documents,    ///< somebody's own files, by kind
    Pictures,
    Audio,
    Video,
    Personal,    ///< somebody's own, of other kinds
    AppData,     ///< what programs and services keep
    Cache,       ///< what programs fetch or make again
    Logs,        ///< with dumps of crashes
    Trash,       ///< deleted, and still taking space
    Backups,     ///< copies, snapshots, earlier versions
    Machines,    ///< virtual machines and containers
    Development, ///< sources, dependencies, build output, toolchains
    Downloads,
    Temporary,
    NotKnown
};
inline constexpr std::size_t roleCount = 18;

/// "cache": as filters, rules and scripts have it.
std::string_view roleName(Role role);
/// "Caches": for people.
const char* roleTitle(Role role);
std::optional<Role> roleNamed(std::string_view name);

/// Roles that share a colour in the pictures.
enum class RoleGroup : std::uint8_t {
    System,
    Programs,
    Personal, ///< with downloads
    AppData,
    Caches, ///< programs' and package managers'
    LogsAndTemporary,
    Trash,
    Backups,
    MachinesAndDevelopment,
    NotKnown
};
inline constexpr std::size_t roleGroups = 10;
RoleGroup groupOf(Role role);
const char* roleGroupTitle(RoleGroup group);

/// The role of an entry in a folder of role `above`. `spoken`: by the rule that speaks of the entry, if it says one;
/// `anywhere`: that rule goes by the name alone, and does not take an entry out of a place that is known for what it
/// is. `family`: of a file; nothing for a folder.
Role roleWithin(Role above, std::optional<Role> spoken, bool anywhere, std::optional<Family> family);

} // namespace kurvo
