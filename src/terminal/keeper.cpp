// SPDX-License-Identifier: GPL-3.0-or-later
#include "terminal/keeper.h"

#include <sys/prctl.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <cstdio>

#include "terminal/screen.h"

namespace kurvo::terminal {
namespace {

pid_t child = 0;

void passOn(int signal)
{
    ::kill(child, signal);
}

void handle(int signal, void (*handler)(int))
{
    struct sigaction action { };
    action.sa_handler = handler;
    ::sigaction(signal, &action, nullptr);
}

} // namespace

int runKept(const std::function<int()>& view)
{
    termios before{};
    const bool terminal = ::tcgetattr(STDIN_FILENO, &before) == 0;
    child = terminal ? ::fork() : -1;
    if (child < 0)
        return view();
    if (child == 0) {
        (void)::prctl(PR_SET_PDEATHSIG, SIGHUP);
        const int status = view();
        std::fflush(nullptr);
        ::_exit(status);
    }
    // The child has these from the terminal as well, and decides what they mean.
    for (const int signal : {SIGINT, SIGQUIT, SIGTSTP})
        handle(signal, SIG_IGN);
    for (const int signal : {SIGTERM, SIGHUP})
        handle(signal, passOn);
    for (;;) {
        int how = 0;
        if (::waitpid(child, &how, WUNTRACED) < 0) {
            if (errno == EINTR)
                continue;
            return 3;
        }
        if (WIFSTOPPED(how)) {
            ::raise(SIGSTOP);
            ::kill(child, SIGCONT);
            continue;
        }
        if (WIFEXITED(how))
            return WEXITSTATUS(how);
        putTerminalBack();
        ::tcsetattr(STDIN_FILENO, TCSANOW, &before);
        std::fprintf(stderr,
                     "kurvoctl: The terminal view was ended from outside (signal %d). What was under way is ended "
                     "with \"kurvoctl logbook recover\".\n",
                     WTERMSIG(how));
        return 128 + WTERMSIG(how);
    }
}

} // namespace kurvo::terminal
