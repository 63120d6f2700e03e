// SPDX-License-Identifier: GPL-3.0-or-later
// Real folders, mounts and users for tests.
#pragma once

#include <cstdint>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/platform/folders.h"
#include "core/tree/file_tree.h"

namespace kurvo::test {

inline constexpr std::int64_t day = 86400; ///< in seconds

/// A folder below the temporary directory that is removed at the end, whatever is in it.
class TestFolder {
public:
    TestFolder();
    ~TestFolder();
    TestFolder(const TestFolder&) = delete;
    TestFolder& operator=(const TestFolder&) = delete;

    const std::string& path() const { return path_; }
    std::string operator/(const std::string& name) const { return path_ + "/" + name; }

    /// Makes a file of `size` bytes, allocated, with its folders; returns its path.
    std::string file(const std::string& name, std::uint64_t size = 0, std::int64_t modified = 1750000000) const;
    /// Makes a file with this content.
    std::string text(const std::string& name, const std::string& content) const;
    std::string folder(const std::string& name) const;
    void symlink(const std::string& target, const std::string& name) const;
    void link(const std::string& from, const std::string& to) const;

    /// A user whose home, data and trash lie in `home/` of this folder.
    UserFolders user() const;

private:
    std::string path_;
};

bool exists(const std::string& path);
bool isLink(const std::string& path);
std::string readAll(const std::string& path);
void writeAll(const std::string& path, const std::string& content);
std::uint64_t inodeOf(const std::string& path);
std::vector<std::string> namesIn(const std::string& folder);
void setModified(const std::string& path, std::int64_t seconds, std::int64_t nanoseconds = 0);

/// True when this process is root and may mount.
bool canMount();

/// A tmpfs mounted on `path` (which is made) while this lives.
class TmpfsMount {
public:
    TmpfsMount(std::string path, const std::string& options = "size=8m");
    ~TmpfsMount();
    const std::string& path() const { return path_; }

private:
    std::string path_;
};

/// Runs `work` in a child process as the user nobody (when this process is root) and returns its exit status: 0 when
/// `work` returned true.
int asNobody(const std::function<bool()>& work);

/// The figures of a folder worked out the slow and obvious way, with lstat and sorted paths; shares no code with the
/// scan.
struct Recount {
    struct Totals {
        std::uint64_t files = 0, folders = 0, apparent = 0, disk = 0;
        bool operator==(const Totals&) const = default;
    };
    struct File {
        std::string path;
        std::uint64_t disk = 0, apparent = 0;
        std::int64_t modified = 0;
        bool hidden = false;
        bool operator==(const File&) const = default;
    };
    Totals all;
    std::uint64_t hiddenFiles = 0, hiddenDisk = 0, unreadable = 0;
    std::map<std::string, Totals> folders; ///< every folder by path, the root among them
    std::vector<File> files;               ///< largest first, then by path
};
Recount recount(const std::string& root);

} // namespace kurvo::test
