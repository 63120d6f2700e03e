// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include <sys/stat.h>

#include <cstdlib>

#include "core/platform/package_database.h"
#include "core/platform/tool_output.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

std::string script(const TestFolder& t, const std::string& name, const std::string& text)
{
    t.text(name, "#!/bin/sh\n" + text + "\n");
    ::chmod((t / name).c_str(), 0755);
    return t / name;
}

} // namespace

TEST_CASE("a tool is asked without letting it hang, talk for ever, or know the user's environment", "[tools]")
{
    const TestFolder t;
    ::setenv("KURVO_TEST_SECRET", "1", 1);
    CHECK(*toolOutput({script(t, "good", "cat; echo \"$1 $KURVO_TEST_SECRET $LC_ALL\""), "a b"}) == "a b  C\n");
    CHECK(toolOutput({"relative"}).error().kind == ErrorKind::NotFound);
    CHECK(toolOutput({t / "none"}).error().kind == ErrorKind::NotFound);
    CHECK(toolOutput({script(t, "fails", "echo x; exit 3")}).error().sentence.ends_with("/fails failed."));
    const ToolLimits little{std::chrono::milliseconds(300), 1000};
    CHECK(toolOutput({script(t, "hangs", "sleep 1000")}, little).error().sentence.find("too long") !=
          std::string::npos);
    CHECK(toolOutput({script(t, "closes", "exec >&-; sleep 1000")}, little).error().sentence.find("too long") !=
          std::string::npos);
    CHECK(toolOutput({script(t, "talks", "while :; do echo talk; done")}, {std::chrono::seconds(60), 1000})
              .error()
              .sentence.find("more than can be true") != std::string::npos);
    // One that leaves something behind with the pipe in hand.
    CHECK_FALSE(toolOutput({script(t, "leaves", "sleep 1000 &\necho left")}, little));
    CHECK(findTool("sh").ends_with("/sh"));
    CHECK(findTool("no-such-tool").empty());
}

TEST_CASE("the packages of rpm say whose a file is", "[packages][tools]")
{
    const TestFolder t;
    const auto rpm = script(t, "rpm",
                            "[ \"$2\" = '" + t.path() +
                                "/usr/lib/sysimage/rpm' ] || exit 1\n"
                                "printf 'P\\tplotter\\t2.1-3\\tx86_64\\t4096\\t1700000000\\tDraws\\tlines\\n'\n"
                                "printf '40755\\t/opt/plotter\\n100755\\t/opt/plotter/plot\\n120777\\t/opt/p\\n'\n"
                                "printf 'P\\tgpg-pubkey\\t1-1\\t(none)\\t0\\t1700000000\\tkey\\n'\n"
                                "printf 'P\\tempty\\t1-1\\tnoarch\\tx\\tx\\t\\nrubbish\\n'");
    CHECK(PackageDatabase::read(t.path(), rpm).error().kind == ErrorKind::NotFound); // no database
    t.text("usr/lib/sysimage/rpm/rpmdb.sqlite", "");
    const auto packages = PackageDatabase::read(t.path(), rpm);
    REQUIRE(packages);
    REQUIRE(packages->packages().size() == 2);
    const auto& plotter = packages->packages()[0];
    CHECK(plotter.name == "plotter");
    CHECK(plotter.version == "2.1-3");
    CHECK(plotter.summary == "Draws\tlines");
    CHECK(plotter.installedBytes == 4096);
    CHECK(plotter.installed == 1700000000);
    CHECK(plotter.files == 2);
    CHECK(packages->owner("/opt/plotter/plot") == &plotter);
    CHECK_FALSE(packages->owner("/opt/plotter"));
    CHECK(packages->removeCommand("plotter").find("apt") == std::string::npos);
    // What it does not understand, and what fails, is said; without the program it is as if there were none.
    CHECK(PackageDatabase::read(t.path(), script(t, "odd", "echo nothing of the sort")).error().kind ==
          ErrorKind::Damaged);
    CHECK(PackageDatabase::read(t.path(), script(t, "bad", "exit 1")).error().kind == ErrorKind::Unsupported);
    CHECK(PackageDatabase::read(t.path(), "").error().kind == ErrorKind::NotFound);
}
