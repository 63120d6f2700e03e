// SPDX-License-Identifier: GPL-3.0-or-later
// The helpers with administrator rights: see core/rights/reading_protocol.h and core/act/act_helper.h.
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <csignal>

#include "cli/command.h"
#include "core/act/act_helper.h"
#include "core/direct/direct_access.h"
#include "core/platform/privilege.h"
#include "core/rights/reading_helper.h"

namespace kurvo::cli {

int runHelper()
{
    // The devices of the drives that are mounted, open for reading: nothing the user says is needed for that, and no
    // right to open one is left afterwards.
    const auto devices = std::make_shared<const OpenDevices>(OpenDevices::open());
    // Before anything is read: what comes from outside never meets more rights than it needs.
    if (const auto dropped = keepOnlyTheRightToRead(); !dropped) {
        complain(dropped.error().sentence);
        return ExitFailed;
    }
    if (isatty(STDOUT_FILENO) == 1) {
        complain("This is the helper of the window. It reads a request from standard input and answers in a form for "
                 "programs; see the manual of kurvoctl.");
        return ExitUsage;
    }
    constexpr int nice = 10; // the window that waits for it is drawn meanwhile
    (void)::setpriority(PRIO_PROCESS, 0, nice);
    std::signal(SIGPIPE, SIG_IGN); // a window that is gone is an error to notice, not an end in the middle
    if (const auto served = serveRequest(STDIN_FILENO, STDOUT_FILENO, devices); !served) {
        complain(served.error().sentence);
        return served.error().kind == ErrorKind::WrongFormat ? ExitUsage : ExitFailed;
    }
    return ExitDone;
}

int runActHelper(const std::string& digest)
{
    std::signal(SIGPIPE, SIG_IGN);
    const Journal journal; // while sockets can be opened
    umask(077);            // what it makes is for the user alone
    {
        const FilesAs known(askingUser());
    } // whose group it is, while that can be asked
    // Before anything is read: what comes from outside never meets more rights than it needs.
    if (const auto dropped = keepOnlyTheRightsToAct(); !dropped) {
        complain(dropped.error().sentence);
        return ExitFailed;
    }
    if (const auto served = serveActRequest(STDIN_FILENO, STDOUT_FILENO, digest, rightsLogFolder, &journal); !served) {
        complain(served.error().sentence);
        return served.error().kind == ErrorKind::WrongFormat ? ExitUsage : ExitFailed;
    }
    return ExitDone;
}

} // namespace kurvo::cli
