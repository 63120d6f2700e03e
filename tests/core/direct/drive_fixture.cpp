// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/direct/drive_fixture.h"

#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <sys/xattr.h>
#include <unistd.h>

#include <filesystem>
#include <sstream>

#include "core/direct/direct_access.h"
#include "support/random_tree.h"
#include "support/test_tree.h"

namespace kurvo::test {

bool canReadTables()
{
    static const bool can = [] {
        if (!canLoopMount("mkfs.ext4"))
            return false;
        const TestFolder t;
        const LoopMount mount(t / "m", "mkfs.ext4 -q -F", 8);
        struct stat s { };
        return ::stat(mount.path().c_str(), &s) == 0 &&
               openBlockDevice(std::uint64_t{major(s.st_dev)} << 32 | minor(s.st_dev));
    }();
    return can;
}

void fillDrive(const std::string& mount, unsigned manyFiles)
{
    namespace fs = std::filesystem;
    const auto at = [&](const std::string& name) { return mount + "/" + name; };
    const auto file = [&](const std::string& name, std::size_t size) {
        const int fd = ::open(at(name).c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0640);
        const std::string content(size, 'x');
        (void)!::write(fd, content.data(), size);
        ::close(fd);
    };
    const auto made = [](int result) { static_cast<void>(result); }; // or not: some drives take less
    for (const std::size_t size : {0, 1, 59, 60, 61, 100, 150, 160, 1023, 1024, 1025, 4096, 5000, 70000})
        file("size-" + std::to_string(size), size);
    made(::truncate((file("sparse", 10), at("sparse")).c_str(), off_t{5} << 30));
    {
        const int fd = ::open(at("kept").c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0600);
        made(::fallocate(fd, FALLOC_FL_KEEP_SIZE, 0, 3 << 20));
        ::close(fd);
        const int holes = ::open(at("holes").c_str(), O_CREAT | O_WRONLY | O_CLOEXEC, 0600);
        for (int i = 0; i < 300; ++i) // extents in more than one node
            made(static_cast<int>(::pwrite(holes, "y", 1, off_t{i} * 64 * 1024)));
        ::close(holes);
    }
    file("big", 3 << 20);
    // Names.
    for (const auto& name : {std::string(255, 'n'), std::string("with \n line"), std::string("\xFF\xFE"),
                             std::string(".hidden"), std::string("..."), std::string(" ")})
        file(name, 7);
    // A folder with an index, one with holes where entries were, one within another within another.
    fs::create_directories(at("many/deep"));
    for (unsigned i = 0; i < manyFiles; ++i)
        file("many/a file with a rather long name " + std::to_string(i), i % 7 == 0 ? 10 : 0);
    for (unsigned i = 0; i < manyFiles; i += 3)
        ::unlink(at("many/a file with a rather long name " + std::to_string(i)).c_str());
    for (unsigned i = 0; i < manyFiles / 10; ++i)
        file("many/new " + std::to_string(i), 1);
    std::string deep = "deep";
    for (int i = 0; i < 20; ++i, deep += "/d")
        fs::create_directories(at(deep)), file(deep + "/f", 10);
    for (int i = 0; i < 12; ++i) // small folders, that fit an inode or just not
        for (int j = 0; j < i; ++j)
            fs::create_directories(at("small-" + std::to_string(i))),
                file("small-" + std::to_string(i) + "/name" + std::to_string(j), 3);
    fs::create_directory(at("empty"));
    // Links of both kinds, and everything that is no file.
    file("linked", 5000);
    made(::link(at("linked").c_str(), at("linked too").c_str()));
    made(::link(at("linked").c_str(), at("deep/linked").c_str()));
    made(::symlink("short", at("link").c_str()));
    made(::symlink(std::string(200, 'l').c_str(), at("long link").c_str()));
    made(::mkfifo(at("fifo").c_str(), 0600));
    made(::mknod(at("block").c_str(), S_IFBLK | 0600, makedev(7, 99)));
    made(::mknod(at("character").c_str(), S_IFCHR | 0600, makedev(1, 3)));
    made(::mknod(at("socket").c_str(), S_IFSOCK | 0600, 0));
    // Owners beyond 16 bits, times before 1970 and beyond 2038, an attribute that takes a block.
    made(::lchown(at("size-100").c_str(), 100000, 700000));
    made(::lchown(at("linked").c_str(), 65534, 65534));
    setModified(at("size-1"), -1000000, 5);
    setModified(at("size-60"), 2200000000, 999999999);
    setModified(at("size-61"), 9000000000, 1);
    made(::setxattr(at("size-150").c_str(), "user.note", std::string(700, 'v').data(), 700, 0));
    made(::setxattr(at("size-160").c_str(), "user.large", std::string(5000, 'v').data(), 5000, 0));
    const int fd = ::open(mount.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    ::syncfs(fd);
    ::close(fd);
}

std::string imageOfDrive(const TestFolder& t, const std::string& mkfs, unsigned megabytes, unsigned manyFiles)
{
    const LoopMount mount(t / "drive", mkfs, megabytes);
    fillDrive(mount.path(), manyFiles);
    REQUIRE(::umount2(mount.path().c_str(), 0) == 0);
    return readAll(mount.image());
}

namespace {

ScanResult scanned(const std::string& mount, ScanMethod method)
{
    ScanOptions options;
    options.method = method;
    auto result = scan(mount, options);
    REQUIRE(result);
    return *result;
}

} // namespace

ScanResult walked(const std::string& mount)
{
    return scanned(mount, ScanMethod::Walk);
}

ScanResult readDirectly(const std::string& mount)
{
    // What was changed in the moment before the scan begins is the kernel's to say.
    ::usleep(250000);
    return scanned(mount, ScanMethod::Best);
}

std::string described(const ScanResult& result)
{
    return describe(*result.tree);
}

std::string difference(const std::string& a, const std::string& b)
{
    std::istringstream left(a), right(b);
    std::string out, l, r;
    for (int lines = 0; lines < 5;) {
        const bool more = static_cast<bool>(std::getline(left, l));
        const bool also = static_cast<bool>(std::getline(right, r));
        if (!more && !also)
            break;
        if (!more || !also || l != r) {
            out += "- " + (more ? l : "") + "\n+ " + (also ? r : "") + "\n";
            ++lines;
        }
    }
    return out;
}

} // namespace kurvo::test
