// SPDX-License-Identifier: GPL-3.0-or-later
// What a drive's own tables say is what the kernel says, entry by entry.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/fs.h>
#include <linux/fscrypt.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include <atomic>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <set>
#include <thread>

#include "core/direct/crc32c.h"
#include "core/direct/device_map.h"
#include "core/direct/direct_access.h"
#include "core/direct/drive_fixture.h"
#include "core/direct/ext4_folder.h"
#include "core/direct/read_ahead.h"
#include "core/scan/ahead.h"
#include "support/test_tree.h"

using namespace kurvo;
using namespace kurvo::test;

namespace {

void isAsWalked(const std::string& mount)
{
    const auto walk = walked(mount);
    const auto direct = readDirectly(mount);
    CHECK_FALSE(walk.direct);
    INFO(direct.methodReason);
    CHECK(direct.direct);
    CHECK(difference(described(walk), described(direct)) == "");
    CHECK(direct.unreadable == walk.unreadable);
}

/// A folder of names that only who has the key can read. False where this system cannot.
bool encrypt(const std::string& mount, const std::string& folder)
{
    const UniqueFd top(::open(mount.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    std::vector<char> memory(sizeof(fscrypt_add_key_arg) + 64, 'k');
    auto* key = reinterpret_cast<fscrypt_add_key_arg*>(memory.data());
    std::memset(key, 0, sizeof *key);
    key->key_spec.type = FSCRYPT_KEY_SPEC_TYPE_IDENTIFIER;
    key->raw_size = 64;
    if (::ioctl(top.get(), FS_IOC_ADD_ENCRYPTION_KEY, key) != 0)
        return false;
    std::filesystem::create_directory(folder);
    fscrypt_policy_v2 policy{};
    policy.version = FSCRYPT_POLICY_V2;
    policy.contents_encryption_mode = FSCRYPT_MODE_AES_256_XTS;
    policy.filenames_encryption_mode = FSCRYPT_MODE_AES_256_CTS;
    std::memcpy(policy.master_key_identifier, key->key_spec.u.identifier, FSCRYPT_KEY_IDENTIFIER_SIZE);
    const UniqueFd fd(::open(folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (::ioctl(fd.get(), FS_IOC_SET_ENCRYPTION_POLICY, &policy) != 0)
        return false;
    for (int i = 0; i < 20; ++i)
        writeAll(folder + "/secret " + std::to_string(i), "content");
    return true;
}

} // namespace

TEST_CASE("tables: drives of every kind that mke2fs makes", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const auto line = GENERATE(
        std::string("-b 1024"), "-b 2048", "-b 4096", "-I 128", "-I 512 -b 4096", "-O ^extents,^64bit", "-O ^64bit",
        "-O ^flex_bg", "-O meta_bg,^resize_inode", "-b 1024 -O meta_bg,^resize_inode -g 1024", "-O bigalloc -C 16384",
        "-b 1024 -O bigalloc -C 8192", "-O inline_data", "-O inline_data -I 1024 -b 4096", "-O encrypt",
        "-O ^metadata_csum", "-O ^metadata_csum,uninit_bg", "-O ea_inode", "-O quota,project", "-O sparse_super2",
        "-O large_dir", "-t ext2", "-t ext3", "-t ext2 -b 1024 -I 128", "-b 1024 -g 256 -N 4096", "-O orphan_file",
        "-O ^filetype", "-O ^dir_index", "-O ^huge_file", "-O metadata_csum_seed", "-O ^has_journal",
        "-O ^extra_isize -I 256", "-O ^sparse_super,^resize_inode", "-O verity,stable_inodes");
    INFO(line);
    const TestFolder t;
    std::unique_ptr<LoopMount> mount;
    try {
        mount = std::make_unique<LoopMount>(t / "m", "mkfs.ext4 -q -F " + line, 48);
    } catch (const std::exception&) {
        WARN("not made or not mounted here: " << line);
        return;
    }
    fillDrive(mount->path());
    if (line == "-O encrypt")
        CHECK(encrypt(mount->path(), mount->path() + "/locked"));
    isAsWalked(mount->path());
}

TEST_CASE("tables: what else is mounted is a door, and what lies below it is not seen", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 32);
    const auto top = mount.path();
    for (const auto* name : {"/covered/below", "/in/deep/covered", "/part/of/it", "/shown"})
        std::filesystem::create_directories(top + name);
    writeAll(top + "/covered/below/x", "x");
    writeAll(top + "/part/of/it/y", "y");
    writeAll(top + "/one", "1");
    writeAll(top + "/two", "22");
    const TmpfsMount over(top + "/covered"), deeper(top + "/in/deep/covered");
    const TmpfsMount nested(over.path() + "/in it");
    REQUIRE(::mount((top + "/part").c_str(), (top + "/shown").c_str(), nullptr, MS_BIND, nullptr) == 0);
    REQUIRE(::mount((top + "/one").c_str(), (top + "/two").c_str(), nullptr, MS_BIND, nullptr) == 0);
    isAsWalked(top);
    // A part of the drive, mounted by itself, is read from there on.
    isAsWalked(top + "/shown");
    ::umount2((top + "/two").c_str(), MNT_DETACH);
    ::umount2((top + "/shown").c_str(), MNT_DETACH);
    // A folder of a drive is walked, and so is what no table describes; the reason is told.
    CHECK(readDirectly(top + "/part").methodReason == "It is not the root of a mounted drive.");
    CHECK(readDirectly(over.path()).methodReason.find("tmpfs") != std::string::npos);
}

TEST_CASE("tables: exclusions hold, and so do deleted files and folders made again", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 48);
    fillDrive(mount.path(), 2000);
    for (int i = 0; i < 2000; i += 2)
        ::unlink((mount.path() + "/many/a file with a rather long name " + std::to_string(i)).c_str());
    std::filesystem::remove_all(mount.path() + "/deep/d/d");
    for (int i = 0; i < 300; ++i)
        writeAll(mount.path() + "/deep/again " + std::to_string(i), "again");
    isAsWalked(mount.path());
    ScanOptions options;
    options.exclude = {"many", "*/deep/again*", ".*"};
    const auto direct = scan(mount.path(), options);
    options.method = ScanMethod::Walk;
    const auto walk = scan(mount.path(), options);
    CHECK(direct->direct);
    CHECK(difference(described(*walk), described(*direct)) == "");
}

TEST_CASE("tables: what changes a moment before is seen", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 48);
    fillDrive(mount.path(), 100);
    for (int round = 0; round < 10; ++round) {
        const auto at = mount.path() + "/many/" + std::to_string(round);
        writeAll(at, std::string(static_cast<std::size_t>(20000 * round), 'x')); // not written out yet
        ::rename((mount.path() + "/size-1").c_str(), (mount.path() + "/size-1").c_str());
        const auto direct = scan(mount.path());
        REQUIRE(direct);
        CHECK(direct->direct);
        const auto node = direct->tree->find(at);
        REQUIRE(node);
        CHECK(direct->tree->apparent(*node) == 20000u * static_cast<unsigned>(round));
        ::unlink(at.c_str());
        CHECK_FALSE(scan(mount.path())->tree->find(at));
    }
    isAsWalked(mount.path());
}

TEST_CASE("tables: with busy writers nothing is told that never was, and nothing is missed that stood still",
          "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    // The second drive stamps changes with whole seconds.
    const auto line = GENERATE(std::string("-I 256"), "-I 128");
    INFO(line);
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F -N 40000 " + line, 96);
    for (int i = 0; i < 40; ++i)
        for (int j = 0; j < 50; ++j)
            writeAll((std::filesystem::create_directories(mount.path() + "/still/" + std::to_string(i)),
                      mount.path() + "/still/" + std::to_string(i) + "/" + std::to_string(j)),
                     std::string(static_cast<std::size_t>(j), 's'));
    std::atomic<bool> over{false};
    std::vector<std::thread> writers;
    for (int w = 0; w < 4; ++w)
        writers.emplace_back([&, w] {
            const auto own = mount.path() + "/busy " + std::to_string(w);
            for (int round = 0; !over; ++round) {
                // Folders that come and go and are named again, with folders in them; files in one that also has files
                // that stand still, so that its blocks are split.
                const auto at = own + "/" + std::to_string(round % 7);
                std::filesystem::create_directories(at + "/inner");
                for (int i = 0; i < 30; ++i)
                    writeAll(at + "/inner/w" + std::to_string(w) + "-" + std::to_string(i), "busy");
                writeAll(mount.path() + "/still/" + std::to_string(round % 40) + "/new-" + std::to_string(w) + "-" +
                             std::to_string(round % 200),
                         "new");
                std::error_code ignored;
                std::filesystem::rename(at, own + "/named " + std::to_string(round % 3), ignored);
                std::filesystem::remove_all(own + "/named " + std::to_string((round + 1) % 3), ignored);
            }
        });
    for (int round = 0; round < 15; ++round) {
        const auto result = scan(mount.path());
        REQUIRE(result);
        INFO(result->methodReason);
        CHECK(result->direct);
        const auto& tree = *result->tree;
        for (int i = 0; i < 40; ++i)
            for (int j = 0; j < 50; ++j) {
                const auto path = mount.path() + "/still/" + std::to_string(i) + "/" + std::to_string(j);
                const auto node = tree.find(path);
                if (!node || tree.apparent(*node) != static_cast<unsigned>(j))
                    FAIL(path);
            }
        tree.forEachBelow(rootNode, [&](NodeId node) {
            const auto path = tree.path(node).substr(mount.path().size());
            const bool isBusy = path.starts_with("/busy ");
            const auto name = std::string(tree.store().name(node));
            const bool possible = path.empty() || path == "/lost+found" || path.starts_with("/still") ||
                                  (isBusy && (tree.isFolder(node) || name[1] == path[6]));
            if (!possible)
                FAIL(path);
        });
    }
    over = true;
    for (auto& writer : writers)
        writer.join();
    isAsWalked(mount.path());
}

TEST_CASE("tables: a drive that is frozen, or grows, is told as it is", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F -O resize_inode", 32);
    fillDrive(mount.path(), 300);
    const UniqueFd top(::open(mount.path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    SECTION("frozen")
    {
        writeAll(mount.path() + "/just written", std::string(100000, 'w'));
        REQUIRE(::ioctl(top.get(), FIFREEZE, 0) == 0);
        const auto walk = walked(mount.path());
        const auto direct = readDirectly(mount.path());
        ::ioctl(top.get(), FITHAW, 0);
        CHECK(difference(described(walk), described(direct)) == "");
        isAsWalked(mount.path());
    }
    SECTION("grown while it is read")
    {
        const auto before = readDirectly(mount.path());
        struct stat s { };
        REQUIRE(::fstat(top.get(), &s) == 0);
        const auto device = "/dev/loop" + std::to_string(minor(s.st_dev));
        std::atomic<bool> over{false};
        int status = 1;
        std::thread growing([&] {
            status = std::system(("truncate -s 400M '" + mount.image() + "' && losetup -c " + device +
                                  " && resize2fs " + device + " >/dev/null 2>&1")
                                     .c_str());
            over = true;
        });
        while (!over) {
            const auto meanwhile = scan(mount.path());
            REQUIRE(meanwhile);
            CHECK(difference(described(before), described(*meanwhile)) == "");
        }
        growing.join();
        if (status != 0)
            return;                    // no resize2fs here
        for (int i = 0; i < 2000; ++i) // in what is new, too
            writeAll((std::filesystem::create_directories(mount.path() + "/new/" + std::to_string(i)),
                      mount.path() + "/new/" + std::to_string(i) + "/f"),
                     std::string(9000, 'n'));
        isAsWalked(mount.path());
        CHECK(readDirectly(mount.path()).tree->sums(rootNode).files > before.tree->sums(rootNode).files + 1900);
    }
}

TEST_CASE("tables: a drive that is damaged, or of a kind not known, is walked and says why", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const auto image = t / "image";
    const auto opened = [&] { return Ext4Drive::open(UniqueFd(::open(image.c_str(), O_RDONLY | O_CLOEXEC))); };
    t.text("image", std::string(1 << 20, '\0'));
    CHECK(opened().error().sentence == "It is no ext4 filesystem.");
    t.text("image", "short");
    CHECK_FALSE(opened());
    const auto good = imageOfDrive(t, "mkfs.ext4 -q -F", 16, 100);
    const auto with = [&](std::size_t at, char value) {
        auto bytes = good;
        bytes[at] = value;
        writeAll(image, bytes);
        return opened();
    };
    writeAll(image, good);
    REQUIRE(opened());
    CHECK(with(1024 + 0x18, 3).error().sentence == "Its superblock does not hold its checksum.");
    // The same without checksums: what a number says must be possible.
    const auto plain = imageOfDrive(t, "mkfs.ext4 -q -F -O ^metadata_csum", 16, 10);
    const auto refused = [&](std::size_t at, unsigned value) {
        auto bytes = plain;
        bytes[1024 + at] = static_cast<char>(value);
        writeAll(image, bytes);
        const auto drive = opened();
        return drive ? std::string() : drive.error().sentence;
    };
    CHECK(refused(0x3A, 2) == "Errors are noted in its superblock.");
    CHECK(refused(0x61, 0x43).find("multi-mount") != std::string::npos);
    CHECK(refused(0x63, 0x80).find("does not know") != std::string::npos);
    CHECK(refused(0x67, 0x80).find("does not know") != std::string::npos);
    for (const std::size_t at : {0x0, 0x4, 0x7, 0x18, 0x20, 0x28, 0x58, 0x59})
        for (const unsigned value : {0x0u, 0x7Fu, 0xFFu}) {
            INFO(at << " " << value);
            if (static_cast<unsigned char>(plain[1024 + at]) != value)
                CHECK_FALSE(refused(at, value).empty());
        }
}

TEST_CASE("tables: every byte may lie, and reading ends all the same", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const auto good = imageOfDrive(t, "mkfs.ext4 -q -F -b 1024 -N 320 -O ^metadata_csum,inline_data -I 256", 4, 60);
    const auto image = t / "image";
    writeAll(image, good);
    const UniqueFd fd(::open(image.c_str(), O_RDWR | O_CLOEXEC));
    std::uint64_t names = 0;
    const auto readAllFolders = [&] {
        const auto drive = Ext4Drive::open(UniqueFd(::open(image.c_str(), O_RDONLY | O_CLOEXEC)));
        if (!drive)
            return;
        Ext4Reader reader(*drive, {std::int64_t{1} << 40, 0});
        names = 0;
        for (std::uint64_t inode = 1; inode <= std::min<std::uint64_t>((*drive)->inodes(), 300); ++inode)
            reader.readFolder(inode, 0, nullptr, [&](std::uint64_t, std::string_view name) {
                ++names;
                CHECK(name.find('/') == name.npos);
            });
    };
    readAllFolders();
    CHECK(names > 100);
    const auto drive = Ext4Drive::open(UniqueFd(::open(image.c_str(), O_RDONLY | O_CLOEXEC)));
    const auto table = (*drive)->groups()[0].inodeTable;
    unsigned seed = 1;
    const auto flip = [&](std::uint64_t at) {
        seed = seed * 1664525 + 1013904223;
        const char value = static_cast<char>(seed >> 24);
        REQUIRE(::pwrite(fd.get(), &value, 1, static_cast<off_t>(at)) == 1);
        readAllFolders();
        REQUIRE(::pwrite(fd.get(), good.data() + at, 1, static_cast<off_t>(at)) == 1);
    };
    for (std::uint64_t at = 1024; at < 2048; at += 3) // the superblock
        flip(at);
    for (std::uint64_t at = 2048; at < 2048 + 64; ++at) // a group descriptor
        flip(at);
    for (std::uint64_t at = table; at < table + 40 * 256; at += 7) // inodes
        flip(at);
}

TEST_CASE("tables: a name with a slash or a NUL in it is none, wherever that stands", "[direct]")
{
    const TestFolder t;
    for (int length = 1; length <= 20; ++length)
        t.file("in/" + std::string(static_cast<std::size_t>(length), 'n'));
    const auto image = t / "image";
    if (std::system(
            ("mke2fs -q -F -b 4096 -O ^metadata_csum -d " + t / "in" + " " + image + " 4M 2>/dev/null").c_str()) != 0)
        return; // not installed
    const auto good = readAll(image);
    const UniqueFd fd(::open(image.c_str(), O_RDWR | O_CLOEXEC));
    const auto drive = Ext4Drive::open(UniqueFd(::open(image.c_str(), O_RDONLY | O_CLOEXEC)));
    REQUIRE(drive);
    Ext4Reader reader(*drive, {std::int64_t{1} << 40, 0});
    std::set<std::string> names;
    const auto isRead = [&] {
        names.clear();
        return reader.readFolder(2, 0, nullptr, [&](std::uint64_t, std::string_view name) { names.emplace(name); });
    };
    REQUIRE(isRead());
    CHECK(names.size() == 21); // and lost+found
    const auto isReadWith = [&](std::size_t at, char letter) {
        REQUIRE(::pwrite(fd.get(), &letter, 1, static_cast<off_t>(at)) == 1);
        const bool read = isRead();
        REQUIRE(::pwrite(fd.get(), good.data() + at, 1, static_cast<off_t>(at)) == 1);
        return read;
    };
    for (std::size_t length = 1; length <= 20; ++length) {
        const std::string name(length, 'n');
        const auto entry =
            good.find(static_cast<char>(length) + std::string("\1") + name); // length and kind, then the name
        REQUIRE(entry != good.npos);
        for (std::size_t i = 0; i < length; ++i) {
            INFO(length << " " << i);
            const auto at = entry + 2 + i;
            CHECK_FALSE(isReadWith(at, '/'));
            CHECK_FALSE(isReadWith(at, '\0'));
            for (const char beside : {'0', '\xAF', '\x80', '\1'}) {
                auto changed = name;
                changed[i] = beside;
                CHECK(isReadWith(at, beside));
                CHECK(names.contains(changed));
            }
        }
    }
    CHECK_FALSE(isReadWith(good.find("\1\1n") + 2, '.')); // only the first two entries may have that name
}

TEST_CASE("tables and folders are read ahead, and then are in memory", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const auto image = t.text("image", imageOfDrive(t, "mkfs.ext4 -q -F -b 4096", 48, 2000));
    const UniqueFd fd(::open(image.c_str(), O_RDONLY | O_CLOEXEC));
    ::fsync(fd.get());
    ::posix_fadvise(fd.get(), 0, 0, POSIX_FADV_DONTNEED);
    const auto drive = Ext4Drive::open(UniqueFd(::fcntl(fd.get(), F_DUPFD_CLOEXEC, 0)));
    REQUIRE(drive);
    if (!(*drive)->device().isCached(1024) || tablesAreCached(**drive))
        return; // that is not told there, or nothing is ever let go
    TablePassProgress progress;
    readAhead(**drive, progress);
    CHECK(tablesAreCached(**drive));
    CHECK(progress.done == progress.of);
    // The first block of a folder is there as well.
    Ext4Inode root;
    std::vector<unsigned char> raw;
    REQUIRE((*drive)->readInode(2, root, raw));
    std::vector<BlockRun> runs;
    Ext4Reader reader(*drive, {std::int64_t{1} << 40, 0});
    REQUIRE(reader.mapBlocks(2, root, root.length / 4096, runs));
    CHECK((*drive)->device().isCached(runs.front().first * 4096));
}

TEST_CASE("tables: folders that are still to come into memory wait, and then all are there", "[direct][mount]")
{
    if (!canReadTables())
        return;
    const TestFolder t;
    const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 96);
    fillDrive(mount.path(), 3000);
    for (int i = 0; i < 400; ++i)
        std::filesystem::create_directories(mount.path() + "/far/" + std::to_string(i) + "/in/side");
    struct stat s { };
    REQUIRE(::stat(mount.path().c_str(), &s) == 0);
    const auto device = openBlockDevice(std::uint64_t{major(s.st_dev)} << 32 | minor(s.st_dev));
    REQUIRE(device);
    const auto forget = [&] {
        const UniqueFd top(::open(mount.path().c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
        ::syncfs(top.get());
        ::ioctl(device->get(), BLKFLSBUF, 0);
    };
    const auto walk = walked(mount.path());
    for (int i = 0; i < 3; ++i) {
        forget();
        const auto direct = readDirectly(mount.path());
        CHECK(direct.direct);
        CHECK(difference(described(walk), described(direct)) == "");
    }
    // Held, it reads nothing; let go, the root is here when all is.
    const auto drive = Ext4Drive::open(UniqueFd(::fcntl(device->get(), F_DUPFD_CLOEXEC, 0)));
    REQUIRE(drive);
    Ext4Inode root;
    std::vector<unsigned char> raw;
    REQUIRE((*drive)->readInode(2, root, raw));
    forget();
    ScanProgress scan;
    scan.setPaused(true);
    if (const auto ahead = Ahead::begin(*drive, {}, scan)) { // else nothing was let go
        ahead->waitFor(Ahead::Part::All, std::chrono::milliseconds(60), {});
        CHECK(ahead->comesFrom(root) != 0);
        scan.setPaused(false);
        ahead->waitFor(Ahead::Part::All, std::nullopt, {});
        CHECK(ahead->comesFrom(root) == 0);
        CHECK(scan.ahead().of > 0);
        CHECK(scan.ahead().done == scan.ahead().of);
        ahead->end();
    }
    // One that makes no headway is not waited for.
    forget();
    scan.setPaused(true);
    ScanOptions hasty;
    hasty.patience = std::chrono::milliseconds(50);
    if (const auto ahead = Ahead::begin(*drive, hasty, scan)) {
        ::usleep(100000);
        CHECK(ahead->comesFrom(root) == 0);
        ahead->end();
    }
}

TEST_CASE("a device that does not answer any more is an error, not the end", "[direct]")
{
    const TestFolder t;
    const auto path = t.text("device", std::string(1 << 20, 'd'));
    const DeviceMap map(UniqueFd(::open(path.c_str(), O_RDONLY | O_CLOEXEC)), 1 << 20);
    char byte = 0;
    CHECK(map.copy(900000, &byte, 1) == 0);
    CHECK(byte == 'd');
    std::vector<char> room(1 << 20);
    CHECK(map.bring(5000, room.data(), 20000) == 0);
    CHECK(map.isCached(5000));
    CHECK(map.isCached(24999));
    REQUIRE(::truncate(path.c_str(), 4096) == 0); // as if it were pulled out
    CHECK(map.copy(900000, &byte, 1) == EIO);
    CHECK(map.copy(100, &byte, 1) == 0);
    CHECK(map.copy((1 << 20) - 1, &byte, 2) == EIO);
    CHECK(map.read(900000, &byte, 1) == EIO);
    CHECK(map.bring(900000, room.data(), 1) == EIO);
    CHECK(map.bring((1 << 20) - 1, room.data(), 2) == EIO);
    CHECK(map.bring(std::uint64_t{1} << 40, room.data(), 1) == EIO);
    CHECK(map.bring(100, room.data(), 3000) == 0);
    // What is only announced may be anywhere.
    for (const std::uint64_t at : {std::uint64_t{100}, std::uint64_t{900000}, std::uint64_t{1} << 40}) {
        map.begin(at, 8192);
        map.expect(at, 8192);
    }
}

TEST_CASE("checksums are those of the standard, with and without the processor's help", "[direct]")
{
    const std::string text = "123456789";
    CHECK(~crc32c(~0u, text.data(), text.size()) == 0xE3069283u);
    std::string bytes(1000, '\0');
    for (std::size_t i = 0; i < bytes.size(); ++i)
        bytes[i] = static_cast<char>(i * i);
    for (std::size_t size = 0; size < 40; ++size)
        CHECK(crc32c(7, bytes.data() + size, 900 - size) == crc32cByTable(7, bytes.data() + size, 900 - size));
    // Inodes and blocks are summed up in three parts at once.
    bytes.resize(9000, 'k');
    for (const std::size_t size : {128u, 239u, 240u, 241u, 256u, 479u, 480u, 1007u, 1008u, 1009u, 1300u, 4084u, 8180u})
        for (const std::size_t at : {0u, 1u, 7u})
            CHECK(crc32c(99, bytes.data() + at, size) == crc32cByTable(99, bytes.data() + at, size));
}
