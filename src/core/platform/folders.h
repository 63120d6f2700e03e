// SPDX-License-Identifier: GPL-3.0-or-later
// Where this user's files belong (XDG Base Directory Specification 0.8), and opening paths without following links.
#pragma once

#include <cstdint>
#include <string>

#include "core/base/result.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

struct UserFolders {
    std::string home;
    std::string data;   ///< $XDG_DATA_HOME or ~/.local/share
    std::string config; ///< $XDG_CONFIG_HOME or ~/.config
    std::uint32_t uid = 0;
};

/// Reads the environment and, where HOME is not set, the user database.
UserFolders userFolders();

/// The path with all symbolic links and dots resolved, for what a person typed or chose. NotFound when it is not there.
Result<std::string> canonicalPath(const std::string& path);

/// The folder that holds `path`, opened component by component so that no symbolic link is followed on the way
/// (a link makes it fail with ELOOP), and the name within it.
struct OpenParent {
    UniqueFd folder;
    std::string name;
};
Result<OpenParent> openParent(const std::string& path);

/// The folder `path` itself, by the same rule; usable for reading.
Result<UniqueFd> openFolder(const std::string& path);

/// Creates the folder and what is missing above it, with mode 0700 for what is new.
Result<Done> makeFolders(const std::string& path);

/// The account name for a uid, or its number where there is none. Cached; safe from any thread.
std::string userName(std::uint32_t uid);

/// This machine's host name.
std::string hostName();

} // namespace kurvo
