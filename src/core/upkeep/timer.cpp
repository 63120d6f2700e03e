// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/upkeep/timer.h"

#include <sys/stat.h>
#include <unistd.h>

#include <cstdlib>

#include "core/base/text.h"
#include "core/platform/atomic_file.h"
#include "core/platform/tool_output.h"

namespace kurvo {
namespace {

constexpr const char* serviceName = "kurvo-upkeep.service";
constexpr const char* timerName = "kurvo-upkeep.timer";

std::string unitFolder(const UserFolders& user)
{
    return joinPath(user.config, "systemd/user");
}

/// As systemd.service(5) reads a word of a command line.
std::string systemdQuoted(const std::string& word)
{
    std::string quoted = "\"";
    for (const char c : word) {
        if (c == '%' || c == '$')
            quoted += c; // twice
        else if (c == '"' || c == '\\')
            quoted += '\\';
        quoted += c;
    }
    return quoted + "\"";
}

Result<Done> writeUnit(const std::string& file, const std::string& text)
{
    auto out = AtomicFile::create(file, AtomicFile::Readers::AsUsual);
    if (!out)
        return out.error();
    out->write(text.data(), text.size());
    return out->commit();
}

/// systemctl --user, in the session that this process is in.
Result<Done> systemctl(std::vector<std::string> words)
{
    const auto env = findTool("env"), tool = findTool("systemctl");
    const auto missing = [](const std::string& why) {
        return Error{ErrorKind::Unsupported, {}, 0, "No systemd of this user answers (" + why + ")."};
    };
    if (env.empty() || tool.empty())
        return missing("there is no systemctl");
    std::vector<std::string> command{env};
    for (const char* name : {"XDG_RUNTIME_DIR", "DBUS_SESSION_BUS_ADDRESS", "HOME", "XDG_CONFIG_HOME"})
        if (const char* value = std::getenv(name))
            command.push_back(std::string(name) + "=" + value);
    command.push_back(tool);
    command.emplace_back("--user");
    command.insert(command.end(), words.begin(), words.end());
    const auto said = toolOutput(command, {std::chrono::seconds(20), 1 << 16});
    return said ? Result<Done>(Done{}) : Result<Done>(missing("systemctl --user " + words.front() + " failed"));
}

} // namespace

std::string upkeepService(const std::string& program)
{
    return "# Written by Kurvo: \"kurvoctl upkeep timer off\" removes it.\n"
           "[Unit]\n"
           "Description=Kurvo's upkeep: what its rules say\n\n"
           "[Service]\n"
           "Type=oneshot\n"
           "ExecStart=" +
           systemdQuoted(program) +
           " upkeep run --by-timer\n"
           "# Something to tell is no failure.\n"
           "SuccessExitStatus=1\n"
           "Nice=10\n"
           "IOSchedulingClass=idle\n";
}

std::string upkeepTimer()
{
    return "# Written by Kurvo: \"kurvoctl upkeep timer off\" removes it.\n"
           "[Unit]\n"
           "Description=Kurvo's upkeep, once a day\n\n"
           "[Timer]\n"
           "OnCalendar=daily\n"
           "RandomizedDelaySec=1h\n"
           "# A day that the machine was off is made up for.\n"
           "Persistent=true\n\n"
           "[Install]\n"
           "WantedBy=timers.target\n";
}

std::string upkeepCronLine(const std::string& program)
{
    auto word = shellQuoted(program);
    for (std::size_t at = 0; (at = word.find('%', at)) != word.npos; at += 2)
        word.insert(at, "\\"); // crontab(5): a percent sign ends the command
    return "17 4 * * * nice " + word + " upkeep run --by-timer";
}

bool upkeepTimerIsOn(const UserFolders& user)
{
    struct stat s { };
    const auto wanted = joinPath(unitFolder(user), std::string("timers.target.wants/") + timerName);
    return ::lstat(wanted.c_str(), &s) == 0;
}

Result<Done> switchUpkeepTimer(bool on, const UserFolders& user, const std::string& program)
{
    const auto folder = unitFolder(user);
    const auto service = joinPath(folder, serviceName), timer = joinPath(folder, timerName);
    if (!on) {
        const auto stopped = systemctl({"disable", "--now", timerName});
        for (const auto& file : {service, timer, joinPath(folder, std::string("timers.target.wants/") + timerName)})
            (void)::unlink(file.c_str());
        (void)static_cast<bool>(systemctl({"daemon-reload"}));
        return stopped || !upkeepTimerIsOn(user) ? Result<Done>(Done{}) : stopped;
    }
    if (auto made = makeFolders(folder); !made)
        return made;
    if (auto written = writeUnit(service, upkeepService(program)); !written)
        return written;
    if (auto written = writeUnit(timer, upkeepTimer()); !written)
        return written;
    auto done = systemctl({"daemon-reload"});
    if (done)
        done = systemctl({"enable", "--now", timerName});
    if (done)
        return done;
    for (const auto& file : {service, timer}) // what nobody starts would only look as if somebody did
        (void)::unlink(file.c_str());
    return Error{ErrorKind::Unsupported,
                 {},
                 0,
                 done.error().sentence +
                     " With cron, this line runs it once a day (crontab -e): " + upkeepCronLine(displayText(program))};
}

} // namespace kurvo
