// SPDX-License-Identifier: GPL-3.0-or-later
// Comparison: what changed between two trees of one place, as a tree of its own that holds only what changed and the
// folders on the way to it, so that every list and picture that draws a tree can draw the change.
//
// Each entry stands at its path below the root, whichever of the two trees has it. What moved stands at both paths. At
// every folder: now - before = grown - shrunk + moved in - moved out + not comparable, to the byte.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/find/filter.h"
#include "core/snapshot/snapshot.h"
#include "core/tree/matching.h"

namespace kurvo {

enum class Change : std::uint8_t {
    None,     ///< itself the same; of a folder: something below changed
    Appeared, ///< with everything in it, but for what was moved there
    Vanished, ///< with everything in it, but for what was moved away
    Grew,     ///< takes more space; a folder: its own blocks
    Shrank,
    Moved,     ///< stands here now, and stood elsewhere
    MovedAway, ///< stood here, and stands elsewhere now
    NotSeen    ///< could not be seen in one of the two: not read, not reached, left out, or covered by a mount
};
/// "appeared", "moved away": as scripts and lists have it.
const char* changeName(Change change);

/// What changed in a subtree, in one measure. In `now` minus `before`, `notSeen` is signed by which tree has it.
struct ChangeSums {
    std::uint64_t grown = 0, shrunk = 0;
    std::uint64_t movedIn = 0, movedOut = 0;
    std::int64_t notSeen = 0;

    std::int64_t net() const
    {
        return static_cast<std::int64_t>(grown + movedIn) - static_cast<std::int64_t>(shrunk + movedOut) + notSeen;
    }
    std::uint64_t amount() const { return grown + shrunk; }
    void add(const ChangeSums& other);
};

struct CompareOptions {
    /// Both are of one filesystem, so that an inode number means the same entry in both.
    bool sameDrive = true;
    /// Globs that each of the scans left out: what only the other has and they match was not seen, rather than new or
    /// gone.
    std::vector<std::string> excludedNow{}, excludedBefore{};
};
/// For the trees of these two snapshots.
CompareOptions compareOptions(const SnapshotInfo& now, const SnapshotInfo& before);

/// Immutable once made; may be read from any thread.
class Comparison {
public:
    /// Compares by the path below the two roots. Half a second for a million entries of which few changed; beyond the
    /// two trees 12 bytes an entry and some 80 more for each that changed. Null when it was stopped.
    static std::shared_ptr<const Comparison> make(std::shared_ptr<const FileTree> now,
                                                  std::shared_ptr<const FileTree> before,
                                                  const CompareOptions& options = {}, std::stop_token stop = {});

    const FileTree& now() const { return matching_->now(); }
    const FileTree& before() const { return matching_->before(); }
    const std::shared_ptr<const Matching>& matching() const { return matching_; }

    /// The tree of changes. An entry's size is the amount of its change, whichever way; what moved has none.
    const std::shared_ptr<const FileTree>& tree() const { return tree_; }
    /// The two sides of an entry of that tree; noNode where there is none. Of what moved: both, at either of its paths.
    NodeId nowOf(NodeId node) const { return sides_[node].now; }
    NodeId beforeOf(NodeId node) const { return sides_[node].before; }
    Change change(NodeId node) const { return sides_[node].change; }
    /// Of everything at and below an entry of that tree.
    ChangeSums sums(NodeId node, Measure measure) const;
    /// The whole difference, now - before.
    std::int64_t net(NodeId node, Measure measure) const { return sums(node, measure).net(); }
    /// The entry of that tree for a node of `now`; noNode where nothing changed there.
    NodeId atNow(NodeId node) const { return lookedUp(byNow_, node); }
    NodeId atBefore(NodeId node) const { return lookedUp(byBefore_, node); }
    /// Where it stood, for what moved and what is gone, else where it stands.
    std::string pathBefore(NodeId node) const { return before().path(beforeOf(node)); }

private:
    struct Sides {
        NodeId now = noNode, before = noNode;
        Change change = Change::None;
    };
    friend class ComparisonBuilder;
    Comparison() = default;
    ChangeSums own(NodeId node, Measure measure) const;
    static NodeId lookedUp(const std::vector<std::pair<NodeId, NodeId>>& index, NodeId node);

    std::shared_ptr<const Matching> matching_;
    std::shared_ptr<const FileTree> tree_;
    std::vector<Sides> sides_;
    std::vector<std::pair<NodeId, NodeId>> byNow_, byBefore_; ///< node of either tree, and its entry; sorted
    std::array<std::vector<ChangeSums>, 3> sums_;             ///< by measure and folder index
};

/// One change, as people count them: an appeared, vanished or moved folder is one.
struct ChangeLine {
    NodeId node = noNode; ///< of Comparison::tree()
    Change change = Change::None;
    std::int64_t delta = 0;  ///< without what has a line of its own further down
    std::uint64_t size = 0;  ///< as it is now; before, for what vanished
    std::uint64_t files = 0; ///< that are in it, itself included
};

struct ChangeListOptions {
    Measure measure = Measure::Disk;
    bool eachEntry = false; ///< one line for each file and folder instead
    NodeId top = rootNode;  ///< of Comparison::tree(): only what is at or below
};

/// The largest change first, then by path; the sum of their deltas is the net change, what could not be compared left
/// out.
std::vector<ChangeLine> changeList(const Comparison& comparison, const ChangeListOptions& options = {});

/// The lines that match, in their order. `context` needs no facts of changes.
std::vector<ChangeLine> matchingLines(const std::shared_ptr<const Comparison>& comparison,
                                      const std::vector<ChangeLine>& lines, const Filter& filter,
                                      FilterContext context);

} // namespace kurvo
