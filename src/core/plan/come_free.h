// SPDX-License-Identifier: GPL-3.0-or-later
// What really comes free when items go for good. A file's own count of blocks says so on most filesystems; where files
// share blocks, or are compressed, or kept by a filesystem snapshot, it does not, and the map of their extents is
// asked.
//
// Of blocks that several of the items share, and nobody else as far as can be seen, one count comes free. Who else
// shares them can be seen of files in the tree with the same length; what is kept out of sight (a snapshot of the
// filesystem) cannot, and then they are not promised.
#pragma once

#include <cstdint>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/tree/file_tree.h"

namespace kurvo {

struct ComesFree {
    std::uint64_t bytes = 0;      ///< what the drive has more of, once all of it is gone
    std::uint64_t links = 0;      ///< not: further hard links elsewhere
    std::uint64_t shared = 0;     ///< not: blocks that others have as well, or that are counted in several of the items
    std::uint64_t compressed = 0; ///< not: more by their lengths than they take
    std::uint64_t inlined = 0;    ///< not: among the filesystem's own structures
    std::uint64_t heldOpen = 0;   ///< not before programs that have them open end
    std::uint64_t files = 0;      ///< whose extents matter
    std::uint64_t looked = 0;     ///< of these, looked at; the others are taken to be like them
    std::uint64_t counted() const { return bytes + links + shared + compressed + inlined + heldOpen; }
    bool isSampled() const { return looked < files; }
};

struct ComesFreeOptions {
    std::size_t mostFiles = SIZE_MAX; ///< the largest are looked at
    bool live = true;                 ///< the tree is of what is on this machine now; else only links are counted
    bool askPrograms = true;          ///< which files are open
};

/// `items`: nodes of which none lies in another. Asks the disk for each file where files can share blocks, some 12 µs
/// each; elsewhere it costs one pass over the files with several links, and one over /proc.
ComesFree comesFree(const FileTree& tree, const std::vector<NodeId>& items, const ComesFreeOptions& options = {},
                    std::stop_token stop = {});

/// The same of one path as it lies there now, read anew; of a file with further links nothing comes free. Blocks until
/// all below it is read.
Result<ComesFree> comesFreeOf(const std::string& path, std::stop_token stop = {});

} // namespace kurvo
