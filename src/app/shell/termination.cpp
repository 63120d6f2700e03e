// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/shell/termination.h"

#include <QSocketNotifier>

#include <sys/socket.h>
#include <unistd.h>

#include <csignal>

namespace kurvo::app {
namespace {

int ends[2] = {-1, -1};

void heard(int)
{
    const char one = 1;
    (void)!::write(ends[0], &one, 1);
}

} // namespace

void heedTermination(QWidget& window)
{
    if (::socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0, ends) != 0)
        return;
    auto* notifier = new QSocketNotifier(ends[1], QSocketNotifier::Read, &window);
    QObject::connect(notifier, &QSocketNotifier::activated, &window, [&window] {
        char bytes[16];
        (void)!::read(ends[1], bytes, sizeof bytes);
        window.close(); // the last window that closes ends the program
    });
    for (const int signal : {SIGTERM, SIGINT, SIGHUP})
        ::signal(signal, heard);
}

} // namespace kurvo::app
