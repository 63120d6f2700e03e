// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/privilege.h"

#include <grp.h>
#include <linux/capability.h>
#include <pwd.h>
#include <sys/fsuid.h>
#include <sys/prctl.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <cstdint>
#include <cstdlib>
#include <map>
#include <mutex>

namespace kurvo {

uid_t askingUser()
{
    if (getuid() != 0)
        return getuid();
    for (const char* variable : {"PKEXEC_UID", "SUDO_UID"})
        if (const char* text = std::getenv(variable)) {
            char* end = nullptr;
            errno = 0;
            const auto value = std::strtoul(text, &end, 10);
            if (errno == 0 && end != text && *end == '\0' && value < static_cast<uid_t>(-1))
                return static_cast<uid_t>(value);
        }
    return 0;
}

Result<Done> keepOnlyTheRightToRead()
{
    if (geteuid() != 0)
        return Done{};
    const auto failed = [] { return systemError("give up administrator rights", {}, errno); };
    const uid_t user = askingUser();
    const passwd* entry = getpwuid(user);
    const gid_t group = entry ? entry->pw_gid : getgid();
    if (prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0 || prctl(PR_SET_KEEPCAPS, 1, 0, 0, 0) != 0)
        return failed();
    // A machine without the right to set groups (a container) has none to lose either.
    if (setgroups(0, nullptr) != 0 && errno != EPERM)
        return failed();
    for (int capability = 0; prctl(PR_CAPBSET_READ, capability, 0, 0, 0) >= 0; ++capability)
        if (capability != CAP_DAC_READ_SEARCH && prctl(PR_CAPBSET_DROP, capability, 0, 0, 0) != 0 && errno != EPERM)
            return failed();
    if (setresgid(group, group, group) != 0 || setresuid(user, user, user) != 0)
        return failed();
    __user_cap_header_struct header{_LINUX_CAPABILITY_VERSION_3, 0};
    __user_cap_data_struct data[2]{};
    constexpr unsigned read = 1u << CAP_DAC_READ_SEARCH;
    data[0].permitted = data[0].effective = read;
    if (syscall(SYS_capset, &header, data) != 0)
        return failed();
    return Done{};
}

namespace {

/// Looked up once: later this process may have no way to ask.
gid_t groupOf(uid_t user)
{
    static std::mutex mutex;
    static std::map<uid_t, gid_t> known;
    const std::lock_guard lock(mutex);
    const auto found = known.find(user);
    if (found != known.end())
        return found->second;
    const passwd* entry = getpwuid(user);
    return known[user] = entry ? entry->pw_gid : static_cast<gid_t>(user);
}

} // namespace

Result<Done> becomeUser(uid_t user)
{
    if (geteuid() != 0 || user == 0)
        return Done{};
    const auto failed = [] { return systemError("become the user", {}, errno); };
    const auto group = groupOf(user);
    if (setgroups(0, nullptr) != 0 && errno != EPERM)
        return failed();
    return setresgid(group, group, group) == 0 && setresuid(user, user, user) == 0 ? Result<Done>(Done{}) : failed();
}

FilesAs::FilesAs(uid_t user)
{
    if (geteuid() != 0 || user == 0)
        return;
    group_ = setfsgid(groupOf(user));
    user_ = setfsuid(user);
    changed_ = true;
}

FilesAs::~FilesAs()
{
    if (!changed_)
        return;
    setfsuid(static_cast<uid_t>(user_));
    setfsgid(static_cast<gid_t>(group_));
}

} // namespace kurvo
