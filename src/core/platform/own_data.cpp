// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/own_data.h"

#include <sys/stat.h>
#include <unistd.h>

#include <climits>

#include "core/base/text.h"

namespace kurvo {

const std::string& carriedData()
{
    static const std::string found = [] {
        std::string program(PATH_MAX, '\0');
        const auto length = ::readlink("/proc/self/exe", program.data(), program.size());
        if (length <= 0)
            return std::string();
        program.resize(static_cast<std::size_t>(length));
        const auto slash = program.rfind('/');
        auto folder = joinPath(program.substr(0, slash == program.npos ? 0 : slash), "data");
        struct stat s { };
        const bool ours = ::lstat(folder.c_str(), &s) == 0 && S_ISDIR(s.st_mode) && s.st_uid == ::geteuid();
        return ours ? folder : std::string();
    }();
    return found;
}

std::string ownDataFolder(const UserFolders& user)
{
    return carriedData().empty() ? joinPath(user.data, "kurvo") : carriedData();
}

UserFolders withCarried(UserFolders user)
{
    if (!carriedData().empty())
        user.config = joinPath(carriedData(), "config");
    return user;
}

} // namespace kurvo
