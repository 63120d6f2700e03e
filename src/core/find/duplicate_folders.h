// SPDX-License-Identifier: GPL-3.0-or-later
// Whole folders with the same content. By names and sizes alone it is known which could be; only what is in those has
// to be read. For duplicates.cpp.
#pragma once

#include <functional>
#include <memory>
#include <vector>

#include "core/find/duplicates.h"
#include "core/platform/file_content.h"

namespace kurvo {

class DuplicateFolderFinder {
public:
    using Trees = std::vector<std::shared_ptr<const FileTree>>;
    /// `isLeftOut(tree, node)`: such folders are never the same as another. Folders that hold less than `smallest`
    /// bytes are not looked at.
    DuplicateFolderFinder(const Trees& trees, std::uint64_t smallest,
                          const std::function<bool(std::uint32_t, NodeId)>& isLeftOut);

    /// Whether the file lies in a folder of which another one has the names and sizes.
    bool mustRead(std::uint32_t tree, NodeId file) const;
    /// `hashOf(tree, file)`: of the whole content, null where it is not known. Reads where symbolic links lead to.
    std::vector<DuplicateFolders> find(const std::function<const ContentHash*(std::uint32_t, NodeId)>& hashOf) const;

private:
    const Trees& trees_;
    std::vector<std::vector<std::uint64_t>> shapes_; ///< by tree and folder index: over names, kinds and sizes
    std::vector<std::vector<bool>> wanted_;          ///< by tree and folder index: another one has this shape
};

} // namespace kurvo
