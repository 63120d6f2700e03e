// SPDX-License-Identifier: GPL-3.0-or-later
// What explains most of a change: the few places that make it up.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/compare/comparison.h"

namespace kurvo {

struct Explanation {
    std::vector<NodeId> nodes; ///< of Comparison::tree(), largest amount first; none lies in another
    double share = 0;          ///< of the amount of change at the top, 0 to 1
};

/// From `top` down as long as a few entries hold nearly all of what their folder changed by; where it spreads out, that
/// folder is the place. At most some twenty, and as few as make up `wanted` of the change; fewer than that where the
/// change lies scattered.
Explanation placesThatExplain(const Comparison& comparison, Measure measure, NodeId top = rootNode,
                              double wanted = 0.9);

/// A place that takes more space than it did.
struct Growth {
    std::string path; ///< as it is now; bytes
    std::uint64_t bytes = 0;
};
/// Of the places that explain the change the one that grew most; nothing where none grew.
std::optional<Growth> grewMost(const Comparison& comparison, Measure measure);

/// What changed, by a property of the files: by family, or by owner.
struct ChangeGroup {
    std::uint32_t key = 0; ///< Family as a number, or uid
    ChangeSums sums;
    std::uint64_t entries = 0;
};
/// Largest amount first. Folders' own blocks are left out of the families.
std::vector<ChangeGroup> changesByFamily(const Comparison& comparison, Measure measure, NodeId top = rootNode);
std::vector<ChangeGroup> changesByOwner(const Comparison& comparison, Measure measure, NodeId top = rootNode);

} // namespace kurvo
