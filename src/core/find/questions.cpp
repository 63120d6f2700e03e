// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/find/questions.h"

#include <algorithm>
#include <cstring>
#include <string_view>
#include <utility>

#include "core/base/text.h"

namespace kurvo {
namespace {

enum FolderKind : std::uint8_t { InTrash = 1, InCache = 2, InLogs = 4, InDumps = 8, InOldKernel = 16, InBoot = 32 };

constexpr std::uint64_t large = 10 << 20;
constexpr std::int64_t old = 365ll * 86400;

bool isTrashName(std::string_view name, std::string_view parent)
{
    // $XDG_DATA_HOME/Trash, $topdir/.Trash and $topdir/.Trash-$uid (freedesktop.org trash specification).
    return (name == "Trash" && parent == "share") || name == ".Trash" || name.starts_with(".Trash-");
}

/// What a folder is by its own name and that of the one it is in.
std::uint8_t kindOf(std::string_view name, std::string_view parent)
{
    std::uint8_t kind = 0;
    if (isTrashName(name, parent))
        kind |= InTrash;
    if (name == ".cache" || name == "cache" || name == "Cache" || name == "CachedData" || name == "Code Cache" ||
        name == "GPUCache" || name == ".thumbnails" || name == "tmp" || name == "__pycache__" || name == ".ccache" ||
        name == "temp")
        kind |= InCache;
    if ((name == "log" && (parent == "var" || parent == "/")) || name == "logs" || name == "journal")
        kind |= InLogs;
    if (name == "crash" || name == "coredump" || name == "dumps")
        kind |= InDumps;
    return kind;
}

bool isLeftover(std::string_view name, std::string_view extension)
{
    static constexpr std::string_view extensions[] = {"part", "partial", "tmp",  "temp", "download",
                                                      "bak",  "old",     "orig", "swp",  "lock"};
    return name.starts_with(".~lock.") || name.ends_with('~') || (name.starts_with('#') && name.ends_with('#')) ||
           std::find(std::begin(extensions), std::end(extensions), extension) != std::end(extensions);
}

bool isInstaller(std::string_view extension)
{
    static constexpr std::string_view extensions[] = {"deb", "rpm", "appimage", "flatpak", "snap", "msi", "run"};
    return std::find(std::begin(extensions), std::end(extensions), extension) != std::end(extensions);
}

/// After the last dot, in ASCII lower case; at most what the buffer holds.
std::string_view extensionOf(std::string_view name, std::array<char, 12>& buffer)
{
    const auto dot = name.rfind('.');
    if (dot == std::string_view::npos || dot == 0 || name.size() - dot - 1 > buffer.size())
        return {};
    const auto extension = name.substr(dot + 1);
    std::transform(extension.begin(), extension.end(), buffer.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; });
    return {buffer.data(), extension.size()};
}

bool isOfKernel(std::string_view name, const std::vector<std::string>& releases)
{
    return std::any_of(releases.begin(), releases.end(), [name](const auto& release) {
        return name.ends_with("-" + release) || name.find("-" + release + ".") != name.npos;
    });
}

constexpr std::uint16_t bit(Question question)
{
    return static_cast<std::uint16_t>(1u << static_cast<unsigned>(question));
}

std::uint8_t kindOf(const FileTree& tree, NodeId folder)
{
    const auto above = tree.parent(folder);
    if (above == noNode)
        return 0; // what somebody wants to look into
    const auto top = above == rootNode ? tree.path(above) : std::string();
    return kindOf(tree.name(folder), above == rootNode ? fileName(top) : tree.name(above));
}

} // namespace

bool isTrashFolder(const FileTree& tree, NodeId folder)
{
    return (kindOf(tree, folder) & InTrash) != 0;
}

bool isCacheFolder(const FileTree& tree, NodeId folder)
{
    return (kindOf(tree, folder) & InCache) != 0;
}

/// A release is a folder in lib/modules; all but the newest, by the numbers in it, and the one that runs are old.
OldKernels findOldKernels(const FileTree& tree, const std::string& running)
{
    OldKernels old;
    const auto& store = tree.store();
    const auto root = tree.isTogether() ? "/" : tree.path(rootNode);
    const auto folderAt = [&](const char* place) -> std::optional<NodeId> {
        const auto found = tree.find(joinPath(root, place));
        return found && tree.isFolder(*found) ? found : std::nullopt;
    };
    for (const auto* place : {"lib/modules", "usr/lib/modules"}) {
        const auto modules = folderAt(place);
        if (!modules)
            continue;
        std::vector<NodeId> releases;
        tree.forEachChild(*modules, [&](NodeId child) {
            if (tree.isFolder(child))
                releases.push_back(child);
        });
        std::sort(releases.begin(), releases.end(),
                  [&](NodeId a, NodeId b) { return ::strverscmp(store.nameC(a), store.nameC(b)) < 0; });
        if (!releases.empty())
            releases.pop_back();
        for (const NodeId release : releases)
            if (tree.name(release) != running) {
                old.releases.emplace_back(tree.name(release));
                old.modules.push_back(release);
            }
    }
    if (const auto boot = folderAt("boot"); boot && !old.releases.empty())
        tree.forEachChild(*boot, [&](NodeId child) {
            if (!tree.isFolder(child) && isOfKernel(tree.name(child), old.releases))
                old.boot.push_back(child);
        });
    return old;
}

