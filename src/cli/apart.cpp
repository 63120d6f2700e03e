// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/apart.h"

#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <fstream>
#include <sstream>
#include <string>

#include "cli/command.h"
#include "core/platform/drives.h"

namespace kurvo::cli {
namespace {

pid_t child = 0;

void passOn(int signal)
{
    ::kill(child, signal);
}

} // namespace

bool anyDriveMayHang()
{
    // "36 35 98:0 / /mnt rw,noatime master:1 - ext4 /dev/root rw": the kind follows the dash (proc(5)).
    std::ifstream mounts("/proc/self/mountinfo");
    for (std::string line; std::getline(mounts, line);)
        if (const auto dash = line.find(" - "); dash != line.npos) {
            std::string kind;
            std::istringstream(line.substr(dash + 3)) >> kind;
            if (mayHang(kind))
                return true;
        }
    return false;
}

int runApart(const std::function<int()>& work)
{
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0)
        return work();
    child = ::fork();
    if (child < 0)
        return work();
    if (child == 0) {
        ::close(ends[0]);
        (void)::prctl(PR_SET_PDEATHSIG, SIGTERM);
        const auto status = static_cast<unsigned char>(work());
        (void)!::write(ends[1], &status, 1);
        ::_exit(status);
    }
    ::close(ends[1]);
    std::signal(SIGINT, SIG_IGN); // the child has it from the terminal as well, and decides what it means
    for (const int signal : {SIGTERM, SIGHUP, SIGQUIT})
        std::signal(signal, passOn);
    unsigned char status = ExitFailed;
    ssize_t n = 0;
    while ((n = ::read(ends[0], &status, 1)) < 0 && errno == EINTR) { }
    if (n == 1)
        return status;
    int ended = 0;
    while (::waitpid(child, &ended, 0) < 0 && errno == EINTR) { }
    return WIFEXITED(ended) ? WEXITSTATUS(ended) : static_cast<int>(ExitFailed);
}

} // namespace kurvo::cli
