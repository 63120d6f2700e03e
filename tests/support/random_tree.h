// SPDX-License-Identifier: GPL-3.0-or-later
// Trees in memory for property tests: the same for the same seed.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo::test {

/// A description of a tree that is easy to write down and to count.
struct Sapling {
    std::string name;
    std::uint64_t bytes = 0; ///< apparent; on disk as many blocks of 512 as hold them
    std::vector<Sapling> children;
    bool folder = false;
    std::uint64_t inode = 0;
    std::uint32_t links = 1;
    std::int64_t modified = 1700000000;
    std::uint32_t owner = 0;
};

Sapling file(std::string name, std::uint64_t bytes);
Sapling folder(std::string name, std::vector<Sapling> children);

/// Folders have no blocks of their own, so that sums are those of the files.
std::shared_ptr<const FileTree> plant(const Sapling& root);

/// Up to a few hundred entries: odd names, hidden ones, empty folders, zero and huge sizes, hard links.
std::shared_ptr<const FileTree> randomTree(std::uint64_t seed);

/// Everything that a tree says, a line an entry, in an order that does not depend on ids.
std::string describe(const FileTree& tree);

} // namespace kurvo::test
