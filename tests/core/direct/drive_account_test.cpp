// SPDX-License-Identifier: GPL-3.0-or-later
// The ledger of a drive whose own tables can be read leaves nothing unexplained.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>

#include "core/direct/drive_fixture.h"
#include "core/ledger/ledger.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

Ledger ledgerOf(const std::string& mount)
{
    const auto result = readDirectly(mount);
    const auto facts = readLedgerFacts(mount);
    REQUIRE(facts);
    REQUIRE(facts->tables);
    LedgerScan scan;
    scan.tree = result.tree.get();
    return writeLedger(scan, *facts);
}

const LedgerLine* lineIn(const Ledger& ledger, LedgerPart part)
{
    const auto found =
        std::find_if(ledger.lines.begin(), ledger.lines.end(), [part](const LedgerLine& l) { return l.part == part; });
    return found == ledger.lines.end() ? nullptr : &*found;
}

} // namespace

// Where a system runs from an ext4 drive and nothing else writes to it: tools/debian_kernel.sh root-drive.
TEST_CASE("the drive that the system runs from is read as it is walked, and explained", "[.root-drive]")
{
    if (!std::getenv("KURVO_ROOT_DRIVE"))
        return; // where all tests but some are asked for
    const auto walk = walked("/");
    const auto direct = readDirectly("/");
    INFO(direct.methodReason);
    CHECK(direct.direct);
    CHECK(difference(described(walk), described(direct)) == "");
    CHECK(direct.tree->find("/bin/core_tests"));
    const auto ledger = ledgerOf("/");
    for (const auto& each : ledger.lines)
        UNSCOPED_INFO(each.title << ": " << each.bytes.value_or(0) << " " << each.evidence);
    CHECK(ledger.unexplained == 0);
    CHECK(ledger.excess == 0);
}

TEST_CASE("ledger: a quiet drive is explained to the block", "[direct][ledger][mount]")
{
    if (!canReadTables())
        return;
    const auto line = GENERATE(std::string("-b 4096"), "-b 1024", "-I 128", "-O ^metadata_csum", "-t ext2",
                               "-O ea_inode -I 256", "-O meta_bg,^resize_inode -b 1024 -g 2048", "-O sparse_super2",
                               "-O ^has_journal", "-O orphan_file", "-O ^resize_inode", "-b 1024 -g 1024");
    INFO(line);
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F " + line, 64);
    fillDrive(mount.path(), 300);
    // A file without a name, and a folder below another mount.
    const auto path = mount.path() + "/held";
    const int held = ::open(path.c_str(), O_CREAT | O_RDWR | O_CLOEXEC, 0600);
    REQUIRE(::write(held, std::string(300000, 'h').data(), 300000) == 300000);
    ::unlink(path.c_str());
    writeAll((std::filesystem::create_directories(mount.path() + "/covered"), mount.path() + "/covered/below"),
             std::string(20000, 'b'));
    const TmpfsMount over(mount.path() + "/covered");
    const int top = ::open(mount.path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    ::syncfs(top);
    ::close(top);
    const auto ledger = ledgerOf(mount.path());
    for (const auto& each : ledger.lines)
        UNSCOPED_INFO(each.title << ": " << each.bytes.value_or(0) << " " << each.evidence);
    CHECK(ledger.unexplained == 0);
    CHECK(ledger.excess == 0);
    REQUIRE(lineIn(ledger, LedgerPart::Nameless));
    CHECK(lineIn(ledger, LedgerPart::Nameless)->bytes >= 300000u);
    CHECK(lineIn(ledger, LedgerPart::Beneath)->bytes >= 20000u);
    CHECK_FALSE(lineIn(ledger, LedgerPart::Unreachable));
    CHECK(ledger.inodes->missing() == 0);
    ::close(held);
}
