// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/base/text.h"
#include "core/platform/running_system.h"

using namespace kurvo;

TEST_CASE("what restarts a process is told by the unit it is in", "[running]")
{
    CHECK(restartCommand("0::/system.slice/recorder.service\n") == "sudo systemctl restart recorder.service");
    CHECK(restartCommand("12:cpu:/\n1:name=systemd:/system.slice/recorder.service\n0::/\n") ==
          "sudo systemctl restart recorder.service");
    CHECK(restartCommand("0::/user.slice/user-1000.slice/user@1000.service/app.slice/index.service\n") ==
          "systemctl --user restart index.service");
    CHECK(restartCommand("0::/system.slice/sync\\x2dit.service") == "sudo systemctl restart 'sync\\x2dit.service'");
    // What a person started, and the manager of a user's services itself, are not to be restarted.
    CHECK(restartCommand("0::/user.slice/user-1000.slice/session-2.scope\n").empty());
    CHECK(restartCommand("0::/user.slice/user-1000.slice/user@1000.service/app.slice/viewer.scope\n").empty());
    CHECK(restartCommand("0::/user.slice/user-1000.slice/user@1000.service\n").empty());
    CHECK(restartCommand("0::/\n").empty());
    CHECK(restartCommand("").empty());
    CHECK(restartCommand("4:memory:/system.slice/recorder.service\n").empty());
}

TEST_CASE("words for a shell and fields of CSV", "[text]")
{
    CHECK(shellQuoted("plain") == "'plain'");
    CHECK(shellQuoted("it's $HOME") == "'it'\\''s $HOME'");
    CHECK(csvField("plain") == "plain");
    CHECK(csvField("a,b") == "\"a,b\"");
    CHECK(csvField("say \"so\"\n") == "\"say \"\"so\"\"\n\"");
}
