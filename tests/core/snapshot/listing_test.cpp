// SPDX-License-Identifier: GPL-3.0-or-later
#include <catch2/catch.hpp>

#include "core/scan/scanner.h"
#include "core/snapshot/listing.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

std::string listing(const SnapshotInfo& info, const FileTree& tree, ListingFormat format)
{
    std::string out;
    writeListing([&out](const char* bytes, std::size_t size) { out.append(bytes, size); }, info, tree, format);
    return out;
}

} // namespace

TEST_CASE("a snapshot as lines and back: every byte of every name", "[snapshot][listing]")
{
    TestFolder t;
    t.text("place/\xff\xfe line\nbreak, \"quoted\"", "x");
    t.text("place/\x01" "control", "y");
    t.text("place/\x01" "0a looks like an escape", "y");
    t.text("place/back\\slash \\udc80", "z");
    t.text("place/sub/.hidden", "h");
    t.link("place/sub/.hidden", "place/again");
    t.symlink("nowhere", "place/link");
    t.folder("place/empty");
    const auto scanned = scan(t / "place");
    REQUIRE(scanned);
    auto info = describeScan(*scanned);
    for (const auto format : {ListingFormat::JsonLines, ListingFormat::Csv}) {
        writeAll(t / "out", listing(info, *scanned->tree, format));
        const auto read = readListing(t / "out");
        INFO((read ? "" : read.error().sentence));
        REQUIRE(read);
        CHECK(describe(*read->tree) == describe(*scanned->tree));
        CHECK(read->info.place == t / "place");
        if (format == ListingFormat::JsonLines) {
            CHECK(read->info.host == info.host);
            CHECK(read->info.taken == info.taken);
            CHECK(read->info.capacity.total == info.capacity.total);
        }
    }
    for (std::uint64_t seed = 1; seed <= 20; ++seed) {
        const auto tree = randomTree(seed);
        for (const auto format : {ListingFormat::JsonLines, ListingFormat::Csv}) {
            writeAll(t / "out", listing({}, *tree, format));
            const auto read = readListing(t / "out");
            INFO(seed << (read ? "" : read.error().sentence));
            REQUIRE(read);
            CHECK(describe(*read->tree) == describe(*tree));
        }
    }
}

TEST_CASE("a listing that was tampered with is refused with its line", "[snapshot][listing]")
{
    TestFolder t;
    const auto good = listing({}, *plant(folder("/p", {folder("a", {file("x", 512)})})), ListingFormat::Csv);
    const auto refused = [&](const std::string& text) {
        writeAll(t / "out", text);
        const auto read = readListing(t / "out");
        return read ? std::string() : read.error().sentence;
    };
    CHECK(refused(good).empty());
    CHECK(refused("") != "");
    CHECK(refused("just text\n").find("no listing") != std::string::npos);
    CHECK(refused(good + "/p/a/x,file,1,1,1,1,1,1,1,1,0\r\n").find("twice") != std::string::npos);
    CHECK(refused(good + "/p/gone/x,file,1,1,1,1,1,1,1,1,0\r\n").find("not listed") != std::string::npos);
    CHECK(refused(good + "/p/y,file,many,1,1,1,1,1,1,1,0\r\n").find("line 5") != std::string::npos);
    CHECK(refused(good + "/p/y,thing,1,1,1,1,1,1,1,1,0\r\n").find("no kind") != std::string::npos);
    CHECK(refused(good + "/p/y,file,1\r\n").find("number of fields") != std::string::npos);
    CHECK(refused(good + "\"/p/y").find("not closed") != std::string::npos);
    CHECK(refused("{\"place\": \"/p\"}\n{\"path\": \"/p\"}\n").find("line 2") != std::string::npos);
    CHECK(refused("{}\n").find("which place") != std::string::npos);
    CHECK(refused("{\"place\": \"/p\", \"taken\": \"soon\"}\n").find("line 1") != std::string::npos);
}
