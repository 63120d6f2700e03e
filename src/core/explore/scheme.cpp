// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/explore/scheme.h"

#include <algorithm>
#include <map>
#include <utility>

#include "core/tree/stretches.h"

namespace kurvo {
namespace {

constexpr std::int64_t day = 86400;
constexpr std::array<std::int64_t, ageClasses - 1> ageLimits{7 * day,   30 * day,      91 * day,
                                                             365 * day, 2 * 365 * day, 5 * 365 * day};

/// Adds a value of each file to the folders above it: the files side by side in stretches, then one pass backwards over
/// the folders, as children have larger ids. A folder that was taken out adds nothing to those above it.
template <typename Sums, typename AddFile, typename AddSums>
void addUpwards(const FileTree& tree, std::vector<Sums>& sums, const AddFile& addFile, const AddSums& addSums)
{
    const auto& store = tree.store();
    const auto nodes = tree.extent().nodes;
    sums.assign(tree.extent().folders, {});
    const bool some = !tree.removed().empty();
    std::vector<std::vector<NodeId>> folders(stretchesOf(store, nodes).size());
    forEachStretch(stretchesOf(store, nodes), [&](std::size_t part, NodeId from, NodeId to) {
        Sums* above = nullptr;
        NodeId folder = noNode;
        for (NodeId node = from; node < to; ++node) {
            if (some && tree.isRemoved(node))
                continue;
            if (store.isFolder(node)) {
                folders[part].push_back(node);
                continue;
            }
            if (store.parent(node) != folder) {
                folder = store.parent(node);
                above = &sums[store.folderIndex(folder)];
            }
            addFile(*above, node);
        }
    });
    for (auto part = folders.rbegin(); part != folders.rend(); ++part)
        for (auto node = part->rbegin(); node != part->rend(); ++node)
            addSums(sums[store.folderIndex(store.parent(*node))], sums[store.folderIndex(*node)]);
}

} // namespace

AgeClass ageClass(std::int64_t modified, std::int64_t now)
{
    const auto limit = std::upper_bound(ageLimits.begin(), ageLimits.end(), now - modified);
    return static_cast<AgeClass>(limit - ageLimits.begin());
}

GrowthClass growthClass(std::uint64_t before, std::uint64_t now, bool isNew)
{
    if (isNew)
        return GrowthClass::New;
    const auto larger = std::max(before, now);
    const auto change = larger - std::min(before, now);
    if (change <= larger / 50)
        return GrowthClass::Same;
    const bool much = change > larger / 2;
    if (now > before)
        return much ? GrowthClass::GrewMuch : GrowthClass::Grew;
    return much ? GrowthClass::ShrankMuch : GrowthClass::Shrank;
}

Scheme::Scheme(std::shared_ptr<const FileTree> tree, std::shared_ptr<const std::vector<Family>> dominant)
    : tree_(std::move(tree)), families_(std::move(dominant))
{
}

Scheme::Scheme(std::shared_ptr<const FileTree> tree, ColourBy by, std::int64_t now,
               std::shared_ptr<const Matching> earlier, std::shared_ptr<const TreeMarks> marks,
               std::shared_ptr<const TreeAdvice> advice)
    : tree_(std::move(tree)), by_(by), now_(now), earlier_(std::move(earlier)), marks_(std::move(marks)),
      advice_(std::move(advice))
{
    if (by_ == ColourBy::Family) {
        families_ = dominantFamilies(*tree_);
        return;
    }
    if (by_ == ColourBy::Growth)
        return; // a folder grows by itself, not by what is most in it
    if (by_ == ColourBy::Owner)
        rankOwners();
    using Sums = std::array<std::uint64_t, mostClasses>;
    std::vector<Sums> sums;
    addUpwards(
        *tree_, sums, [this](Sums& above, NodeId file) { above[fileClass(file)] += tree_->disk(file); },
        [](Sums& above, const Sums& below) {
            for (std::size_t i = 0; i < mostClasses; ++i)
                above[i] += below[i];
        });
    folders_.resize(sums.size());
    std::transform(sums.begin(), sums.end(), folders_.begin(), [](const Sums& s) {
        return static_cast<std::uint8_t>(std::max_element(s.begin(), s.end()) - s.begin());
    });
}

void Scheme::rankOwners()
{
    std::map<std::uint32_t, std::uint64_t> bytes;
    const auto& store = tree_->store();
    std::uint32_t last = 0;
    std::uint64_t* sum = nullptr;
    for (NodeId node = 0; node < tree_->extent().nodes; ++node) {
        const auto owner = store.owner(node);
        if (!sum || owner != last)
            sum = &bytes[last = owner];
        *sum += store.ownDisk(node);
    }
    std::vector<std::pair<std::uint64_t, std::uint32_t>> order;
    for (const auto& [owner, size] : bytes)
        order.emplace_back(size, owner);
    std::sort(order.begin(), order.end(), [](const auto& a, const auto& b) {
        return a.first != b.first ? a.first > b.first : a.second < b.second;
    });
    for (std::size_t i = 0; i < std::min(order.size(), mostClasses - 1); ++i)
        owners_.push_back(order[i].second);
}

std::size_t Scheme::classes() const
{
    switch (by_) {
    case ColourBy::Family:
        return familyCount;
    case ColourBy::Age:
        return ageClasses;
    case ColourBy::Hidden:
        return 2;
    case ColourBy::Owner:
        return owners_.size() + 1;
    case ColourBy::Mark:
        return (marks_ ? marks_->book().kinds.size() : 0) + 1;
    case ColourBy::Role:
        return roleGroups;
    case ColourBy::Growth:
        break;
    }
    return growthClasses;
}

std::optional<std::uint32_t> Scheme::ownerOf(unsigned ownerClass) const
{
    return ownerClass < owners_.size() ? std::optional(owners_[ownerClass]) : std::nullopt;
}

const MarkKind* Scheme::markOf(unsigned markClass) const
{
    return marks_ && markClass < marks_->book().kinds.size() ? &marks_->book().kinds[markClass] : nullptr;
}

unsigned Scheme::fileClass(NodeId file) const
{
    const auto& store = tree_->store();
    switch (by_) {
    case ColourBy::Family:
        return static_cast<unsigned>(typeInfo(store.type(file)).family);
    case ColourBy::Age:
        return static_cast<unsigned>(ageClass(store.modified(file), now_));
    case ColourBy::Hidden:
        return store.has(file, FlagHidden) ? 1 : 0;
    case ColourBy::Owner: {
        const auto found = std::find(owners_.begin(), owners_.end(), store.owner(file));
        return static_cast<unsigned>(found - owners_.begin());
    }
    case ColourBy::Mark:
        return marks_ ? static_cast<unsigned>(marks_->kindOf(file)) : 0;
    case ColourBy::Role:
        return static_cast<unsigned>(
            groupOf(advice_ && file < advice_->roles.size() ? advice_->roles[file] : Role::NotKnown));
    case ColourBy::Growth:
        break;
    }
    const NodeId then = earlier_ ? earlier_->earlier(file) : file;
    if (!earlier_)
        return static_cast<unsigned>(GrowthClass::Same);
    const auto was = then == noNode ? 0 : earlier_->before().disk(then);
    return static_cast<unsigned>(growthClass(was, tree_->disk(file), then == noNode));
}

unsigned Scheme::classOf(NodeId node) const
{
    if (!tree_->store().isFolder(node) || by_ == ColourBy::Growth)
        return node < tree_->extent().nodes ? fileClass(node) : 0;
    const auto index = tree_->store().folderIndex(node);
    if (families_)
        return static_cast<unsigned>(index < families_->size() ? (*families_)[index] : Family::Unknown);
    return index < folders_.size() ? folders_[index] : 0;
}

ClassMix mixOf(const FileTree& tree, const Scheme& scheme, NodeId top, Measure measure)
{
    ClassMix mix;
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node))
            return;
        const auto of = scheme.classOf(node);
        const auto size = tree.measured(node, measure);
        mix.size[of] += size;
        ++mix.files[of];
        mix.total += size;
    });
    return mix;
}

bool isLit(const FileTree& tree, const Lit& lit, const Scheme& scheme, NodeId file)
{
    if (lit.files)
        return file < lit.files->size() && (*lit.files)[file];
    const auto type = tree.store().type(file);
    if (lit.type != 0)
        return type == lit.type;
    const auto of = lit.by == ColourBy::Family ? static_cast<unsigned>(typeInfo(type).family) : scheme.classOf(file);
    return (lit.classes >> of & 1) != 0;
}

std::vector<std::uint64_t> litSums(const FileTree& tree, const Lit& lit, const Scheme& scheme, Measure measure)
{
    std::vector<std::uint64_t> sums;
    addUpwards(
        tree, sums,
        [&](std::uint64_t& above, NodeId file) {
            if (isLit(tree, lit, scheme, file))
                above += tree.measured(file, measure);
        },
        [](std::uint64_t& above, std::uint64_t below) { above += below; });
    return sums;
}

} // namespace kurvo
