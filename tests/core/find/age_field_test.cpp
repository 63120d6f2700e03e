// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/find/age_field.h"
#include "support/random_tree.h"

using namespace kurvo;
using namespace kurvo::test;

TEST_CASE("positions in the age field lead back to what stands there", "[agefield]")
{
    for (const double age : {3600.0, 86400.0, 31536000.0, 3e8})
        CHECK(positionToAge(ageToPosition(age)) == Approx(age));
    for (const double size : {512.0, 4096.0, 1e9, 3e12})
        CHECK(positionToSize(sizeToPosition(size)) == Approx(size));
    CHECK(ageToPosition(-5) == 0); // a date in the future
    CHECK(ageToPosition(1e12) == 1);
    CHECK(sizeToPosition(0) == 0);
}

TEST_CASE("every file has a place in the age field or is counted beside it", "[agefield][property]")
{
    for (std::uint64_t seed = 1; seed <= 30; ++seed) {
        const auto tree = randomTree(seed);
        std::vector<NodeId> files;
        std::uint64_t disk = 0, hidden = 0, empty = 0;
        tree->forEachBelow(rootNode, [&](NodeId node) {
            if (tree->isFolder(node))
                return;
            files.push_back(node);
            disk += tree->disk(node);
            hidden += tree->isHidden(node) && tree->disk(node) > 0 ? 1 : 0;
            empty += tree->disk(node) == 0 ? 1 : 0;
        });
        const auto field = ageField(*tree, files, 2000000000);
        std::uint64_t inField = 0, bytes = 0, dotted = 0;
        for (const auto& spot : field.spots) {
            inField += spot.files;
            bytes += spot.disk;
            dotted += spot.hidden;
            CHECK((spot.files == 0) == (spot.largest == noNode));
        }
        CHECK(inField + field.withoutSize == files.size());
        CHECK(field.withoutSize == empty);
        CHECK(bytes == disk);
        CHECK(dotted == hidden);
    }
    CHECK(ageField(*randomTree(1), {}, 0).spots.empty());
}
