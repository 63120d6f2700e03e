// SPDX-License-Identifier: GPL-3.0-or-later
// What the rules say of every entry of a tree: which of them speaks, how careful it makes one, and the entry's role.
#pragma once

#include <array>
#include <vector>

#include "core/advice/role.h"
#include "core/advice/rule_book.h"

namespace kurvo {

/// By node id. Entries that no rule speaks of are 'your call'.
struct TreeAdvice {
    static constexpr std::uint16_t noRule = 0xFFFF;
    std::vector<std::uint16_t> rules; ///< index into RuleBook::rules(), or noRule
    std::vector<AdviceLevel> levels;
    std::vector<Role> roles; ///< of a folder: what its place is for, whatever lies in it
};

/// One walk by several threads. Never says "usually safe" of what belongs to the system.
TreeAdvice adviseTree(const RuleBook& book, const FileTree& tree);

/// By role: bytes on disk and files below `top`, the own blocks of folders among the bytes. One pass.
struct RoleFigures {
    std::uint64_t disk = 0, apparent = 0, files = 0;
    std::uint64_t measured(Measure measure) const
    {
        return measure == Measure::Disk ? disk : measure == Measure::Apparent ? apparent : files;
    }
};
std::array<RoleFigures, roleCount> rolesBelow(const FileTree& tree, const TreeAdvice& advice, NodeId top = rootNode);

} // namespace kurvo
