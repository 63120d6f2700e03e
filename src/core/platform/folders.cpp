// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/folders.h"

#include <fcntl.h>
#include <pwd.h>
#include <sys/stat.h>

#include <cerrno>
#include <climits>
#include <cstdlib>
#include <map>
#include <mutex>
#include <vector>

#include "core/base/text.h"

namespace kurvo {
namespace {

std::string environment(const char* name)
{
    const char* value = std::getenv(name);
    return value ? value : "";
}

Result<UniqueFd> openByComponents(const std::string& path)
{
    if (path.empty() || path[0] != '/')
        return systemError("open", path, EINVAL);
    UniqueFd at(::open("/", O_PATH | O_DIRECTORY | O_CLOEXEC));
    std::size_t begin = 1;
    while (begin < path.size()) {
        auto end = path.find('/', begin);
        if (end == std::string::npos)
            end = path.size();
        if (end > begin) {
            const auto name = path.substr(begin, end - begin);
            UniqueFd next(::openat(at.get(), name.c_str(), O_PATH | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC));
            if (!next) {
                const int error = errno;
                struct stat s;
                const bool link = error == ENOTDIR && fstatat(at.get(), name.c_str(), &s, AT_SYMLINK_NOFOLLOW) == 0 &&
                                  S_ISLNK(s.st_mode);
                return systemError("open", path.substr(0, end), link ? ELOOP : error);
            }
            at = std::move(next);
        }
        begin = end + 1;
    }
    return at;
}

} // namespace

UserFolders userFolders()
{
    UserFolders folders;
    folders.uid = geteuid();
    folders.home = environment("HOME");
    if (folders.home.empty()) {
        std::vector<char> buffer(1 << 14);
        passwd entry{};
        passwd* found = nullptr;
        if (getpwuid_r(geteuid(), &entry, buffer.data(), buffer.size(), &found) == 0 && found)
            folders.home = found->pw_dir;
        else
            folders.home = "/";
    }
    // The specification wants relative values ignored.
    folders.data = environment("XDG_DATA_HOME");
    if (folders.data.empty() || folders.data[0] != '/')
        folders.data = joinPath(folders.home, ".local/share");
    folders.config = environment("XDG_CONFIG_HOME");
    if (folders.config.empty() || folders.config[0] != '/')
        folders.config = joinPath(folders.home, ".config");
    return folders;
}

Result<std::string> canonicalPath(const std::string& path)
{
    char* resolved = ::realpath(path.c_str(), nullptr);
    if (!resolved)
        return systemError("open", path, errno);
    std::string out = resolved;
    std::free(resolved);
    return out;
}

Result<OpenParent> openParent(const std::string& path)
{
    if (path.size() < 2 || path.back() == '/')
        return systemError("open", path, EINVAL);
    auto folder = openByComponents(std::string(parentPath(path)));
    if (!folder)
        return folder.error();
    return OpenParent{std::move(*folder), std::string(fileName(path))};
}

Result<UniqueFd> openFolder(const std::string& path)
{
    auto at = openByComponents(path);
    if (!at)
        return at.error();
    UniqueFd readable(::openat(at->get(), ".", O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (!readable)
        return systemError("read", path, errno);
    return readable;
}

Result<Done> makeFolders(const std::string& path)
{
    for (std::size_t end = path.find('/', 1);; end = path.find('/', end + 1)) {
        const auto part = path.substr(0, end);
        if (::mkdir(part.c_str(), 0700) != 0 && errno != EEXIST) {
            const int error = errno;
            struct stat s;
            if (::stat(part.c_str(), &s) != 0 || !S_ISDIR(s.st_mode))
                return systemError("create the folder", part, error);
        }
        if (end == std::string::npos)
            break;
    }
    struct stat s;
    if (::stat(path.c_str(), &s) != 0 || !S_ISDIR(s.st_mode))
        return systemError("create the folder", path, ENOTDIR);
    return Done{};
}

std::string userName(std::uint32_t uid)
{
    static std::mutex mutex;
    static std::map<std::uint32_t, std::string> names;
    const std::lock_guard lock(mutex);
    const auto known = names.find(uid);
    if (known != names.end())
        return known->second;
    std::vector<char> buffer(1 << 14);
    passwd entry{};
    passwd* found = nullptr;
    std::string name = std::to_string(uid);
    if (getpwuid_r(uid, &entry, buffer.data(), buffer.size(), &found) == 0 && found)
        name = found->pw_name;
    names.emplace(uid, name);
    return name;
}

std::string hostName()
{
    char name[HOST_NAME_MAX + 1] = {};
    if (gethostname(name, HOST_NAME_MAX) != 0)
        return "this machine";
    return name;
}

} // namespace kurvo
