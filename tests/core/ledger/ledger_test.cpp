// SPDX-License-Identifier: GPL-3.0-or-later
// The account of a drive: on real filesystems, and on made-up figures.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <filesystem>
#include <vector>

#include "core/ledger/ledger.h"
#include "core/platform/unique_fd.h"
#include "support/mounts.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

constexpr std::uint64_t MiB = 1 << 20;

const LedgerLine& line(const Ledger& ledger, LedgerPart part)
{
    const auto found =
        std::find_if(ledger.lines.begin(), ledger.lines.end(), [part](const LedgerLine& l) { return l.part == part; });
    REQUIRE(found != ledger.lines.end());
    return *found;
}

bool hasLine(const Ledger& ledger, LedgerPart part)
{
    return std::any_of(ledger.lines.begin(), ledger.lines.end(),
                       [part](const LedgerLine& l) { return l.part == part; });
}

void fill(const std::string& path, std::uint64_t bytes)
{
    std::filesystem::create_directories(std::filesystem::path(path).parent_path());
    const UniqueFd file(::open(path.c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0644));
    REQUIRE(file);
    const std::vector<char> block(MiB, 'k');
    for (std::uint64_t done = 0; done < bytes; done += MiB)
        REQUIRE(::write(file.get(), block.data(), block.size()) == static_cast<ssize_t>(block.size()));
    ::fsync(file.get());
}

Ledger ledgerOf(const std::string& mountPoint)
{
    auto result = scan(mountPoint);
    REQUIRE(result);
    const auto facts = readLedgerFacts(mountPoint);
    REQUIRE(facts);
    LedgerScan known;
    known.tree = result->tree.get();
    known.unreadable = result->unreadableList;
    known.unreadableCount = result->unreadable;
    return writeLedger(known, *facts);
}

LedgerFacts madeUp(std::uint64_t used)
{
    LedgerFacts facts;
    facts.mountPoint = "/drive";
    facts.filesystem.type = "ext4";
    facts.filesystem.shownPart = "/";
    facts.filesystem.capacity = {1000 * MiB, used, 50 * MiB, 950 * MiB - used};
    return facts;
}

} // namespace

TEST_CASE("every line of the ledger of a real drive is explained", "[ledger][mount]")
{
    if (!canLoopMount("mkfs.ext4"))
        return;
    TestFolder t;
    LoopMount drive(t / "drive", "mkfs.ext4", 300);
    fill(drive.path() + "/docs/report", 60 * MiB);
    fill(drive.path() + "/secret/key", 5 * MiB);
    fill(drive.path() + "/full/covered", 20 * MiB);
    fill(drive.path() + "/gone", 40 * MiB);
    std::filesystem::create_hard_link(drive.path() + "/docs/report", drive.path() + "/docs/again");
    REQUIRE(::chmod((drive.path() + "/secret").c_str(), 0700) == 0);
    ::chmod(drive.path().c_str(), 0755);
    const UniqueFd held(::open((drive.path() + "/gone").c_str(), O_RDONLY | O_CLOEXEC));
    REQUIRE(::unlink((drive.path() + "/gone").c_str()) == 0);
    TmpfsMount on(drive.path() + "/full");
    ::sync();

    SECTION("as root")
    {
        const auto ledger = ledgerOf(drive.path());
        CHECK(ledger.capacity.reserved > 0);
        CHECK(ledger.capacity.total == ledger.capacity.used + ledger.capacity.reserved + ledger.capacity.free);
        const auto& seen = line(ledger, LedgerPart::Seen);
        CHECK(*seen.bytes >= 65 * MiB);
        CHECK(*seen.bytes < 66 * MiB);
        const auto& nameless = line(ledger, LedgerPart::Nameless);
        CHECK(*nameless.bytes == 40 * MiB);
        REQUIRE(nameless.items.size() == 1);
        CHECK(nameless.items[0].path == drive.path() + "/gone");
        CHECK(nameless.items[0].note.find("process " + std::to_string(::getpid())) != std::string::npos);
        const auto& beneath = line(ledger, LedgerPart::Beneath);
        REQUIRE(beneath.items.size() == 1);
        CHECK(beneath.items[0].path == drive.path() + "/full");
        CHECK(*beneath.bytes >= 20 * MiB);
        CHECK(*beneath.bytes < 21 * MiB);
        CHECK_FALSE(hasLine(ledger, LedgerPart::NotReadable));
        CHECK(ledger.unexplained < ledger.capacity.used / 100);
        CHECK(ledger.excess == 0);
        REQUIRE(ledger.inodes);
        CHECK(ledger.inodes->missing() == 0);
    }
    SECTION("as anybody: what is not known is named, and is in the remainder")
    {
        const auto status = asNobody([&] {
            const auto result = scan(drive.path());
            const auto facts = readLedgerFacts(drive.path());
            if (!result || !facts)
                return false;
            LedgerScan known;
            known.tree = result->tree.get();
            known.unreadable = result->unreadableList;
            known.unreadableCount = result->unreadable;
            const auto ledger = writeLedger(known, *facts);
            const auto named = [&](LedgerPart part, const std::string& path) {
                for (const auto& l : ledger.lines)
                    if (l.part == part && !l.bytes)
                        for (const auto& item : l.items)
                            if (item.path == path && !item.note.empty())
                                return true;
                return false;
            };
            return named(LedgerPart::NotReadable, drive.path() + "/secret") &&
                   named(LedgerPart::Beneath, drive.path() + "/full") && ledger.unexplained >= 25 * MiB &&
                   ledger.inodes && ledger.inodes->missing() > 0;
        });
        CHECK(status == 0);
    }
}

