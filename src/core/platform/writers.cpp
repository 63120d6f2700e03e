// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/platform/writers.h"

#include <fcntl.h>
#include <sys/vfs.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <sstream>

#include "core/base/text.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

Writing writingTo(int fd, Lease lease)
{
    // Who opens it for writing meanwhile makes the kernel send a signal: one that is ignored unless asked for.
    (void)::fcntl(fd, F_SETSIG, SIGURG);
    if (::fcntl(fd, F_SETLEASE, F_RDLCK) == 0) {
        if (lease == Lease::GiveBack)
            (void)::fcntl(fd, F_SETLEASE, F_UNLCK);
        return Writing::Nobody;
    }
    switch (errno) {
    case EAGAIN: {
        // Network filesystems say so as well when their server has not promised anything about the file.
        struct statfs about { };
        constexpr std::array<unsigned long, 4> remote{0x6969 /* NFS */, 0x517b /* SMB */, 0xfe534d42 /* SMB 2 */,
                                                      0xff534d42 /* CIFS */};
        const bool isRemote =
            ::fstatfs(fd, &about) == 0 &&
            std::find(remote.begin(), remote.end(), static_cast<unsigned long>(about.f_type)) != remote.end();
        return isRemote ? Writing::NoLeases : Writing::Somebody;
    }
    case EACCES:
    case EPERM:
        return Writing::NotKnown;
    default:
        return Writing::NoLeases;
    }
}

namespace {

UniqueFd openProcFolder(int at, const char* name)
{
    return UniqueFd(::openat(at, name, O_RDONLY | O_DIRECTORY | O_CLOEXEC));
}

std::string contentOf(int at, const char* name)
{
    const UniqueFd file(::openat(at, name, O_RDONLY | O_CLOEXEC));
    std::string text;
    char part[16384];
    for (ssize_t n = 0; file && (n = ::read(file.get(), part, sizeof part)) > 0;)
        text.append(part, static_cast<std::size_t>(n));
    return text;
}

std::string nameOf(int process, const char* pid)
{
    auto program = contentOf(process, "comm");
    while (program.ends_with('\n'))
        program.pop_back();
    return displayText(program) + " (" + pid + ")";
}

/// The access mode a descriptor was opened with: the octal number after "flags:" in its fdinfo (proc(5)).
bool canWrite(int fdinfo, const char* name)
{
    const auto text = contentOf(fdinfo, name);
    const auto at = text.find("flags:");
    return at != text.npos && (std::strtoul(text.c_str() + at + 6, nullptr, 8) & O_ACCMODE) != O_RDONLY;
}

} // namespace

OpenByOthers OpenByOthers::read()
{
    OpenByOthers all;
    const auto proc = openProcFolder(AT_FDCWD, "/proc");
    if (!proc) {
        all.blind_ = true;
        return all;
    }
    const auto self = std::to_string(::getpid());
    FolderReader processes;
    processes.start(proc.get());
    while (const char* pid = processes.next()) {
        if (!std::isdigit(static_cast<unsigned char>(pid[0])) || self == pid)
            continue;
        const auto process = openProcFolder(proc.get(), pid);
        if (!process)
            continue; // it has ended
        std::string program;
        const auto named = [&] {
            if (program.empty())
                program = nameOf(process.get(), pid);
            return program;
        };
        EntryStat stat;
        for (const auto* link : {"cwd", "root"})
            if (statFollowed(process.get(), link, stat) == 0)
                all.folders_.emplace(Key(stat.device, stat.inode), named());
        const auto fds = openProcFolder(process.get(), "fd");
        if (!fds) {
            all.blind_ |= errno == EACCES || errno == EPERM;
            continue;
        }
        const auto infos = openProcFolder(process.get(), "fdinfo");
        FolderReader reader;
        reader.start(fds.get());
        while (const char* fd = reader.next()) {
            if (statFollowed(fds.get(), fd, stat) != 0)
                continue;
            if (stat.kind == EntryKind::Folder)
                all.folders_.emplace(Key(stat.device, stat.inode), named());
            if (stat.kind != EntryKind::File)
                continue;
            all.open_.emplace(stat.device, stat.inode);
            if (!infos || canWrite(infos.get(), fd))
                all.writers_.emplace(Key(stat.device, stat.inode), named());
        }
        // "55d0-55d1 rw-s 00000000 08:01 1234  /path": mapped shared and to be written.
        std::istringstream maps(contentOf(process.get(), "maps"));
        for (std::string line; std::getline(maps, line);) {
            char mode[8] = {};
            unsigned major = 0, minor = 0;
            unsigned long long inode = 0;
            if (std::sscanf(line.c_str(), "%*s %7s %*s %x:%x %llu", mode, &major, &minor, &inode) == 4 && inode != 0 &&
                mode[1] == 'w' && mode[3] == 's')
                all.writers_.emplace(Key((std::uint64_t{major} << 32) | minor, inode), named());
        }
    }
    return all;
}

std::string OpenByOthers::writerOf(const EntryStat& file) const
{
    const auto found = writers_.find({file.device, file.inode});
    return found == writers_.end() ? std::string() : found->second;
}

bool OpenByOthers::mayOpenAgain(const EntryStat& file) const
{
    return open_.contains({file.device, file.inode}) || (blind_ && (file.mode & 022) != 0);
}

std::string OpenByOthers::userOf(const EntryStat& folder) const
{
    const auto found = folders_.find({folder.device, folder.inode});
    return found == folders_.end() ? std::string() : found->second;
}

} // namespace kurvo
