// SPDX-License-Identifier: GPL-3.0-or-later
// What the files below a folder are, family by family and type by type, and where those of a type lie.
#pragma once

#include <cstdint>
#include <vector>

#include "core/types/file_types.h"

namespace kurvo {

struct TypeFigures {
    std::uint64_t size = 0; ///< by the measure
    std::uint64_t files = 0;
    NodeId largest = noNode;
    std::uint64_t largestSize = 0;
    std::int64_t oldest = INT64_MAX;
    std::uint64_t average() const { return files == 0 ? 0 : size / files; }
    void add(const TypeFigures& more);
};

struct TypeRow {
    FileType type = 0;
    TypeFigures figures;
};

struct FamilyRow {
    Family family = Family::Unknown;
    TypeFigures figures;
    std::vector<TypeRow> types; ///< largest first
};

struct TypeTable {
    std::vector<FamilyRow> families; ///< only those that are there; largest first
    std::uint64_t total = 0;
};

/// Visits everything below `top`: about 15 ms a million files on two processors when `top` is the root.
TypeTable typeTable(const FileTree& tree, NodeId top, Measure measure);

struct TypeFolder {
    NodeId folder = noNode;
    std::uint64_t size = 0;
    std::uint64_t files = 0;
};
/// The folders below `top` in which files of a type lie (not: below which), those with most first.
std::vector<TypeFolder> foldersOfType(const FileTree& tree, NodeId top, FileType type, Measure measure,
                                      std::size_t most);

/// The largest files below `top` whose type the name does not tell.
std::vector<NodeId> largestUnknown(const FileTree& tree, NodeId top, std::size_t most);

} // namespace kurvo
