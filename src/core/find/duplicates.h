// SPDX-License-Identifier: GPL-3.0-or-later
// Files with the same content. What has the same size is compared by a hash of its first and last blocks, then by one
// of its whole content; what shall be planned is compared byte by byte first (sameContent in file_content.h).
//
// A file with several hard links is one file, at the path it is counted at. Files that share all their blocks
// (reflinks) are the same as well, but removing one of them frees nothing: they are told apart. Empty files are left
// out, and what lies in a trash folder, which is on its way out.
#pragma once

#include <atomic>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "core/tree/file_tree.h"

namespace kurvo {

struct DuplicateOptions {
    std::uint64_t smallest = 1;        ///< bytes; smaller files are not compared
    std::vector<std::string> leaveOut; ///< folders and files, as paths: with everything below
    bool folders = true;               ///< whole folders as well, for which their small files are read, too
    unsigned threads = 2;
};

/// Read by any thread while it runs.
struct DuplicateProgress {
    enum class Stage { Gathering, Blocks, Contents, Done };
    std::atomic<Stage> stage = Stage::Gathering;
    std::atomic<std::uint64_t> bytesDone = 0; ///< read, of the whole contents
    std::atomic<std::uint64_t> bytesOf = 0;
    std::atomic<std::uint64_t> filesDone = 0; ///< of those whose blocks are read
    std::atomic<std::uint64_t> filesOf = 0;
};

struct DuplicateFile {
    NodeId node = noNode;
    std::uint32_t tree = 0;         ///< of those that were given
    std::uint64_t sharedBlocks = 0; ///< files with the same number, not 0, share their blocks
    bool otherLinks = false;        ///< has links outside of the trees: removing what is seen of it frees nothing
};

struct DuplicateGroup {
    std::uint64_t bytesEach = 0;
    std::uint64_t freeable = 0; ///< bytes on disk, when one of them is kept
    std::vector<DuplicateFile> files;
    bool inFolders = false; ///< all of it lies in folders that are listed as a whole
};

/// Folders with the same names and contents below them.
struct DuplicateFolders {
    std::uint64_t files = 0; ///< in each
    std::uint64_t bytesEach = 0;
    std::uint64_t freeable = 0; ///< when one of them is kept
    std::vector<DuplicateFile> folders;
};

struct Duplicates {
    std::vector<DuplicateGroup> groups;    ///< by bytes that could be freed, most first
    std::vector<DuplicateFolders> folders; ///< the same
    std::uint64_t freeable = 0;            ///< of all groups
    std::uint64_t compared = 0;            ///< files whose blocks were read
    std::uint64_t bytesRead = 0;
    std::uint64_t changed = 0;    ///< files that were not any more what was scanned
    std::uint64_t unreadable = 0; ///< files that could not be read
    bool stopped = false;         ///< there may be more
    /// Groups of folders, and those of files that do not lie in such.
    std::size_t listed() const;
};

/// Reads the disk: for long, on threads of its own. On stop what is known by then is returned. About 64 bytes of memory
/// a file of which another one has the size.
Duplicates findDuplicates(const std::vector<std::shared_ptr<const FileTree>>& trees, const DuplicateOptions& options,
                          DuplicateProgress& progress, std::stop_token stop = {});

/// Which of a group to keep.
enum class Keep { Oldest, Newest, ShortestPath, InFolder };

/// The files of a group that may go when one is kept: never all of them, and what lies in a cache is not what is kept
/// as long as another one does not. With InFolder all that lie below `folder` are kept, and nothing is chosen where
/// none does. Ties are kept by path.
std::vector<DuplicateFile> chooseToRemove(const std::vector<DuplicateFile>& files,
                                          const std::vector<std::shared_ptr<const FileTree>>& trees, Keep keep,
                                          const std::string& folder = {});

} // namespace kurvo
