// SPDX-License-Identifier: GPL-3.0-or-later
// Many machines: their list, snapshots of all, the table; plans that are carried out on another machine.
#include <catch2/catch.hpp>

#include "cli/ssh_server.h"
#include "core/platform/folders.h"
#include "core/remote/machines.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

const std::string ownFolder = std::string(KURVOCTL).substr(0, std::string(KURVOCTL).rfind('/'));

struct Office : OwnSettings {
    std::string list(const std::string& text) const { return t.text("config/kurvo/machines.toml", text); }
};

} // namespace

TEST_CASE("a list of machines with mistakes says where they are, and the rest works", "[cli][machines]")
{
    const Office o;
    const auto file = o.list("[[machine]]\nname = \"desk\"\naddress = \"warden@desk\"\nplaces = [\"/\", \"/srv\"]\n"
                             "tags = [\"office\"]\n\n"
                             "[[machine]]\nname = \"bench\"\ntag = [\"x\"]\n\n"
                             "[[machine]]\nname = \"desk\"\n\n"
                             "[[machine]]\naddress = \"-oProxyCommand=x\"\n\n"
                             "[[machine]]\nname = \"rack\"\nsudo = \"yes\"\n\n"
                             "[[machine]]\naddress = \"ssh://rack:2222\"\n");
    const auto list = readMachines(file);
    REQUIRE(list);
    REQUIRE(list->machines.size() == 2);
    CHECK(list->machines[0].name == "desk");
    CHECK(list->machines[0].places.size() == 2);
    CHECK(list->machines[0].address.user == "warden");
    CHECK(list->machines[1].name == "ssh://rack:2222");
    CHECK(list->machines[1].address.port == 2222);
    REQUIRE(list->problems.size() == 4);
    CHECK(list->problems[0].find("machines.toml:9:") != std::string::npos);
    CHECK(list->problems[1].find("machines.toml:11:") != std::string::npos);
    const auto table = kurvoctl("machines --json");
    CHECK(table.status == 1);
    CHECK(table.lines().size() == 3);
    CHECK(kurvoctl("machines --json --tag office").lines().size() == 2);
    CHECK(table.err.find(":9:") != std::string::npos);
    o.list("[[machine]\n");
    CHECK(kurvoctl("machines").err.find("machines.toml:1:") != std::string::npos);
    const auto none = kurvoctl("machines --list '" + (o.t / "none.toml") + "'");
    CHECK(none.status == 3);
    CHECK(none.err.find("There is no list") != std::string::npos);
}

