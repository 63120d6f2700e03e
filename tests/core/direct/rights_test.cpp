// SPDX-License-Identifier: GPL-3.0-or-later
// The helper opens devices, gives up its rights, and reads a drive's own tables with none left but that.
#include <catch2/catch.hpp>

#include <dirent.h>
#include <fcntl.h>
#include <signal.h>
#include <sys/ptrace.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include <filesystem>
#include <fstream>

#include "core/direct/direct_access.h"
#include "core/direct/drive_fixture.h"
#include "core/platform/privilege.h"
#include "core/rights/reading_helper.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

/// Runs it in a child as the helper is: devices open, then nothing left but the right to read. Its exit status.
int asHelper(const std::function<int(const std::shared_ptr<const OpenDevices>&)>& work)
{
    const auto child = ::fork();
    if (child == 0) {
        ::setenv("SUDO_UID", "65534", 1);
        ::unsetenv("PKEXEC_UID");
        const auto devices = std::make_shared<const OpenDevices>(OpenDevices::open());
        if (!keepOnlyTheRightToRead())
            ::_exit(100);
        ::_exit(work(devices));
    }
    int status = -1;
    REQUIRE(::waitpid(child, &status, 0) == child);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 200;
}

std::uint64_t capabilities(const char* set)
{
    std::ifstream file("/proc/self/status");
    for (std::string line; std::getline(file, line);)
        if (line.starts_with(set))
            return std::stoull(line.substr(line.find('\t') + 1), nullptr, 16);
    return UINT64_MAX;
}

/// Whether each device among the descriptors of this process can be read only, and not be had for writing in any way.
bool devicesAreReadOnly()
{
    bool any = false;
    for (const auto& entry : std::filesystem::directory_iterator("/proc/self/fd")) {
        const int fd = std::stoi(entry.path().filename());
        struct stat s { };
        if (::fstat(fd, &s) != 0 || !S_ISBLK(s.st_mode))
            continue;
        any = true;
        char byte = 0;
        if ((::fcntl(fd, F_GETFL) & O_ACCMODE) != O_RDONLY || ::write(fd, &byte, 1) >= 0 ||
            ::open(entry.path().c_str(), O_WRONLY | O_CLOEXEC) >= 0 ||
            ::open(entry.path().c_str(), O_RDWR | O_CLOEXEC) >= 0)
            return false;
    }
    return any;
}

} // namespace

TEST_CASE("tables: the helper has no right left but that to read, and no device to write", "[direct][helper][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 32);
    fillDrive(mount.path(), 100);
    REQUIRE(
        ::chmod((std::filesystem::create_directories(mount.path() + "/locked/in"), mount.path() + "/locked").c_str(),
                0700) == 0);
    REQUIRE(::chmod(t.path().c_str(), 0755) == 0);
    ::usleep(250000);
    const int status = asHelper([&](const std::shared_ptr<const OpenDevices>& devices) {
        constexpr std::uint64_t readAll = 1 << 2; // CAP_DAC_READ_SEARCH
        if (::geteuid() != 65534 || ::getuid() != 65534)
            return 1;
        if (capabilities("CapPrm") != readAll || capabilities("CapEff") != readAll || capabilities("CapInh") != 0 ||
            (capabilities("CapBnd") & ~readAll) != 0 || capabilities("CapAmb") != 0)
            return 2;
        if (!devicesAreReadOnly())
            return 3;
        ScanOptions options;
        options.devices = devices;
        options.method = ScanMethod::Tables;
        const auto read = scan(mount.path(), options);
        if (!read || !read->direct || !read->tree->find(mount.path() + "/locked/in"))
            return 4;
        if (::open((mount.path() + "/new").c_str(), O_CREAT | O_WRONLY, 0600) >= 0 ||
            ::unlink((mount.path() + "/linked").c_str()) == 0 || ::setuid(0) == 0)
            return 5;
        return devicesAreReadOnly() ? 0 : 6;
    });
    CHECK(status == 0);
}

TEST_CASE("tables: the user cannot get at the helper's device", "[direct][helper][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 16);
    int ready[2];
    REQUIRE(::pipe(ready) == 0);
    const auto helper = ::fork();
    if (helper == 0) {
        ::setenv("SUDO_UID", "65534", 1);
        ::unsetenv("PKEXEC_UID");
        const auto devices = OpenDevices::open();
        const bool good = !devices.empty() && keepOnlyTheRightToRead();
        (void)!::write(ready[1], good ? "y" : "n", 1);
        ::pause();
        ::_exit(0);
    }
    char answer = 0;
    REQUIRE(::read(ready[0], &answer, 1) == 1);
    CHECK(answer == 'y');
    const int status = asNobody([&] {
        const auto folder = "/proc/" + std::to_string(helper);
        const int pid = static_cast<int>(::syscall(SYS_pidfd_open, helper, 0));
        bool got = ::opendir((folder + "/fd").c_str()) != nullptr || ::ptrace(PTRACE_SEIZE, helper, 0, 0) == 0 ||
                   ::open((folder + "/mem").c_str(), O_RDONLY | O_CLOEXEC) >= 0;
        for (int fd = 0; fd < 20; ++fd)
            got |= ::open((folder + "/fd/" + std::to_string(fd)).c_str(), O_RDONLY | O_CLOEXEC) >= 0 ||
                   ::syscall(SYS_pidfd_getfd, pid, fd, 0) >= 0;
        return !got;
    });
    ::kill(helper, SIGKILL);
    ::waitpid(helper, nullptr, 0);
    ::close(ready[0]);
    ::close(ready[1]);
    CHECK(status == 0);
}
