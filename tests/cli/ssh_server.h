// SPDX-License-Identifier: GPL-3.0-or-later
// A real sshd on a high port of this machine, as an ordinary user: where the tests run as root, as one that only its
// own mount namespace knows.
#pragma once

#include <fcntl.h>
#include <netinet/in.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <string>

#include "cli/run_kurvoctl.h"

namespace kurvo::test {

class SshServer {
public:
    static constexpr unsigned user = 4711;
    /// `more`: lines for sshd_config(5).
    explicit SshServer(const std::string& more = {})
    {
        ::chmod(t_.path().c_str(), 0755);
        home = t_.folder("there");
        const bool root = ::geteuid() == 0;
        run("ssh-keygen -q -t ed25519 -N '' -f '" + (t_ / "host") + "'");
        run("ssh-keygen -q -t ed25519 -N '' -f '" + (t_ / "key") + "'");
        run("cp '" + (t_ / "key.pub") + "' '" + (t_ / "keys") + "'");
        port_ = freePort();
        const auto port = std::to_string(port_);
        t_.text("sshd_config", "Port " + port + "\nListenAddress 127.0.0.1\nHostKey " + (t_ / "host") +
                                   "\nAuthorizedKeysFile " + (t_ / "keys") +
                                   "\nStrictModes no\nUsePAM no\nPidFile none\n" + more);
        const auto name = root ? std::string("kurvo-ssh-test") : userName(::geteuid());
        t_.text("config", "Host desk\n  HostName 127.0.0.1\n  Port " + port + "\n  User " + name + "\n  IdentityFile " +
                              (t_ / "key") + "\n  IdentitiesOnly yes\n  UserKnownHostsFile " + (t_ / "known") +
                              "\n  StrictHostKeyChecking accept-new\n  LogLevel ERROR\n");
        writeAll(t_ / "passwd", readAll("/etc/passwd") + "kurvo-ssh-test:x:4711:4711::" + home + ":/bin/sh\n");
        if (root)
            run("chown -R 4711:4711 '" + home + "' '" + (t_ / "host") + "'");
        pid_ = ::fork();
        if (pid_ == 0) {
            if (root &&
                (::unshare(CLONE_NEWNS) != 0 || ::mount(nullptr, "/", nullptr, MS_REC | MS_PRIVATE, nullptr) != 0 ||
                 ::mount((t_ / "passwd").c_str(), "/etc/passwd", nullptr, MS_BIND, nullptr) != 0 ||
                 ::setresgid(user, user, user) != 0 || ::setresuid(user, user, user) != 0))
                ::_exit(9);
            ::setenv("HOME", home.c_str(), 1);
            const int log = ::open((t_ / "there/sshd.log").c_str(), O_WRONLY | O_CREAT | O_APPEND, 0600);
            ::dup2(log, 2);
            ::execl("/usr/sbin/sshd", "/usr/sbin/sshd", "-D", "-e", "-f", (t_ / "sshd_config").c_str(), nullptr);
            ::_exit(9);
        }
        ::setenv("KURVO_SSH", ("ssh -F " + (t_ / "config")).c_str(), 1);
        for (int i = 0;
             i < 200 &&
             std::system(("ssh -F '" + (t_ / "config") + "' desk true </dev/null >/dev/null 2>&1").c_str()) != 0;
             ++i)
            ::usleep(50'000);
    }
    ~SshServer()
    {
        ::kill(pid_, SIGTERM);
        ::waitpid(pid_, nullptr, 0);
        ::unsetenv("KURVO_SSH");
    }
    SshServer(const SshServer&) = delete;
    SshServer& operator=(const SshServer&) = delete;

    std::string operator/(const std::string& name) const { return t_ / name; }
    const TestFolder& folder() const { return t_; }
    /// A file of the user over there.
    std::string file(const std::string& name, std::uint64_t size) const
    {
        const auto path = t_.file("there/" + name, size);
        run("chown -R 4711:4711 '" + home + "' 2>/dev/null || true");
        return path;
    }

    std::string home;

private:
    static void run(const std::string& command) { (void)!std::system(command.c_str()); }
    static int freePort()
    {
        const int fd = ::socket(AF_INET, SOCK_STREAM, 0);
        sockaddr_in at{};
        at.sin_family = AF_INET;
        at.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
        socklen_t length = sizeof at;
        (void)::bind(fd, reinterpret_cast<sockaddr*>(&at), sizeof at);
        (void)::getsockname(fd, reinterpret_cast<sockaddr*>(&at), &length);
        ::close(fd);
        return ntohs(at.sin_port);
    }
    TestFolder t_;
    int port_ = 0;
    pid_t pid_ = -1;
};

/// Stands in for ssh: runs the line for the other side on this machine.
class FakeSsh {
public:
    /// `around`: what the line is run by; "$1" is the line.
    explicit FakeSsh(const std::string& around = "exec /bin/sh -c \"$1\"")
    {
        t_.folder("bin");
        t_.text("ssh", "#!/bin/bash\nfor last; do :; done\nset -- \"$last\"\nPATH='" + (t_ / "bin") +
                           "':/usr/bin:/bin; export PATH\nTMPDIR='" + t_.folder("tmp") + "'; export TMPDIR\n" + around +
                           "\n");
        ::chmod((t_ / "ssh").c_str(), 0755);
        ::setenv("KURVO_SSH", (t_ / "ssh").c_str(), 1);
    }
    ~FakeSsh() { ::unsetenv("KURVO_SSH"); }
    /// A program over there.
    void program(const std::string& name, const std::string& script) const
    {
        t_.text("bin/" + name, "#!/bin/sh\n" + script + "\n");
        ::chmod((t_ / ("bin/" + name)).c_str(), 0755);
    }
    std::vector<std::string> leftBehind() const { return namesIn(t_ / "tmp"); }
    const TestFolder& folder() const { return t_; }

private:
    TestFolder t_;
};

} // namespace kurvo::test
