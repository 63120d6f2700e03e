// SPDX-License-Identifier: GPL-3.0-or-later
// What acting with administrator rights keeps of them. By itself, so that who only reads needs no libseccomp.
#include <grp.h>
#include <linux/capability.h>
#include <seccomp.h>
#include <sys/prctl.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

#include <cerrno>
#include <cstdint>

#include "core/platform/privilege.h"

namespace kurvo {
namespace {

constexpr int actingRights[] = {
    CAP_CHOWN,      CAP_DAC_OVERRIDE, CAP_DAC_READ_SEARCH, CAP_FOWNER, CAP_FSETID,
    CAP_LEASE,      CAP_SETFCAP,      CAP_SETUID,          CAP_SETGID, // to make files as the user
    CAP_SYS_PTRACE,                                                    // to read in /proc what others have open
    CAP_SYS_ADMIN};                                                    // to read and write trusted attributes

/// What acting never takes. The rights to trace and administrate are left only for what is not listed here.
constexpr const char* refusedCalls[] = {"execve",
                                        "execveat",
                                        "ptrace",
                                        "process_vm_readv",
                                        "process_vm_writev",
                                        "pidfd_getfd",
                                        "kcmp",
                                        "socket",
                                        "socketpair",
                                        "connect",
                                        "bind",
                                        "listen",
                                        "accept",
                                        "accept4",
                                        "mount",
                                        "umount2",
                                        "pivot_root",
                                        "chroot",
                                        "move_mount",
                                        "open_tree",
                                        "fsopen",
                                        "fsmount",
                                        "fsconfig",
                                        "fspick",
                                        "mount_setattr",
                                        "unshare",
                                        "setns",
                                        "bpf",
                                        "perf_event_open",
                                        "init_module",
                                        "finit_module",
                                        "delete_module",
                                        "kexec_load",
                                        "kexec_file_load",
                                        "reboot",
                                        "swapon",
                                        "swapoff",
                                        "quotactl",
                                        "quotactl_fd",
                                        "sethostname",
                                        "setdomainname",
                                        "settimeofday",
                                        "clock_settime",
                                        "adjtimex",
                                        "clock_adjtime",
                                        "acct",
                                        "syslog",
                                        "keyctl",
                                        "add_key",
                                        "request_key",
                                        "open_by_handle_at",
                                        "userfaultfd",
                                        "io_uring_setup",
                                        "io_uring_enter",
                                        "io_uring_register",
                                        "fanotify_init",
                                        "iopl",
                                        "ioperm",
                                        "personality"};

Result<Done> refuseCalls()
{
    const scmp_filter_ctx filter = seccomp_init(SCMP_ACT_ALLOW);
    if (!filter)
        return systemError("give up administrator rights", {}, ENOMEM);
    int error = 0;
    for (const auto* name : refusedCalls) {
        const int call = seccomp_syscall_resolve_name(name);
        if (call >= 0 && error == 0)
            error = seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), call, 0);
    }
    // Devices are not made, whatever a folder holds.
    for (const auto* name : {"mknod", "mknodat"})
        for (const unsigned kind : {S_IFBLK, S_IFCHR})
            if (const int call = seccomp_syscall_resolve_name(name); call >= 0 && error == 0)
                error = seccomp_rule_add(filter, SCMP_ACT_ERRNO(EPERM), call, 1,
                                         scmp_arg_cmp{name[5] == 'a' ? 2u : 1u, SCMP_CMP_MASKED_EQ, S_IFMT, kind});
    if (error == 0)
        error = seccomp_load(filter);
    seccomp_release(filter);
    // A kernel without seccomp has nothing to refuse with; the rights are given up all the same.
    return error == 0 || error == -EINVAL ? Result<Done>(Done{})
                                          : systemError("give up administrator rights", {}, -error);
}

} // namespace

Result<Done> keepOnlyTheRightsToAct()
{
    if (geteuid() != 0)
        return Done{};
    const auto failed = [] { return systemError("give up administrator rights", {}, errno); };
    if (prctl(PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0) != 0)
        return failed();
    if (setgroups(0, nullptr) != 0 && errno != EPERM)
        return failed();
    std::uint64_t kept = 0;
    for (const int capability : actingRights)
        kept |= std::uint64_t{1} << capability;
    for (int capability = 0; prctl(PR_CAPBSET_READ, capability, 0, 0, 0) >= 0; ++capability)
        if ((kept >> capability & 1) == 0 && prctl(PR_CAPBSET_DROP, capability, 0, 0, 0) != 0 && errno != EPERM)
            return failed();
    __user_cap_header_struct header{_LINUX_CAPABILITY_VERSION_3, 0};
    __user_cap_data_struct data[2]{};
    if (syscall(SYS_capget, &header, data) != 0)
        return failed();
    for (int half = 0; half < 2; ++half) {
        data[half].permitted &= static_cast<std::uint32_t>(kept >> (32 * half));
        data[half].effective = data[half].permitted;
        data[half].inheritable = 0;
    }
    if (syscall(SYS_capset, &header, data) != 0)
        return failed();
    return refuseCalls();
}

} // namespace kurvo