TEST_CASE("snapshots of all machines are taken, and each failure stays by itself", "[cli][machines]")
{
    const Office o;
    for (int i = 0; i < 3; ++i)
        o.t.file("there/place" + std::to_string(i) + "/f", 100'000 * static_cast<std::uint64_t>(i + 1));
    // One host is gone, one refuses, one sends rubbish: what it says must not reach a terminal raw.
    const FakeSsh ssh(
        "case \"$0 $all\" in *@gone*) echo 'ssh: connect to host gone: No route to host' >&2; exit 255 ;;\n"
        "*@odd*) printf 'evil\\033[2Jname\\n' >&2; exit 255 ;; esac\n"
        "PATH='" +
        ownFolder + "':$PATH; exec /bin/sh -c \"$1\"");
    auto script = readAll(ssh.folder() / "ssh");
    script.insert(script.find('\n') + 1, "all=\"$*\"\n");
    writeAll(ssh.folder() / "ssh", script);
    std::string text;
    for (int i = 0; i < 3; ++i)
        text += "[[machine]]\nname = \"m" + std::to_string(i) + "\"\naddress = \"x@m" + std::to_string(i) +
                "\"\nplaces = [\"" + (o.t / ("there/place" + std::to_string(i))) + "\"]\n";
    text += "[[machine]]\nname = \"gone\"\naddress = \"x@gone\"\n[[machine]]\nname = \"odd\"\naddress = \"x@odd\"\n"
            "[[machine]]\nname = \"nowhere\"\naddress = \"x@m0\"\nplaces = [\"/nowhere\"]\n";
    o.list(text);
    const auto taken = kurvoctl("machines take --at-once 3");
    CHECK(taken.status == 1);
    CHECK(taken.err.find("3 of 6 failed") != std::string::npos);
    CHECK(taken.err.find("No route to host") != std::string::npos);
    CHECK((taken.err + taken.out).find('\033') == std::string::npos);
    CHECK(kurvoctl("snapshot list --json").lines().size() == 3);
    // The next time something grew.
    o.t.file("there/place1/more", 4'000'000);
    ::sleep(1); // snapshots are told apart by their second
    CHECK(kurvoctl("machines take m1 -q").status == 0);
    const auto rows = kurvoctl("machines --json").lines();
    REQUIRE(rows.size() == 6);
    CHECK(rows[0]["failed"].is_null());
    CHECK(rows[0]["used_bytes"].get<std::uint64_t>() > 0);
    CHECK(std::string(rows[1]["grew_most"]).ends_with("place1/more"));
    CHECK(rows[1]["grew_bytes"].get<std::int64_t>() >= 4'000'000);
    CHECK(!rows[1]["since_last_bytes"].is_null());
    CHECK(std::string(rows[3]["failed"]).find("No route to host") != std::string::npos);
    CHECK(std::string(rows[4]["failed"]).find('\033') == std::string::npos);
    CHECK(std::string(rows[5]["failed"]).find("/nowhere") != std::string::npos);
    const auto table = kurvoctl("machines").out;
    CHECK(table.find("grew most") != table.npos);
    CHECK(table.find("No route to host") != table.npos);
    CHECK(kurvoctl("machines take nobody").err.find("no machine named nobody") != std::string::npos);
    // A book that was damaged is only less known.
    writeAll(o.t / "data/kurvo/machines.json", "{\"places\": [3, {\"machine\": 7}]}");
    CHECK(kurvoctl("machines --json").lines().size() == 6);
}

TEST_CASE("a plan is carried out on another machine by its own kurvoctl, and undone", "[cli][machines][act]")
{
    const Office o;
    const auto file = o.t.file("there/old/film.mkv", 500'000);
    const FakeSsh ssh("PATH='" + ownFolder + "':$PATH; exec /bin/sh -c \"$1\"");
    const auto plan = o.t / "clear.kurvo-plan";
    REQUIRE(kurvoctl("plan make '" + file + "' -o '" + plan + "'").status == 0);
    const auto checked = kurvoctl("plan check '" + plan + "' --on x@desk --json");
    REQUIRE(checked.lines().size() == 1);
    CHECK(checked.lines()[0]["ready"] == true);
    CHECK(exists(file));
    const auto applied = kurvoctl("plan apply '" + plan + "' --on x@desk");
    CHECK(applied.status == 0);
    CHECK(applied.out.find("1 of 1 done") != std::string::npos);
    CHECK_FALSE(exists(file));
    CHECK(kurvoctl("plan undo --on x@desk").status == 0);
    CHECK(exists(file));
    // What is for good is confirmed there as well.
    REQUIRE(kurvoctl("plan make '" + file + "' -o '" + plan + "' --force --action delete").status == 0);
    CHECK(kurvoctl("plan apply '" + plan + "' --on x@desk").status == 2);
    CHECK(exists(file));
    CHECK(kurvoctl("plan apply '" + plan + "' --on x@desk --delete 1").status == 0);
    CHECK_FALSE(exists(file));
    CHECK(ssh.leftBehind().empty());
    const FakeSsh without("exec /bin/sh -c \"$1\"");
    CHECK(kurvoctl("plan undo --on x@desk").err.find("no kurvoctl on desk") != std::string::npos);
    const FakeSsh evil("printf 'a\\033[2Jb\\n'");
    CHECK(kurvoctl("plan undo --on x@desk").out.find('\033') == std::string::npos);
    CHECK(kurvoctl("plan undo --on -oProxyCommand=x").status == 2);
}
