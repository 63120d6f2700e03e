// SPDX-License-Identifier: GPL-3.0-or-later
// Ready-made questions: what a technician asks of every full drive, in the order it is asked.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <vector>

#include "core/types/file_types.h"

namespace kurvo {

enum class Question : std::uint8_t {
    All,          ///< every file, the largest first
    LargeHidden,  ///< in or under a dot-name, 10 MiB or more
    HiddenRoots,  ///< folders: the dot-folders in visible ones that hold 10 MiB or more
    OldLarge,     ///< not changed for a year, 10 MiB or more
    Trash,        ///< in trash folders as freedesktop.org places them
    Caches,       ///< caches and temporary files
    LogsAndDumps, ///< logs, journals and crash dumps
    Leftovers,    ///< lock and partial files, abandoned downloads, backup copies
    Images,       ///< installers and disk images
    OldKernels,   ///< kernels, with their drivers, that are neither the newest nor the one that runs
    ManyFiles,    ///< folders: those with a thousand entries or more
    Sparse,       ///< files that have fewer blocks than their length
    Preallocated, ///< files that have blocks beyond their length, 1 MiB or more
    Linked        ///< files with several hard links
};
inline constexpr std::size_t questionCount = 14;

/// Whether what is found are folders; for all other questions it is files.
constexpr bool findsFolders(Question question)
{
    return question == Question::HiddenRoots || question == Question::ManyFiles;
}

/// A folder below the place that is named as trash folders are (freedesktop.org trash specification).
bool isTrashFolder(const FileTree& tree, NodeId folder);
/// The same, where programs keep what they can make again, and what is temporary.
bool isCacheFolder(const FileTree& tree, NodeId folder);

/// What is left of kernels that are neither the newest nor the one that runs: the folders of their drivers, and their
/// files in /boot. The tree is of a whole system drive, or of a part of one.
struct OldKernels {
    std::vector<std::string> releases;
    std::vector<NodeId> modules; ///< folders
    std::vector<NodeId> boot;    ///< files
};
OldKernels findOldKernels(const FileTree& tree, const std::string& running);

struct Answer {
    std::uint64_t found = 0; ///< files or folders
    std::uint64_t disk = 0;
};

/// Knows of every folder in what kind of folder it lies. One pass over the folders; then each file is one look.
/// Immutable once made; may be read from any thread.
class Questions {
public:
    /// `now`: the moment ages are counted from. `runningKernel`: its release, where the tree is of the running system.
    Questions(std::shared_ptr<const FileTree> tree, std::int64_t now, const std::string& runningKernel = {});

    bool asks(Question question, NodeId node) const;
    /// Below `top`; all questions in one pass. The bytes of folders with many entries are those of their own files.
    std::array<Answer, questionCount> answers(NodeId top = rootNode) const;
    /// The files, or the folders, in no order.
    std::vector<NodeId> nodes(Question question, NodeId top = rootNode) const;

private:
    std::uint16_t questionsOf(NodeId node) const; ///< one bit a question
    std::uint16_t questionsOfFolder(NodeId folder) const;
    std::shared_ptr<const FileTree> tree_;
    std::int64_t now_;
    std::vector<std::uint8_t> kinds_;     ///< by folder index: what it is, or lies in; one bit a kind
    std::vector<std::string> oldKernels_; ///< releases
};

} // namespace kurvo
