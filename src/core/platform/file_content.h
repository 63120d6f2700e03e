// SPDX-License-Identifier: GPL-3.0-or-later
// Reading what is in a file, and making sure that it is the file a scan saw, before and after. Never waits for the
// other end of a pipe, follows no link as the last component, and leaves the access time alone where the system allows
// it.
#pragma once

#include <compare>
#include <cstdint>
#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/entry_stat.h"
#include "core/platform/unique_fd.h"

namespace kurvo {

/// 128 bits of XXH3 (xxHash 0.8, 128-bit variant).
struct ContentHash {
    std::uint64_t high = 0, low = 0;
    auto operator<=>(const ContentHash&) const = default;
};

/// What a scan knew of a file.
struct SeenFile {
    std::uint64_t inode = 0;
    std::uint64_t size = 0;
    std::int64_t modified = 0;
    std::uint32_t modifiedNs = 0;
};

/// An open regular file. Not thread-safe.
class FileContent {
public:
    /// Changed when something else stands at the path, or it was written to since.
    static Result<FileContent> open(const std::string& path, const SeenFile& seen);

    /// Of the first and the last `blockSize` bytes; of all of it when it is no longer than both.
    static constexpr std::size_t blockSize = 4096;
    Result<ContentHash> hashEnds();
    /// Of all of it. `onBytes` is told how many more were read. Cancelled on request.
    Result<ContentHash> hashWhole(std::vector<char>& buffer, std::stop_token stop,
                                  const std::function<void(std::uint64_t)>& onBytes);
    /// Where its blocks lie on the disk: the same for files that share all their blocks. 0 where the filesystem does
    /// not tell, or nothing is shared.
    std::uint64_t sharedBlocks() const;
    /// Changed when it was written to since it was opened.
    Result<Done> verify() const;

    int fd() const { return fd_.get(); }

private:
    FileContent(UniqueFd fd, std::string path, SeenFile seen) : fd_(std::move(fd)), path_(std::move(path)), seen_(seen)
    {
    }
    Result<std::size_t> readAt(char* to, std::size_t size, std::uint64_t offset) const;

    UniqueFd fd_;
    std::string path_;
    SeenFile seen_;
};

/// Byte by byte. The error says which file could not be read, or that it changed.
Result<bool> sameContent(const std::string& a, const SeenFile& seenA, const std::string& b, const SeenFile& seenB,
                         std::stop_token stop = {});

} // namespace kurvo
