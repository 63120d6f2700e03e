// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/running_system.h"

#include <sys/utsname.h>

#include <algorithm>
#include <ctime>

#include "core/base/text.h"

namespace kurvo {

std::string runningKernel()
{
    utsname system{};
    return ::uname(&system) == 0 ? system.release : std::string();
}

std::int64_t bootTime()
{
    timespec up{};
    return ::clock_gettime(CLOCK_BOOTTIME, &up) == 0 ? std::time(nullptr) - up.tv_sec : 0;
}

std::string restartCommand(std::string_view cgroup)
{
    // One line a hierarchy, "ID:CONTROLLERS:PATH"; the unified one and systemd's own name the unit.
    while (!cgroup.empty()) {
        const auto line = cgroup.substr(0, cgroup.find('\n'));
        cgroup.remove_prefix(std::min(cgroup.size(), line.size() + 1));
        const auto path = line.substr(line.rfind(':') + 1);
        const auto unit = fileName(path);
        if ((!line.starts_with("0::") && line.find(":name=systemd:") == line.npos) || !unit.ends_with(".service") ||
            unit.starts_with("user@"))
            continue;
        const auto manager = path.find("/user@");
        const bool ofUser = manager != path.npos && path.find('/', manager + 1) != path.npos;
        return (ofUser ? "systemctl --user restart " : "sudo systemctl restart ") +
               (unit.find_first_of("\\ '") == unit.npos ? std::string(unit) : shellQuoted(unit));
    }
    return {};
}

} // namespace kurvo
