// SPDX-License-Identifier: GPL-3.0-or-later
// kurvo-scan: the scanner that is sent to a machine without kurvoctl. Linked statically, so that it runs on any Linux
// of its processor; it does nothing but answer one request (core/rights/reading_protocol.h) on its standard input.
#include <pwd.h>
#include <unistd.h>

#include <csignal>
#include <cstdio>
#include <cstring>
#include <string>

#include "core/rights/serve.h"

namespace {

/// The name services are libraries that a static program cannot rely on: accounts are read from their file.
int findAccount(uid_t uid, passwd& into, char* text, std::size_t size, passwd*& found)
{
    found = nullptr;
    std::FILE* file = std::fopen("/etc/passwd", "re");
    if (!file)
        return 0;
    while (::fgetpwent_r(file, &into, text, size, &found) == 0 && found->pw_uid != uid)
        found = nullptr;
    std::fclose(file);
    return 0;
}

/// It was put into a folder of its own, and leaves nothing there, however it may end.
void removeItself()
{
    char path[4096];
    const auto n = ::readlink("/proc/self/exe", path, sizeof path - 1);
    if (n <= 0)
        return;
    path[n] = '\0';
    if (::unlink(path) != 0)
        return;
    if (char* slash = std::strrchr(path, '/'); slash && slash != path) {
        *slash = '\0';
        (void)::rmdir(path);
    }
}

} // namespace

// For the linker, in place of the C library's.
extern "C" {
passwd* __wrap_getpwuid(uid_t uid);
int __wrap_getpwuid_r(uid_t uid, passwd* into, char* text, std::size_t size, passwd** found);

passwd* __wrap_getpwuid(uid_t uid)
{
    static passwd entry;
    static char text[4096];
    passwd* found = nullptr;
    findAccount(uid, entry, text, sizeof text, found);
    return found;
}

int __wrap_getpwuid_r(uid_t uid, passwd* into, char* text, std::size_t size, passwd** found)
{
    return findAccount(uid, *into, text, size, *found);
}
}

int main(int argc, char** argv)
{
    bool serve = false;
    for (int i = 1; i < argc; ++i) {
        if (std::strcmp(argv[i], "--remove-itself") == 0)
            removeItself();
        serve |= std::strcmp(argv[i], "serve") == 0;
    }
    if (!serve) {
        std::fputs("kurvo-scan answers kurvoctl and the window of another machine. It is not for people.\n", stderr);
        return 2;
    }
    return kurvo::serveRemote(STDIN_FILENO, STDOUT_FILENO);
}
