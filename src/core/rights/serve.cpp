// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/serve.h"

#include <unistd.h>

#include <csignal>
#include <cstdio>

#include "core/direct/direct_access.h"
#include "core/platform/privilege.h"
#include "core/rights/reading_helper.h"

namespace kurvo {

int serveRemote(int in, int out)
{
    std::signal(SIGPIPE, SIG_IGN); // a connection that is gone is an error to notice, not an end in the middle
    const auto complain = [](const std::string& sentence) { std::fprintf(stderr, "kurvo: %s\n", sentence.c_str()); };
    std::shared_ptr<const OpenDevices> devices;
    if (::geteuid() == 0)
        devices = std::make_shared<const OpenDevices>(OpenDevices::open());
    if (const auto dropped = keepOnlyTheRightToRead(); !dropped) {
        complain(dropped.error().sentence);
        return 3;
    }
    if (const auto served = serveRequest(in, out, devices); !served) {
        complain(served.error().sentence);
        return served.error().kind == ErrorKind::WrongFormat ? 2 : 3;
    }
    return 0;
}

} // namespace kurvo
