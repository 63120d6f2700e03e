// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/types/file_types.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <utility>
#include <vector>

namespace kurvo {
namespace {

constexpr TypeInfo table[] = {
    // "unknown" first, as type 0
    {"", Family::Unknown, "unknown"},
#include "core/types/type_table.inc"
};
constexpr std::size_t tableSize = std::size(table);
static_assert(tableSize <= 1024); // NodeStore keeps a type in ten bits
constexpr std::size_t longestExtension = 10;

/// An extension packed into one number, so that a lookup is one multiplication and, nearly always, one comparison.
using Key = std::array<char, 16>;

Key keyOf(std::string_view extension)
{
    Key key{};
    for (std::size_t i = 0; i < extension.size(); ++i) {
        const char c = extension[i];
        key[i] = c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c;
    }
    return key;
}

std::size_t slotOf(const Key& key, std::size_t slots)
{
    std::uint64_t a = 0, b = 0;
    std::memcpy(&a, key.data(), 8);
    std::memcpy(&b, key.data() + 8, 8);
    const std::uint64_t mixed = (a ^ (b * 0x9E3779B97F4A7C15ull)) * 0xD6E8FEB86659FD93ull; // odd 64-bit constants
    return static_cast<std::size_t>(mixed >> 40) % slots;
}

class ExtensionTable {
public:
    ExtensionTable()
    {
        for (std::size_t i = 1; i < tableSize; ++i) {
            const auto key = keyOf(table[i].extension);
            auto slot = slotOf(key, slots);
            while (types_[slot] != 0)
                slot = (slot + 1) % slots;
            keys_[i] = key;
            types_[slot] = static_cast<FileType>(i);
        }
    }

