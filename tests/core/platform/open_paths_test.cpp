// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include "core/platform/open_files.h"
#include "core/platform/unique_fd.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("one look at what is open tells for every path which programs hold it", "[platform][open]")
{
    TestFolder t;
    const auto twice = t.text("place/deep/held", "a");
    const auto idle = t.text("place/idle", "b");
    t.text("place-2/held", "c"); // stands between "place" and what is in it, where names are sorted
    t.folder("place/at-work");
    const pid_t holder = ::fork();
    if (holder == 0) {
        (void)::open(twice.c_str(), O_RDONLY);
        (void)::open(twice.c_str(), O_RDWR);
        (void)::open((t / "place-2/held").c_str(), O_RDONLY);
        (void)!::chdir((t / "place/at-work").c_str());
        ::pause();
        ::_exit(0);
    }
    const auto heldBy = [&](const OpenPaths& open, const std::string& path) -> unsigned {
        for (const auto& program : open.holdersOf(path).holders)
            if (program.pid == holder)
                return program.files;
        return 0;
    };
    OpenPathsMeanwhile meanwhile;
    std::optional<OpenPaths> open;
    do { // until it is at work there
        ::usleep(1000);
        open = *OpenPaths::read();
    } while (heldBy(*open, t / "place/at-work") == 0);
    CHECK(heldBy(*open, twice) == 2);
    CHECK(heldBy(*open, t / "place/deep") == 2);
    CHECK(heldBy(*open, t / "place") == 3);
    CHECK(heldBy(*open, t.path()) == 4);
    CHECK(heldBy(*open, "/") > 4);
    CHECK(heldBy(*open, idle) == 0);
    CHECK(heldBy(*open, t / "place/at") == 0);
    CHECK(heldBy(*open, t / "place/deep/held/x") == 0);
    CHECK(meanwhile.holdersOf(t / "place").holders.size() == 1);

    ::kill(holder, SIGKILL);
    ::waitpid(holder, nullptr, 0);
    meanwhile.forget();
    CHECK(meanwhile.holdersOf(t / "place").holders.empty());
}
