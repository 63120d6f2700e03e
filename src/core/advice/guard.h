// SPDX-License-Identifier: GPL-3.0-or-later
// What must not be put on a plan: the system, what packages own, home folders as a whole, and Kurvo's own data. For a
// single item that somebody knows about the guard can be lifted; for what would take the system or a person with it,
// not.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "core/platform/folders.h"
#include "core/platform/package_database.h"

namespace kurvo {

struct Protection {
    std::string reason;      ///< a sentence that names the path
    bool canBeLifted = true; ///< for this one item
    bool whole = false;      ///< with everything in it; else it is only the folder that must stay
};

/// What is known of this system. Either may be missing.
struct GuardFacts {
    UserFolders user;
    std::string ownData;                       ///< Kurvo's own data
    const PackageDatabase* packages = nullptr; ///< of the system that `path` lies in
};

/// Belongs to the system, its kernel or its package manager, or to installed packages.
bool isSystemPath(std::string_view path);

/// Why a path is protected; nothing when it is not. Fast: it asks no disk.
std::optional<Protection> protectionOf(const std::string& path, const GuardFacts& facts);

} // namespace kurvo
