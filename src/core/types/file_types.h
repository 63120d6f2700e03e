// SPDX-License-Identifier: GPL-3.0-or-later
// What a file is, told by its name: type (WAV audio) and family (Audio). Names follow the MIME names of the
// freedesktop.org shared MIME database where there is one.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <string_view>
#include <vector>

#include "core/tree/growing_tree.h"

namespace kurvo {

/// Groups of types; each has one fixed colour everywhere.
enum class Family : std::uint8_t {
    Video,
    Audio,
    Pictures,
    Documents,
    Archives,
    DiskImages,
    Databases,
    Programs,
    Logs,
    Unknown
};
inline constexpr std::size_t familyCount = 10;

const char* familyName(Family family);

/// Index into the table of types; 0 is "unknown". Not stable between versions: it is never written to a file.
using FileType = std::uint16_t;

struct TypeInfo {
    std::string_view extension; ///< lower case, without its dot; empty for "unknown"
    Family family;
    std::string_view name; ///< for people: "WAV audio"
};

/// By extension, ASCII case ignored; also names without one that say what they are ("core.1234", "Makefile", ".so.6").
/// About 40 ns.
FileType typeOfName(std::string_view name);
/// Its entries without a known type and without a dot are programs: "bin", "sbin", "libexec", by the folder's name.
bool holdsPrograms(std::string_view folder);
/// What is in such a folder, where its name says nothing.
FileType typeAmongPrograms(std::string_view name);
const TypeInfo& typeInfo(FileType type);

/// Bytes on disk by family below a node.
struct FamilyMix {
    std::array<std::uint64_t, familyCount> disk{};
    std::array<std::uint64_t, familyCount> files{};
    std::uint64_t total = 0;
    Family largest() const;
};
/// Visits the whole subtree (about 20 ms a million entries).
FamilyMix familyMix(const FileTree& tree, NodeId top);

/// By folder index: the family that fills most of each folder. One pass over the tree.
std::shared_ptr<const std::vector<Family>> dominantFamilies(const FileTree& tree);

/// The same for the looks at one growing tree, each of which costs only what came since the one before.
class GrowingFamilies {
public:
    std::shared_ptr<const std::vector<Family>> look(const FileTree& tree);

private:
    NodeId seen_ = 0;
    std::vector<std::array<std::uint64_t, familyCount>> sums_;
    std::vector<Family> families_;
};

} // namespace kurvo