TEST_CASE("btrfs: subvolumes are entered, structures are told, shared blocks are said", "[ledger][mount]")
{
    if (!canLoopMount("mkfs.btrfs") || std::system("command -v btrfs >/dev/null 2>&1") != 0)
        return;
    TestFolder t;
    LoopMount drive(t / "drive", "mkfs.btrfs", 200);
    REQUIRE(std::system(("btrfs subvolume create '" + drive.path() + "/home' >/dev/null").c_str()) == 0);
    fill(drive.path() + "/home/data", 30 * MiB);
    ::sync();
    const auto plain = ledgerOf(drive.path());
    CHECK(*line(plain, LedgerPart::Seen).bytes >= 30 * MiB); // the subvolume is part of the drive
    CHECK(*line(plain, LedgerPart::Structures).bytes > 0);
    CHECK(plain.unexplained < plain.capacity.used / 100);
    CHECK_FALSE(plain.inodes); // btrfs does not count them

    const auto copied =
        std::system(("cp --reflink=always '" + drive.path() + "/home/data' '" + drive.path() + "/home/copy'").c_str());
    REQUIRE(copied == 0);
    ::sync();
    const auto shared = ledgerOf(drive.path());
    CHECK(shared.excess > 25 * MiB);
    CHECK(shared.unexplained == 0);
    CHECK(line(shared, LedgerPart::Unexplained).evidence.find("share") != std::string::npos);
}

TEST_CASE("deleted files that are held open are found with who holds them", "[ledger]")
{
    TestFolder t;
    fill(t / "log", 2 * MiB);
    const UniqueFd one(::open((t / "log").c_str(), O_RDONLY | O_CLOEXEC));
    const UniqueFd two(::open((t / "log").c_str(), O_RDONLY | O_CLOEXEC));
    const auto mount = mountPointOf(t.path());
    REQUIRE(mount);
    const auto find = [&]() -> std::optional<NamelessFile> {
        const auto found = readNamelessFiles(*mount);
        REQUIRE(found);
        for (const auto& file : found->files)
            if (file.path == t / "log")
                return file;
        return std::nullopt;
    };
    CHECK_FALSE(find());
    REQUIRE(::unlink((t / "log").c_str()) == 0);
    const auto file = find();
    REQUIRE(file);
    CHECK(file->disk == 2 * MiB);
    CHECK(file->pid == ::getpid());
    CHECK_FALSE(file->program.empty());
    CHECK(file->uid == ::geteuid());
    CHECK(file->holders == 1); // one process, however many descriptors
    CHECK_FALSE(readNamelessFiles(t / "nowhere"));
}

TEST_CASE("the lines with bytes add up to what is used", "[ledger]")
{
    const auto tree = plant(folder("/drive", {file("a", 100 * MiB), folder("sub", {file("b", 40 * MiB)})}));
    LedgerScan known;
    known.tree = tree.get();
    auto facts = madeUp(300 * MiB);
    facts.nameless.files.push_back({"/drive/log", 7, 30 * MiB, "recorder", 77, 1000, 1});
    facts.beneath.push_back({"/drive/mnt", "tmpfs", 10 * MiB, 4, {}});
    facts.beneath.push_back({"/drive/other", "nfs", 0, 0, "no rights"});
    facts.filesystem.structures = 5 * MiB;
    facts.filesystem.structuresEvidence = "as the filesystem says";
    const auto ledger = writeLedger(known, facts);
    std::uint64_t sum = 0;
    for (const auto& l : ledger.lines)
        sum += l.bytes.value_or(0);
    CHECK(sum == 300 * MiB);
    CHECK(ledger.unexplained == (300 - 140 - 30 - 10 - 5) * MiB);
    CHECK(line(ledger, LedgerPart::Structures).evidence == "As the filesystem says.");
    CHECK(line(ledger, LedgerPart::Beneath).items[0].path == "/drive/mnt"); // largest first
    CHECK_FALSE(line(ledger, LedgerPart::Beneath).items[1].bytes);

    SECTION("more seen than used")
    {
        const auto more = writeLedger(known, madeUp(100 * MiB));
        CHECK(more.unexplained == 0);
        CHECK(more.excess == 40 * MiB);
    }
    SECTION("a place that is not the whole drive leaves the rest elsewhere")
    {
        known.wholeDrive = false;
        const auto part = writeLedger(known, facts);
        CHECK(part.unexplained == 0);
        CHECK_FALSE(hasLine(part, LedgerPart::Unexplained));
        CHECK(*line(part, LedgerPart::Elsewhere).bytes == 115 * MiB);
    }
    SECTION("what was left out, stopped, not read and put into the trash has lines of its own")
    {
        known.partial = true;
        known.excluded = {"*.iso"};
        known.inTrash = 25 * MiB;
        known.unreadableCount = 1;
        known.unreadable = {{"/drive/locked", EACCES}};
        const auto full = writeLedger(known, facts);
        CHECK(line(full, LedgerPart::NotScanned).items[0].path == "*.iso");
        CHECK(*line(full, LedgerPart::InTrash).bytes == 25 * MiB);
        CHECK(line(full, LedgerPart::NotReadable).items[0].note == "permission denied");
        CHECK(full.unexplained == 90 * MiB);
    }
    SECTION("a mount of a part of a filesystem says so")
    {
        facts.filesystem.shownPart = "/@home";
        CHECK(line(writeLedger(known, facts), LedgerPart::Unexplained).evidence.find("@home") != std::string::npos);
    }
    SECTION("what was gone through below another mount is not this drive's")
    {
        const auto across = plant(folder("/drive", {file("a", 100 * MiB), folder("mnt", {file("theirs", 70 * MiB)})}));
        known.tree = across.get();
        CHECK(*line(writeLedger(known, facts), LedgerPart::Seen).bytes == 100 * MiB);
    }
}
