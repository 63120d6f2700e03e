// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/tool_output.h"

#include <fcntl.h>
#include <poll.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <csignal>
#include <thread>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"

namespace kurvo {
namespace {

using Clock = std::chrono::steady_clock;

/// A child in a process group of its own, which does not outlive this.
class Child {
public:
    explicit Child(pid_t pid) : pid_(pid) { }
    Child(const Child&) = delete;
    Child& operator=(const Child&) = delete;
    ~Child()
    {
        if (pid_ <= 0)
            return;
        ::kill(-pid_, SIGKILL);
        while (::waitpid(pid_, nullptr, 0) < 0 && errno == EINTR) { }
    }

    /// Its status once it has ended; -1 where it has not until then.
    int endedBy(Clock::time_point end)
    {
        int status = 0;
        for (;;) {
            const auto ended = ::waitpid(pid_, &status, WNOHANG);
            if (ended == pid_) {
                ::kill(-pid_, SIGKILL); // what it started and left behind
                pid_ = 0;
                return status;
            }
            if ((ended < 0 && errno != EINTR) || Clock::now() >= end)
                return -1;
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
    }

private:
    pid_t pid_;
};

/// Starts it with nothing to read and `out` to write to; 0 where that fails.
pid_t start(const std::vector<std::string>& command, int out)
{
    std::vector<char*> arguments;
    for (const auto& word : command)
        arguments.push_back(const_cast<char*>(word.c_str()));
    arguments.push_back(nullptr);
    char path[] = "PATH=/usr/sbin:/usr/bin:/sbin:/bin", locale[] = "LC_ALL=C", home[] = "HOME=/";
    char* environment[] = {path, locale, home, nullptr};
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDIN_FILENO, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&actions, out, STDOUT_FILENO);
    posix_spawn_file_actions_addopen(&actions, STDERR_FILENO, "/dev/null", O_WRONLY, 0);
    posix_spawnattr_t how;
    posix_spawnattr_init(&how);
    sigset_t signals;
    sigemptyset(&signals);
    posix_spawnattr_setsigmask(&how, &signals);
    sigaddset(&signals, SIGPIPE);
    posix_spawnattr_setsigdefault(&how, &signals);
    posix_spawnattr_setpgroup(&how, 0);
    posix_spawnattr_setflags(&how, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
    pid_t pid = 0;
    const int failed = ::posix_spawn(&pid, arguments[0], &actions, &how, arguments.data(), environment);
    posix_spawnattr_destroy(&how);
    posix_spawn_file_actions_destroy(&actions);
    return failed == 0 ? pid : 0;
}

} // namespace

std::string findTool(const std::string& name)
{
    for (const auto* folder : {"/usr/sbin/", "/usr/bin/", "/sbin/", "/bin/"})
        if (::access((folder + name).c_str(), X_OK) == 0)
            return folder + name;
    return {};
}

Result<std::string> toolOutput(const std::vector<std::string>& command, const ToolLimits& limits)
{
    if (command.empty() || !command[0].starts_with('/'))
        return Error{ErrorKind::NotFound, command.empty() ? "" : command[0], ENOENT, "There is no such tool here."};
    const auto shown = displayText(command[0]);
    const auto failure = [&](const std::string& what) {
        return Error{ErrorKind::Unsupported, command[0], 0, shown + " " + what + "."};
    };
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0)
        return systemError("start", command[0], errno);
    const UniqueFd from(ends[0]);
    UniqueFd to(ends[1]);
    const auto pid = start(command, to.get());
    to = UniqueFd();
    if (pid == 0)
        return Error{ErrorKind::NotFound, command[0], ENOENT, shown + " cannot be started."};
    Child child(pid);
    const auto end = Clock::now() + limits.time;
    std::string said;
    for (;;) {
        const auto left = std::chrono::duration_cast<std::chrono::milliseconds>(end - Clock::now()).count();
        pollfd waiting{from.get(), POLLIN, 0};
        const int ready = left <= 0 ? 0 : ::poll(&waiting, 1, static_cast<int>(std::min<long>(left, 1000)));
        if (left <= 0)
            return failure("took too long, and was ended");
        if (ready <= 0)
            continue;
        char piece[1 << 16];
        const auto got = ::read(from.get(), piece, sizeof piece);
        if (got == 0)
            break;
        if (got < 0 && errno != EINTR)
            return systemError("read from", command[0], errno);
        said.append(piece, static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
        if (said.size() > limits.bytes)
            return failure("said more than can be true, and was ended");
    }
    const int status = child.endedBy(end);
    if (status == -1)
        return failure("took too long, and was ended");
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0)
        return failure("failed");
    return said;
}

} // namespace kurvo
