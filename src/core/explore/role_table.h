// SPDX-License-Identifier: GPL-3.0-or-later
// What the files below a folder are there for, role by role, and where those of a role lie.
#pragma once

#include "core/advice/tree_advice.h"
#include "core/explore/type_table.h"

namespace kurvo {

struct RoleRow {
    Role role = Role::NotKnown;
    TypeFigures figures;
};
struct RoleTable {
    std::vector<RoleRow> roles; ///< only those that are there; largest first
    std::uint64_t total = 0;
};
/// Files only: folders' own blocks are left out, as in the table of types. One pass.
RoleTable roleTable(const FileTree& tree, const TreeAdvice& advice, NodeId top, Measure measure);

/// The places of a role below `top`, those with most first: the topmost folders that are there for it, and the folders
/// in which further files of it lie.
std::vector<TypeFolder> foldersOfRole(const FileTree& tree, const TreeAdvice& advice, NodeId top, Role role,
                                      Measure measure, std::size_t most);

/// By id: the files of a role.
std::vector<bool> filesOfRole(const FileTree& tree, const TreeAdvice& advice, Role role);

} // namespace kurvo
