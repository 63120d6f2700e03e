// SPDX-License-Identifier: GPL-3.0-or-later
#include "support/test_tree.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <set>
#include <sstream>
#include <stdexcept>

#include "core/platform/unique_fd.h"
#include "support/other_reader.h"

namespace kurvo::test {
namespace fs = std::filesystem;

namespace {

void must(bool done, const std::string& what)
{
    if (!done)
        throw std::runtime_error("test set-up failed: " + what + ": " + std::to_string(errno));
}

} // namespace

TestFolder::TestFolder()
{
    path_ = fs::canonical(fs::temp_directory_path()).string() + "/kurvo-test-XXXXXX";
    must(::mkdtemp(path_.data()) != nullptr, "mkdtemp");
    must(::chmod(path_.c_str(), 0755) == 0, "chmod");
}

TestFolder::~TestFolder()
{
    checkSnapshotsIn(path_);
    // Deeper than any path may be, without permission, or odd: rm copes with all of it.
    const auto command = "chmod -R u+rwx '" + path_ + "' 2>/dev/null; rm -rf '" + path_ + "'";
    [[maybe_unused]] const int ignored = std::system(command.c_str());
}

std::string TestFolder::file(const std::string& name, std::uint64_t size, std::int64_t modified) const
{
    const auto path = *this / name;
    fs::create_directories(fs::path(path).parent_path());
    UniqueFd fd(::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644));
    must(static_cast<bool>(fd), path);
    if (size > 0)
        must(::posix_fallocate(fd.get(), 0, static_cast<off_t>(size)) == 0, path);
    const timespec times[2] = {{modified, 0}, {modified, 0}};
    ::futimens(fd.get(), times);
    return path;
}

std::string TestFolder::text(const std::string& name, const std::string& content) const
{
    const auto path = *this / name;
    fs::create_directories(fs::path(path).parent_path());
    writeAll(path, content);
    return path;
}

std::string TestFolder::folder(const std::string& name) const
{
    fs::create_directories(*this / name);
    return *this / name;
}

void TestFolder::symlink(const std::string& target, const std::string& name) const
{
    must(::symlink(target.c_str(), (*this / name).c_str()) == 0, name);
}

void TestFolder::link(const std::string& from, const std::string& to) const
{
    fs::create_directories(fs::path(*this / to).parent_path());
    must(::link((*this / from).c_str(), (*this / to).c_str()) == 0, to);
}

UserFolders TestFolder::user() const
{
    UserFolders user;
    user.home = folder("home");
    user.data = *this / "home/data";
    user.config = *this / "home/config";
    user.uid = ::geteuid();
    return user;
}

bool exists(const std::string& path)
{
    struct stat s { };
    return ::lstat(path.c_str(), &s) == 0;
}

bool isLink(const std::string& path)
{
    struct stat s { };
    return ::lstat(path.c_str(), &s) == 0 && S_ISLNK(s.st_mode);
}

std::string readAll(const std::string& path)
{
    std::ifstream in(path, std::ios::binary);
    std::ostringstream out;
    out << in.rdbuf();
    return out.str();
}

void writeAll(const std::string& path, const std::string& content)
{
    std::ofstream out(path, std::ios::binary | std::ios::trunc);
    out << content;
    must(out.good(), path);
}

std::uint64_t inodeOf(const std::string& path)
{
    struct stat s { };
    must(::lstat(path.c_str(), &s) == 0, path);
    return s.st_ino;
}

std::vector<std::string> namesIn(const std::string& folder)
{
    std::vector<std::string> names;
    if (exists(folder))
        for (const auto& entry : fs::directory_iterator(folder))
            names.push_back(entry.path().filename().string());
    std::sort(names.begin(), names.end());
    return names;
}

void setModified(const std::string& path, std::int64_t seconds, std::int64_t nanoseconds)
{
    const timespec times[2] = {{seconds, nanoseconds}, {seconds, nanoseconds}};
    must(::utimensat(AT_FDCWD, path.c_str(), times, AT_SYMLINK_NOFOLLOW) == 0, path);
}

bool canMount()
{
    if (::geteuid() != 0)
        return false;
    TestFolder probe;
    const auto at = probe.folder("mount");
    if (::mount("tmpfs", at.c_str(), "tmpfs", 0, "size=64k") != 0)
        return false;
    ::umount(at.c_str());
    return true;
}

