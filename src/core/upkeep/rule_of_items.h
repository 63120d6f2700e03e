// SPDX-License-Identifier: GPL-3.0-or-later
// A rule made of things that somebody chose and that have nothing else in common.
#pragma once

#include <vector>

#include "core/tree/file_tree.h"
#include "core/upkeep/rule.h"

namespace kurvo {

/// Gives the rule a place and a filter that find what is like these where they lie: a folder stands for the files in
/// it, a file for those of its type beside it. Of several drives only those on the first one's. `items`: of `tree`, at
/// least one. Where there are too many different ones to name: large files below the folder that holds them all.
void speakOfItems(UpkeepRule& rule, const FileTree& tree, std::vector<NodeId> items);

} // namespace kurvo
