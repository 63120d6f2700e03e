// SPDX-License-Identifier: GPL-3.0-or-later
// What a scan leaves out.
#pragma once

#include <fnmatch.h>

#include <string>
#include <vector>

#include "core/base/text.h"

namespace kurvo {

/// Whether one of the globs (fnmatch(3)) matches an entry `name` in the folder whose whole path `folderPath()` gives:
/// with a
/// '/' they match the whole path, else the name. The path is only asked for where it is needed.
template <typename FolderPath>
bool isExcluded(const std::vector<std::string>& globs, const char* name, FolderPath&& folderPath)
{
    for (const auto& glob : globs) {
        const bool whole = glob.find('/') != std::string::npos;
        const auto subject = whole ? joinPath(folderPath(), name) : std::string(name);
        if (::fnmatch(glob.c_str(), subject.c_str(), 0) == 0)
            return true;
    }
    return false;
}

} // namespace kurvo
