// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/steps.h"

#include <fcntl.h>
#include <linux/filter.h>
#include <linux/seccomp.h>
#include <sys/prctl.h>
#include <sys/ptrace.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstddef>
#include <cstring>
#include <span>
#include <string>
#include <vector>

namespace kurvo::test {
namespace {

constexpr long names[] = {SYS_open,      SYS_openat,    SYS_openat2,   SYS_stat,      SYS_lstat,  SYS_newfstatat,
                          SYS_statx,     SYS_rename,    SYS_renameat,  SYS_renameat2, SYS_link,   SYS_linkat,
                          SYS_symlink,   SYS_symlinkat, SYS_unlink,    SYS_unlinkat,  SYS_mkdir,  SYS_mkdirat,
                          SYS_rmdir,     SYS_mknodat,   SYS_fchmodat,  SYS_fchownat,  SYS_lchown, SYS_utimensat,
                          SYS_lsetxattr, SYS_lgetxattr, SYS_llistxattr};
constexpr long fchmodat2 = 452; // Linux 6.6
constexpr long changes[] = {
    SYS_openat,          SYS_rename,   SYS_renameat,  SYS_renameat2, SYS_linkat,   SYS_symlinkat,
    SYS_unlink,          SYS_unlinkat, SYS_mkdirat,   SYS_write,     SYS_pwrite64, SYS_ftruncate,
    SYS_fallocate,       SYS_fsync,    SYS_fdatasync, SYS_syncfs,    SYS_fchmod,   SYS_utimensat,
    SYS_copy_file_range, SYS_fchown,   SYS_fsetxattr, SYS_fchownat,  SYS_mknodat,  fchmodat2};

/// From now on each of those waits for the tracer. False where the kernel does not allow it.
bool waitAt(std::span<const long> calls)
{
    std::vector<sock_filter> program{BPF_STMT(BPF_LD | BPF_W | BPF_ABS, offsetof(seccomp_data, nr))};
    for (const auto call : calls) {
        program.push_back(BPF_JUMP(BPF_JMP | BPF_JEQ | BPF_K, static_cast<__u32>(call), 0, 1));
        program.push_back(BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_TRACE));
    }
    program.push_back(BPF_STMT(BPF_RET | BPF_K, SECCOMP_RET_ALLOW));
    const sock_fprog filter{static_cast<unsigned short>(program.size()), program.data()};
    return ::prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) == 0 && ::prctl(PR_SET_SECCOMP, SECCOMP_MODE_FILTER, &filter) == 0;
}

/// Whether the call at which `thread` waits is one to stop at.
bool isStep(Steps steps, pid_t thread)
{
    user_regs_struct at{};
    if (::ptrace(PTRACE_GETREGS, thread, nullptr, &at) != 0)
        return true;
    if (steps == Steps::Changes)
        return at.orig_rax != SYS_openat || (at.rdx & O_CREAT) != 0;
    const auto call = static_cast<long>(at.orig_rax);
    const auto isOne = [call](long one) { return one == call; };
    if (steps == Steps::All && std::any_of(std::begin(changes), std::end(changes), isOne) && at.orig_rax != SYS_openat)
        return true;
    const bool plain = at.orig_rax == SYS_open || at.orig_rax == SYS_stat || at.orig_rax == SYS_lstat;
    char start[6] = {};
    iovec here{start, 5}, there{reinterpret_cast<void*>(plain ? at.rdi : at.rsi), 5};
    (void)!::process_vm_readv(thread, &here, 1, &there, 1, 0);
    if (!plain && start[0] != '/' && static_cast<int>(at.rdi) >= 0) { // a name in a folder that is held open
        char folder[6] = {};
        const auto link = "/proc/" + std::to_string(thread) + "/fd/" + std::to_string(static_cast<int>(at.rdi));
        (void)!::readlink(link.c_str(), folder, 5);
        if (std::strcmp(folder, "/proc") == 0 || std::strncmp(folder, "/sys", 4) == 0)
            return false;
    }
    return std::strcmp(start, "/proc") != 0 && std::strncmp(start, "/sys", 4) != 0;
}

} // namespace

unsigned stepThrough(Steps steps, const std::function<void()>& work, const std::function<AtStep(unsigned)>& before)
{
    const pid_t child = ::fork();
    if (child == 0) {
        if (::ptrace(PTRACE_TRACEME, 0, nullptr, nullptr) != 0)
            ::_exit(2);
        ::raise(SIGSTOP);
        std::vector<long> calls;
        if (steps != Steps::Changes)
            calls.assign(std::begin(names), std::end(names));
        if (steps != Steps::Names)
            calls.insert(calls.end(), std::begin(changes), std::end(changes));
        if (!waitAt(calls))
            ::_exit(2);
        work();
        ::_exit(0);
    }
    int status = 0;
    if (child < 0 || ::waitpid(child, &status, __WALL) != child || !WIFSTOPPED(status))
        return 0;
    constexpr long options = PTRACE_O_EXITKILL | PTRACE_O_TRACESECCOMP | PTRACE_O_TRACECLONE;
    ::ptrace(PTRACE_SETOPTIONS, child, nullptr, reinterpret_cast<void*>(options));
    ::ptrace(PTRACE_CONT, child, nullptr, nullptr);
    unsigned step = 0;
    for (pid_t thread; (thread = ::waitpid(-1, &status, __WALL)) > 0;) {
        if (!WIFSTOPPED(status)) {
            if (thread == child)
                break;
            continue;
        }
        const int event = status >> 16;
        long deliver = 0;
        if (event == PTRACE_EVENT_SECCOMP) {
            if (isStep(steps, thread) && before(++step) == AtStep::Kill)
                ::kill(child, SIGKILL);
        } else if (event == 0 && WSTOPSIG(status) != SIGSTOP) {
            deliver = WSTOPSIG(status);
        }
        ::ptrace(PTRACE_CONT, thread, nullptr, reinterpret_cast<void*>(deliver));
    }
    return step;
}

} // namespace kurvo::test
