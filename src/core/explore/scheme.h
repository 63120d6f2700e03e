// SPDX-License-Identifier: GPL-3.0-or-later
// Scheme: into which class each entry falls by what the pictures are coloured by. A folder has the class that fills
// most of it. What has a class can be summed (the legend) and lit up.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <vector>

#include "core/advice/tree_advice.h"
#include "core/marks/marks.h"
#include "core/tree/matching.h"
#include "core/types/file_types.h"

namespace kurvo {

enum class ColourBy : std::uint8_t { Family, Age, Hidden, Owner, Growth, Mark, Role };
inline constexpr std::size_t colourSchemes = 7;
inline constexpr std::size_t mostClasses = 10;

/// By the time since the last change; a date in the future counts as new.
enum class AgeClass : std::uint8_t { Week, Month, Quarter, Year, TwoYears, FiveYears, Older };
inline constexpr std::size_t ageClasses = 7;
/// By the change of size against an earlier scan.
enum class GrowthClass : std::uint8_t { ShrankMuch, Shrank, Same, Grew, GrewMuch, New };
inline constexpr std::size_t growthClasses = 6;

AgeClass ageClass(std::int64_t modified, std::int64_t now);
/// Much: by more than a half of the larger of both; same: within a fiftieth.
GrowthClass growthClass(std::uint64_t before, std::uint64_t now, bool isNew);

/// Immutable once made; may be read from any thread.
class Scheme {
public:
    /// By family, from what is known of the folders already.
    Scheme(std::shared_ptr<const FileTree> tree, std::shared_ptr<const std::vector<Family>> dominant);
    /// One pass over the tree (about 30 ms a million entries). `now`: the moment ages are counted from. Growth needs
    /// `earlier`, whose later tree is `tree`; marks need `marks`, and roles `advice`,
    /// which are those of `tree`.
    Scheme(std::shared_ptr<const FileTree> tree, ColourBy by, std::int64_t now,
           std::shared_ptr<const Matching> earlier = nullptr, std::shared_ptr<const TreeMarks> marks = nullptr,
           std::shared_ptr<const TreeAdvice> advice = nullptr);

    ColourBy by() const { return by_; }
    std::size_t classes() const;
    /// True for another look at what it was made of, so that the ids are the same.
    bool fits(const FileTree& tree) const { return tree.sharedStore() == tree_->sharedStore(); }
    unsigned classOf(NodeId node) const;
    /// By owner: the uid of a class, the largest first; none for the last, which stands for all others.
    std::optional<std::uint32_t> ownerOf(unsigned ownerClass) const;
    /// By mark: the kind of a class; null for the last, which stands for what has none.
    const MarkKind* markOf(unsigned markClass) const;
    const Matching* matching() const { return earlier_.get(); }

private:
    unsigned fileClass(NodeId file) const;
    void rankOwners();

    std::shared_ptr<const FileTree> tree_;
    ColourBy by_ = ColourBy::Family;
    std::int64_t now_ = 0;
    std::shared_ptr<const Matching> earlier_;
    std::shared_ptr<const TreeMarks> marks_;
    std::shared_ptr<const TreeAdvice> advice_;
    std::shared_ptr<const std::vector<Family>> families_;
    std::vector<std::uint8_t> folders_; ///< by folder index
    std::vector<std::uint32_t> owners_; ///< by rank
};

struct ClassMix {
    std::array<std::uint64_t, mostClasses> size{};
    std::array<std::uint64_t, mostClasses> files{};
    std::uint64_t total = 0;
};
/// What lies below `top`, folders' own blocks left out.
ClassMix mixOf(const FileTree& tree, const Scheme& scheme, NodeId top, Measure measure);

/// What is lit up in the pictures: some classes of a scheme, one type, or files that were found.
struct Lit {
    ColourBy by = ColourBy::Family;
    std::uint16_t classes = 0;                                ///< one bit a class
    FileType type = 0;                                        ///< instead of the classes when not 0
    std::shared_ptr<const std::vector<bool>> files = nullptr; ///< by id; instead of both

    bool any() const { return classes != 0 || type != 0 || files; }
    bool operator==(const Lit&) const = default;
};
/// Whether a file is lit. `scheme` is asked only for other classes than families.
bool isLit(const FileTree& tree, const Lit& lit, const Scheme& scheme, NodeId file);
/// By folder index: how much of each folder is lit. One pass.
std::vector<std::uint64_t> litSums(const FileTree& tree, const Lit& lit, const Scheme& scheme, Measure measure);

} // namespace kurvo