    FileType find(std::string_view extension) const
    {
        if (extension.empty() || extension.size() > longestExtension)
            return 0;
        const auto key = keyOf(extension);
        for (auto slot = slotOf(key, slots); types_[slot] != 0; slot = (slot + 1) % slots)
            if (keys_[types_[slot]] == key)
                return types_[slot];
        return 0;
    }

private:
    static constexpr std::size_t slots = 2048;
    static_assert(tableSize * 3 < slots);
    std::array<Key, tableSize> keys_{}; ///< by type, so that what a lookup touches stays small
    std::array<FileType, slots> types_{};
};

const ExtensionTable& extensions()
{
    static const ExtensionTable instance;
    return instance;
}

bool isNumber(std::string_view text)
{
    return !text.empty() && std::all_of(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
}

/// Names that say what they are without an extension.
constexpr std::pair<std::string_view, std::string_view> wholeNames[] = {
    {"core", "core"},
    {"swapfile", "swap"},
    {"Makefile", "mk"},
    {"CMakeLists.txt", "cmake"},
    {"README", "txt"},
    {"LICENSE", "txt"},
    {"COPYING", "txt"},
    {"syslog", "log"},
    {"messages", "log"},
    {"kern.log", "log"},
    {"vmlinuz", "vmlinuz"},
    {"initrd.img", "initrd"},
    {".xsession-errors", "log"},
};
constexpr std::pair<std::string_view, std::string_view> namePrefixes[] = {
    {"core.", "core"},        {"vmlinuz-", "vmlinuz"}, {"initrd.img-", "initrd"},
    {"System.map-", "debug"}, {".~lock.", "lock"},
};
constexpr std::string_view prefixBegins = "cviS."; ///< their first letters: most names have none of them
static_assert(std::all_of(std::begin(namePrefixes), std::end(namePrefixes),
                          [](const auto& p) { return prefixBegins.find(p.first.front()) != std::string_view::npos; }));

} // namespace

const char* familyName(Family family)
{
    static constexpr std::array<const char*, familyCount> names{
        "Video",       "Audio",     "Pictures", "Documents",       "Archives",
        "Disk images", "Databases", "Programs", "Logs and caches", "Unknown"};
    return names[static_cast<std::size_t>(family)];
}

FileType typeOfName(std::string_view name)
{
    if (!name.empty() && prefixBegins.find(name.front()) != std::string_view::npos)
        for (const auto& [prefix, extension] : namePrefixes)
            if (name.starts_with(prefix))
                return extensions().find(extension);
    // "recorder.log.1" and "libfoo.so.6.2" are what stands before the numbers.
    auto rest = name;
    for (int cut = 0; cut < 4; ++cut) {
        const auto dot = rest.rfind('.');
        if (dot == std::string_view::npos || dot == 0)
            break;
        const auto extension = rest.substr(dot + 1);
        if (const auto type = extensions().find(extension); type != 0)
            return type;
        if (!isNumber(extension))
            break;
        rest = rest.substr(0, dot);
    }
    // "libfoo.so.1.2-beta"
    if (const auto so = name.rfind(".so.");
        so != std::string_view::npos && so > 0 && so + 4 < name.size() && name[so + 4] >= '0' && name[so + 4] <= '9')
        return extensions().find("so");
    for (const auto& [whole, extension] : wholeNames)
        if (name == whole)
            return extensions().find(extension);
    if (name.ends_with('~'))
        return extensions().find("bak");
    return 0;
}

bool holdsPrograms(std::string_view folder)
{
    folder = folder.substr(folder.rfind('/') + 1); // the root is a path
    return folder == "bin" || folder == "sbin" || folder == "libexec";
}

FileType typeAmongPrograms(std::string_view name)
{
    return name.find('.') == std::string_view::npos ? extensions().find("elf") : FileType{0};
}

const TypeInfo& typeInfo(FileType type)
{
    return table[type < tableSize ? type : 0];
}

Family FamilyMix::largest() const
{
    const auto most = std::max_element(disk.begin(), disk.end());
    return total == 0 ? Family::Unknown : static_cast<Family>(most - disk.begin());
}

FamilyMix familyMix(const FileTree& tree, NodeId top)
{
    FamilyMix mix;
    std::array<Family, tableSize> families{};
    std::transform(std::begin(table), std::end(table), families.begin(), [](const TypeInfo& t) { return t.family; });
    tree.forEachBelow(top, [&](NodeId node) {
        if (tree.isFolder(node))
            return;
        const auto family = static_cast<std::size_t>(families[tree.store().type(node)]);
        const auto disk = tree.disk(node);
        mix.disk[family] += disk;
        ++mix.files[family];
        mix.total += disk;
    });
    return mix;
}

namespace {

using FamilySums = std::array<std::uint64_t, familyCount>;

struct AddFamilies {
    using Sums = FamilySums;
    const FileTree& tree;
    const std::vector<Sums>& sums;
    std::vector<Family>& families;

    void addFile(Sums& above, NodeId node) const
    {
        above[static_cast<std::size_t>(typeInfo(tree.store().type(node)).family)] += tree.disk(node);
    }
    void addFolder(Sums& own, Sums& above, NodeId) const { addMore(above, own); }
    void addMore(Sums& to, const Sums& more) const
    {
        for (std::size_t f = 0; f < familyCount; ++f)
            to[f] += more[f];
    }
    void changed(FolderIndex index) const
    {
        const auto most = std::max_element(sums[index].begin(), sums[index].end());
        families[index] = *most > 0 ? static_cast<Family>(most - sums[index].begin()) : Family::Unknown;
    }
};

} // namespace

std::shared_ptr<const std::vector<Family>> dominantFamilies(const FileTree& tree)
{
    return GrowingFamilies().look(tree);
}

std::shared_ptr<const std::vector<Family>> GrowingFamilies::look(const FileTree& tree)
{
    const auto now = tree.extent();
    sums_.resize(now.folders);
    families_.resize(now.folders, Family::Unknown);
    AddFamilies rules{tree, sums_, families_};
    addNewRows(tree.store(), seen_, now.nodes, sums_, rules);
    seen_ = now.nodes;
    return std::make_shared<const std::vector<Family>>(families_);
}

} // namespace kurvo