TmpfsMount::TmpfsMount(std::string path, const std::string& options) : path_(std::move(path))
{
    fs::create_directories(path_);
    must(::mount("tmpfs", path_.c_str(), "tmpfs", 0, options.c_str()) == 0, "mount " + path_);
    ::chmod(path_.c_str(), 0755);
}

TmpfsMount::~TmpfsMount()
{
    ::umount2(path_.c_str(), MNT_DETACH);
}

int asNobody(const std::function<bool()>& work)
{
    const auto child = ::fork();
    if (child == 0) {
        constexpr uid_t nobody = 65534;
        if (::geteuid() == 0 && (::setresgid(nobody, nobody, nobody) != 0 || ::setresuid(nobody, nobody, nobody) != 0))
            ::_exit(99);
        bool good = false;
        try {
            good = work();
        } catch (...) {
        }
        ::_exit(good ? 0 : 1);
    }
    int status = 0;
    ::waitpid(child, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : 255;
}

namespace {

struct RawEntry {
    std::string path;
    struct stat stat { };
};

void collect(const std::string& folder, std::vector<RawEntry>& out, std::uint64_t& unreadable)
{
    DIR* dir = ::opendir(folder.c_str());
    if (!dir) {
        ++unreadable;
        return;
    }
    std::vector<std::string> names;
    while (const dirent* entry = ::readdir(dir))
        if (std::string(entry->d_name) != "." && std::string(entry->d_name) != "..")
            names.emplace_back(entry->d_name);
    ::closedir(dir);
    for (const auto& name : names) {
        RawEntry entry{folder + "/" + name, {}};
        if (::lstat(entry.path.c_str(), &entry.stat) != 0) {
            ++unreadable;
            continue;
        }
        out.push_back(entry);
        if (S_ISDIR(entry.stat.st_mode))
            collect(entry.path, out, unreadable);
    }
}

bool isHiddenBelow(const std::string& path, const std::string& root)
{
    return path.substr(root.size()).find("/.") != std::string::npos;
}

} // namespace

Recount recount(const std::string& root)
{
    Recount result;
    std::vector<RawEntry> entries;
    collect(root, entries, result.unreadable);
    std::sort(entries.begin(), entries.end(), [](const RawEntry& a, const RawEntry& b) { return a.path < b.path; });
    struct stat top { };
    ::lstat(root.c_str(), &top);
    result.folders[root].disk = static_cast<std::uint64_t>(top.st_blocks) * 512;
    std::set<std::pair<dev_t, ino_t>> seen;
    for (const auto& entry : entries) {
        const bool isFolder = S_ISDIR(entry.stat.st_mode);
        const bool sized = S_ISREG(entry.stat.st_mode) || S_ISLNK(entry.stat.st_mode);
        std::uint64_t disk = static_cast<std::uint64_t>(entry.stat.st_blocks) * 512;
        std::uint64_t apparent = sized ? static_cast<std::uint64_t>(entry.stat.st_size) : 0;
        if (!isFolder && entry.stat.st_nlink > 1 && !seen.insert({entry.stat.st_dev, entry.stat.st_ino}).second)
            disk = apparent = 0;
        const bool hidden = isHiddenBelow(entry.path, root);
        if (isFolder)
            result.folders[entry.path].disk += disk;
        for (auto above = entry.path; above != root;) {
            above = above.substr(0, above.rfind('/'));
            auto& totals = result.folders[above];
            totals.files += isFolder ? 0 : 1;
            totals.folders += isFolder ? 1 : 0;
            totals.apparent += apparent;
            totals.disk += disk;
        }
        result.hiddenDisk += hidden ? disk : 0;
        if (!isFolder) {
            result.hiddenFiles += hidden ? 1 : 0;
            result.files.push_back({entry.path, disk, apparent, entry.stat.st_mtime, hidden});
        }
    }
    result.all = result.folders[root];
    std::sort(result.files.begin(), result.files.end(), [](const Recount::File& a, const Recount::File& b) {
        return a.disk != b.disk ? a.disk > b.disk : a.path < b.path;
    });
    return result;
}

} // namespace kurvo::test
