// SPDX-License-Identifier: GPL-3.0-or-later
// The rows of a scan on their way to another process.
#include <catch2/catch.hpp>

#include <zstd.h>

#include <atomic>
#include <random>
#include <thread>

#include "core/scan/scanner.h"
#include "core/snapshot/row_stream.h"
#include "core/tree/growing_tree.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

std::vector<std::string> packetsOf(const FileTree& tree)
{
    RowPacker packer(tree.sharedStore());
    std::vector<std::string> packets;
    for (auto packet = packer.rows(); !packet.empty(); packet = packer.rows())
        packets.push_back(packet);
    return packets;
}

/// As a packet is packed.
std::string packed(const std::string& raw)
{
    std::string out(ZSTD_compressBound(raw.size()), '\0');
    out.resize(ZSTD_compress(out.data(), out.size(), raw.data(), raw.size(), 1));
    return out;
}

std::string unpacked(const std::string& packet)
{
    std::string raw(ZSTD_getFrameContentSize(packet.data(), packet.size()), '\0');
    REQUIRE(ZSTD_decompress(raw.data(), raw.size(), packet.data(), packet.size()) == raw.size());
    return raw;
}

} // namespace

TEST_CASE("a tree comes over as rows with the same ids", "[snapshot][rows]")
{
    for (std::uint64_t seed = 0; seed < 40; ++seed) {
        const auto tree = randomTree(seed);
        RowTaker taker;
        for (const auto& packet : packetsOf(*tree))
            REQUIRE(taker.rows(packet));
        const auto taken = taker.finish();
        REQUIRE(taken);
        CHECK(describe(**taken) == describe(*tree));
        const auto& here = (*taken)->store();
        const auto& there = tree->store();
        REQUIRE(here.size() == there.size());
        for (NodeId node = 0; node < there.size(); ++node)
            if (here.parent(node) != there.parent(node) || here.name(node) != there.name(node) ||
                here.linksOf(node) != there.linksOf(node) || here.flags(node) != there.flags(node))
                FAIL("another row " << node);
    }
}

