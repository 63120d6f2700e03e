// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/rights/helper_process.h"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>

extern char** environ;

namespace kurvo {
namespace {

Error cannotAsk()
{
    return {ErrorKind::Unsupported, {}, 0, "Administrator rights cannot be asked for in this session."};
}

} // namespace

Result<HelperProcess> HelperProcess::start(const std::vector<std::string>& command, int errorsTo)
{
    if (command.empty())
        return cannotAsk();
    int in[2], out[2];
    if (::pipe2(in, O_CLOEXEC) != 0)
        return systemError("start the helper", command[0], errno);
    UniqueFd inRead(in[0]);
    HelperProcess process;
    process.to = UniqueFd(in[1]);
    if (::pipe2(out, O_CLOEXEC) != 0)
        return systemError("start the helper", command[0], errno);
    process.from = UniqueFd(out[0]);
    UniqueFd outWrite(out[1]);
    std::vector<char*> arguments;
    for (const auto& word : command)
        arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_adddup2(&actions, inRead.get(), STDIN_FILENO);
    posix_spawn_file_actions_adddup2(&actions, outWrite.get(), STDOUT_FILENO);
    if (errorsTo >= 0)
        posix_spawn_file_actions_adddup2(&actions, errorsTo, STDERR_FILENO);
    const int failed = ::posix_spawnp(&process.pid, arguments[0], &actions, nullptr, arguments.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    if (failed != 0)
        return cannotAsk();
    return process;
}

Result<Done> HelperProcess::wait()
{
    int status = 0;
    while (::waitpid(pid, &status, 0) < 0 && errno == EINTR) { }
    if (WIFEXITED(status) && WEXITSTATUS(status) == 0)
        return Done{};
    // pkexec(1): 126 when the user dismissed the question, 127 when nobody could be asked.
    if (WIFEXITED(status) && WEXITSTATUS(status) == 126)
        return Error{ErrorKind::NoPermission, {}, 0, "Administrator rights were refused. Nothing was done."};
    if (WIFEXITED(status) && WEXITSTATUS(status) == 127)
        return cannotAsk();
    return Error{ErrorKind::Damaged, {}, 0, "The helper ended before its work was done."};
}

bool sendTo(int fd, std::string_view bytes)
{
    sigset_t broken, before;
    sigemptyset(&broken);
    sigaddset(&broken, SIGPIPE);
    pthread_sigmask(SIG_BLOCK, &broken, &before);
    bool sent = true;
    while (!bytes.empty()) {
        const auto n = ::write(fd, bytes.data(), bytes.size());
        if (n < 0 && errno == EINTR)
            continue;
        if (n <= 0) {
            sent = false;
            break;
        }
        bytes.remove_prefix(static_cast<std::size_t>(n));
    }
    const timespec now{};
    while (!sent && ::sigtimedwait(&broken, nullptr, &now) > 0) { }
    pthread_sigmask(SIG_SETMASK, &before, nullptr);
    return sent;
}

} // namespace kurvo