Questions::Questions(std::shared_ptr<const FileTree> tree, std::int64_t now, const std::string& runningKernel)
    : tree_(std::move(tree)), now_(now), kinds_(tree_->extent().folders)
{
    const auto& store = tree_->store();
    // Children have larger ids than their folder: forwards, every folder is known before what is in it.
    for (NodeId node = 1; node < tree_->extent().nodes; ++node) {
        if (!store.isFolder(node))
            continue;
        const NodeId above = store.parent(node);
        const auto name = above == rootNode ? tree_->label(above) : tree_->name(above);
        kinds_[store.folderIndex(node)] =
            static_cast<std::uint8_t>(kinds_[store.folderIndex(above)] | kindOf(tree_->name(node), name));
    }
    const auto kernels = findOldKernels(*tree_, runningKernel);
    oldKernels_ = kernels.releases;
    for (const NodeId release : kernels.modules)
        tree_->forEachBelow(release, [&](NodeId node) {
            if (tree_->isFolder(node))
                kinds_[store.folderIndex(node)] |= InOldKernel;
        });
    if (const auto boot = tree_->find(joinPath(tree_->isTogether() ? "/" : tree_->path(rootNode), "boot"));
        boot && tree_->isFolder(*boot) && !oldKernels_.empty())
        kinds_[store.folderIndex(*boot)] |= InBoot;
}

std::uint16_t Questions::questionsOfFolder(NodeId folder) const
{
    constexpr std::uint32_t many = 1000;
    const auto& tree = *tree_;
    const NodeId above = tree.parent(folder);
    std::uint16_t asked = 0;
    if (above != noNode && tree.isHidden(folder) && !tree.isHidden(above) && tree.disk(folder) >= large)
        asked = static_cast<std::uint16_t>(asked | bit(Question::HiddenRoots));
    if (tree.countChildren(folder) >= many)
        asked = static_cast<std::uint16_t>(asked | bit(Question::ManyFiles));
    return asked;
}

std::uint16_t Questions::questionsOf(NodeId file) const
{
    if (tree_->isFolder(file))
        return questionsOfFolder(file);
    const auto& store = tree_->store();
    const auto kind = store.parent(file) == noNode ? std::uint8_t{0} : kinds_[store.folderIndex(store.parent(file))];
    const auto disk = tree_->disk(file);
    const auto family = typeInfo(store.type(file)).family;
    std::array<char, 12> buffer;
    const auto name = tree_->name(file);
    const auto extension = extensionOf(name, buffer);
    auto asked = bit(Question::All);
    const auto add = [&asked](Question question, bool yes) {
        asked = static_cast<std::uint16_t>(asked | (yes ? bit(question) : 0));
    };
    add(Question::LargeHidden, disk >= large && tree_->isHidden(file));
    add(Question::OldLarge, disk >= large && now_ - store.modified(file) >= old);
    add(Question::Trash, (kind & InTrash) != 0);
    add(Question::Caches, (kind & InCache) != 0);
    const bool leftover = isLeftover(name, extension);
    add(Question::LogsAndDumps,
        (kind & (InLogs | InDumps)) != 0 || (family == Family::Logs && (kind & InCache) == 0 && !leftover));
    add(Question::Leftovers, leftover);
    add(Question::Images, family == Family::DiskImages || isInstaller(extension));
    add(Question::OldKernels, (kind & InOldKernel) != 0 || ((kind & InBoot) != 0 && isOfKernel(name, oldKernels_)));
    add(Question::Sparse, isSparse(store, file));
    add(Question::Preallocated, isPreallocated(store, file));
    add(Question::Linked, store.has(file, FlagLinked));
    return asked;
}

bool Questions::asks(Question question, NodeId node) const
{
    if (question == Question::All)
        return !tree_->isFolder(node);
    return (questionsOf(node) & bit(question)) != 0;
}

std::array<Answer, questionCount> Questions::answers(NodeId top) const
{
    std::array<Answer, questionCount> all;
    tree_->forEachBelow(top, [&](NodeId node) {
        const auto asked = questionsOf(node);
        if (asked == 0)
            return;
        const auto disk = tree_->disk(node);
        if ((asked & bit(Question::ManyFiles)) != 0) {
            std::uint64_t own = 0; // one such folder may lie in another
            tree_->forEachChild(node, [&](NodeId child) { own += tree_->isFolder(child) ? 0 : tree_->disk(child); });
            all[static_cast<std::size_t>(Question::ManyFiles)].disk += own;
        }
        for (std::size_t q = 0; q < questionCount; ++q)
            if ((asked >> q & 1) != 0) {
                ++all[q].found;
                all[q].disk += static_cast<Question>(q) == Question::ManyFiles ? 0 : disk;
            }
    });
    return all;
}

std::vector<NodeId> Questions::nodes(Question question, NodeId top) const
{
    std::vector<NodeId> found;
    tree_->forEachBelow(top, [&](NodeId node) {
        if (asks(question, node))
            found.push_back(node);
    });
    return found;
}

} // namespace kurvo