TEST_CASE("a folder of more entries than a packet holds comes over in several", "[snapshot][rows]")
{
    std::vector<Sapling> many;
    for (int i = 0; i < 100'000; ++i)
        many.push_back(file("file-" + std::to_string(i), static_cast<std::uint64_t>(i)));
    const auto tree = plant(folder("/srv", {folder("many", std::move(many)), file("after", 7)}));
    const auto packets = packetsOf(*tree);
    CHECK(packets.size() > 3);
    RowTaker taker;
    for (const auto& packet : packets)
        REQUIRE(taker.rows(packet));
    const auto taken = taker.finish();
    REQUIRE(taken);
    CHECK(describe(**taken) == describe(*tree));

    // One that is left out, or comes twice, is noticed.
    RowTaker other;
    REQUIRE(other.rows(packets[0]));
    CHECK_FALSE(other.rows(packets[2]));
    CHECK_FALSE(other.finish());
}

TEST_CASE("a scan comes over while it runs, and what was not read is told at its end", "[snapshot][rows]")
{
    TestFolder t;
    for (int i = 0; i < 300; ++i)
        for (int k = 0; k < 10; ++k)
            t.file("place/" + std::to_string(i) + "/deep/" + std::to_string(k), 100);
    t.link("place/1/deep/1", "place/2/again");
    ScanProgress progress;
    std::atomic<bool> over{false};
    std::optional<RowPacker> packer;
    RowTaker taker;
    std::unique_ptr<GrowingTree> growing;
    std::uint64_t seen = 0;
    const auto carry = [&] {
        const auto store = progress.store();
        if (!store)
            return;
        if (!packer)
            packer.emplace(store);
        for (auto packet = packer->rows(); !packet.empty(); packet = packer->rows())
            REQUIRE(taker.rows(packet));
        if (!growing)
            growing = std::make_unique<GrowingTree>(taker.store());
        const auto look = growing->look();
        CHECK(look->sums(rootNode).files >= seen);
        seen = look->sums(rootNode).files;
    };
    std::thread carrier([&] {
        while (!over)
            carry();
    });
    const auto result = scan(t / "place", {}, {}, &progress);
    over = true;
    carrier.join();
    REQUIRE(result);
    carry();
    // As if the scan had found it out late.
    const_cast<NodeStore&>(*progress.store()).addFlags(*result->tree->find(t / "place/7/deep"), FlagUnreadable);
    for (auto packet = packer->flags(); !packet.empty(); packet = packer->flags())
        REQUIRE(taker.flags(packet));
    const auto taken = taker.finish();
    REQUIRE(taken);
    CHECK((*taken)->sums(rootNode).files == 3001);
    CHECK((*taken)->disk(rootNode) == result->tree->disk(rootNode));
    CHECK((*taken)->store().has(*(*taken)->find(t / "place/7/deep"), FlagUnreadable));
    CHECK((*taken)->store().linksOf(*(*taken)->find(t / "place/2/again")) == 2);
}

TEST_CASE("a scan that begins anew begins anew at the other end", "[snapshot][rows]")
{
    const auto first = randomTree(3), second = randomTree(4);
    RowTaker taker;
    for (const auto& packet : packetsOf(*first))
        REQUIRE(taker.rows(packet));
    const auto before = taker.store();
    for (const auto& packet : packetsOf(*second))
        REQUIRE(taker.rows(packet));
    CHECK(taker.store() != before);
    CHECK(before->size() == first->store().size()); // who looks at it still can
    const auto taken = taker.finish();
    REQUIRE(taken);
    CHECK(describe(**taken) == describe(*second));
}

TEST_CASE("rows that nobody packed are refused", "[snapshot][rows]")
{
    const auto tree = plant(folder("/srv", {folder("a", {file("x", 1), file("y", 2)}), file("b", 7)}));
    const auto packet = packetsOf(*tree).front();
    const auto raw = unpacked(packet);
    const auto refuses = [](const std::string& bytes) {
        RowTaker taker;
        const auto taken = taker.rows(bytes);
        return !taken && taken.error().kind == ErrorKind::WrongFormat;
    };
    REQUIRE_FALSE(refuses(packed(raw)));
    CHECK(refuses(""));
    CHECK(refuses("rubbish"));
    CHECK(refuses(packed("")));
    for (std::size_t cut = 0; cut < packet.size(); ++cut)
        CHECK(refuses(packet.substr(0, cut)));
    for (std::size_t cut = 0; cut < raw.size(); ++cut)
        CHECK(refuses(packed(raw.substr(0, cut))));
    CHECK(refuses(packed(raw + "x")));
    CHECK(refuses(packed(std::string(17 << 20, '\0')))); // more than a packet is
    std::mt19937 random(11);
    for (int i = 0; i < 20'000; ++i) {
        auto bad = raw;
        for (int k = 0; k < 3; ++k)
            bad[random() % bad.size()] ^= static_cast<char>(1 + random() % 255);
        RowTaker taker;
        if (!taker.rows(packed(bad)))
            continue;
        (void)static_cast<bool>(taker.flags(packed(bad.substr(0, 6))));
        if (const auto taken = taker.finish()) // whatever it is, it is a tree
            CHECK_FALSE(describe(**taken).empty());
    }
    SECTION("and so are flags")
    {
        RowTaker taker;
        CHECK_FALSE(taker.flags(packed("\x01\x40\0"))); // of nothing
        REQUIRE(taker.rows(packet));
        CHECK_FALSE(taker.flags(packed(std::string("\x02\x20\0", 3)))); // of a file
        CHECK_FALSE(taker.flags(packed(std::string("\x01\x10\0", 3)))); // not one that comes late
        CHECK_FALSE(taker.flags(packed(std::string("\x7f\x20\0", 3)))); // of what is not there
        CHECK(taker.flags(packed(std::string("\x01\x20\0", 3))));
        CHECK(taker.finish());
    }
}
