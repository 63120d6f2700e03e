// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of packages while the package manager works beside the window.
#include <catch2/catch.hpp>

#include "app/models_fixture.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("what is installed while a place is open is guarded from the next look on", "[model][packages]")
{
    ModelsOf w;
    w.t.file("place/asset.pak", 4096);
    w.t.file("place/mine.txt", 4096);
    w.scan(w.t / "place");
    const auto isGuarded = [&w](const char* name) {
        return w.models.places.protectionOf(w.node(w.t / ("place/" + std::string(name)))).has_value();
    };
    CHECK_FALSE(isGuarded("asset.pak"));
    const std::string status = "Package: plotter\nStatus: install ok installed\nVersion: 1.2\n\n";
    w.t.text("system/var/lib/dpkg/info/plotter.list", "/.\n" + w.t.path() + "/place/asset.pak\n");
    w.t.text("system/var/lib/dpkg/status", status);
    w.models.knowledge.refreshPackages(); // as when somebody comes back to the window
    REQUIRE(ModelsOf::until([&] { return isGuarded("asset.pak"); }));
    CHECK_FALSE(isGuarded("mine.txt"));
    const auto known = w.models.knowledge.packages();

    SECTION("nothing is read again while nothing changes")
    {
        w.scan(w.t / "place");
        CHECK(w.models.knowledge.packages() == known);
    }
    SECTION("a list that cannot be understood takes no guard away")
    {
        w.t.text("system/var/lib/dpkg/status", std::string("\0\1nothing of the sort", 20));
        w.models.knowledge.refreshPackages();
        w.settle();
        CHECK(isGuarded("asset.pak"));
    }
    SECTION("and what was removed is not, once a place was scanned again")
    {
        w.t.text("system/var/lib/dpkg/status", "Package: other\nStatus: install ok installed\n\n");
        w.t.text("system/var/lib/dpkg/info/other.list", "/.\n");
        w.scan(w.t / "place");
        CHECK(ModelsOf::until([&] { return !isGuarded("asset.pak"); }));
    }
}
