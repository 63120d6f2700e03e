// SPDX-License-Identifier: GPL-3.0-or-later
// A sketch of a drive: folders and files with sizes and dates that nobody has to store. Everything about an entry
// follows from its path, so the same entry is the same in every month's snapshot.
#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "core/tree/node_store.h"

namespace kurvo::demo {

inline constexpr std::uint64_t KiB = 1024, MiB = 1024 * KiB, GiB = 1024 * MiB;

/// Seconds since 1970 of a day in UTC.
std::int64_t day(int year, int month, int dayOfMonth, int hour = 12);

/// A number from the seed and a key: the same on every machine.
std::uint64_t chance(std::string_view key, std::uint64_t below);

class Sketch {
public:
    struct Entry {
        std::string name;
        EntryStat stat;
        std::uint16_t flags = 0;
        std::vector<std::size_t> children;
    };

    /// `rootPath` is where the drive is mounted; paths below are relative to it, with a leading '/'.
    explicit Sketch(const std::string& rootPath = "/");

    /// The folder at `path` ("/var/log"), made with its parents where it is missing; new ones belong to `uid`.
    std::size_t folder(const std::string& path, std::uint32_t uid = 0, std::int64_t modified = day(2025, 9, 1));
    /// A file of `size` bytes, allocated in whole 4 KiB blocks. `identity` stands for the path where a file moved and
    /// must keep its inode and times.
    Entry& file(std::size_t folder, const std::string& name, std::uint64_t size, std::int64_t modified,
                std::uint32_t uid = 0, const std::string& identity = {});
    Entry& entry(std::size_t index) { return entries_[index]; }
    const std::string& pathOf(std::size_t folder) const { return paths_[folder]; }

    std::shared_ptr<const NodeStore> build() const;

private:
    std::deque<Entry> entries_;
    std::deque<std::string> paths_;
};

} // namespace kurvo::demo
