// SPDX-License-Identifier: GPL-3.0-or-later
// The snapshots kept in one folder, and the names they get there. The folder is the catalogue: there is nothing beside
// the files that could disagree with them, be locked or have to be made anew. A header is read in some 50 µs.
#pragma once

#include <string>
#include <vector>

#include "core/platform/folders.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

/// What people say of a snapshot. Kept beside it, as FILE.about (JSON), because the file itself never changes.
struct SnapshotAbout {
    std::string name, note;
    bool pinned = false; ///< never removed by itself
    bool isEmpty() const { return name.empty() && note.empty() && !pinned; }
};

struct CatalogueEntry {
    std::string path; ///< of the snapshot file
    SnapshotInfo info;
    std::uint64_t bytes = 0; ///< size of the file
    SnapshotAbout about;
};

struct Catalogue {
    std::vector<CatalogueEntry> entries; ///< newest first
    std::vector<Error> damaged;          ///< files that could not be read as snapshots
};

/// Reads the headers of all snapshots in `folder`. A folder that is not there is an empty catalogue.
Catalogue readCatalogue(const std::string& folder);

/// Those of one place, newest first.
std::vector<CatalogueEntry> snapshotsOf(const Catalogue& catalogue, const SnapshotInfo& place);

/// Those of one place in the catalogue, and beside the snapshot file that is open where that lies elsewhere (such as
/// the demo's, or a stick's). `open` may be empty.
std::vector<CatalogueEntry> snapshotsOf(const std::string& folder, const std::string& open, const SnapshotInfo& place);

/// The newest whole one that was taken before and left out the same; null where there is none.
const CatalogueEntry* wholeBefore(const std::vector<CatalogueEntry>& entries, const SnapshotInfo& than);

Result<Done> writeAbout(const std::string& snapshot, const SnapshotAbout& about);

/// Which snapshots of a place are kept: the last ones, then the newest of each week, then of each month (28 days).
struct KeepingPolicy {
    unsigned last = 12;
    unsigned weeks = 8;
    unsigned months = 24;
    bool operator==(const KeepingPolicy&) const = default;
};
/// Of the snapshots of one place, newest first, those that the policy lets go. What is pinned, named or has a note
/// stays, and so does the newest whole one.
std::vector<CatalogueEntry> superfluous(const std::vector<CatalogueEntry>& newestFirst, const KeepingPolicy& policy);

/// Reads and writes the policies of a catalogue: `keeping.toml` in its folder, by the place's path, and one for all
/// others. What is not there is as KeepingPolicy has it.
struct Keeping {
    KeepingPolicy usual;
    std::vector<std::pair<std::string, KeepingPolicy>> places; ///< by path

    const KeepingPolicy& of(const std::string& place) const;
    void set(const std::string& place, const KeepingPolicy& policy);
};
Result<Keeping> readKeeping(const std::string& folder);
Result<Done> writeKeeping(const std::string& folder, const Keeping& keeping);

/// Writes a snapshot into a catalogue, packed against the newest of the same place, and removes what its policy lets
/// go. The path that it got; `removed` gets how many were let go.
Result<std::string> addSnapshot(const std::string& folder, const SnapshotInfo& info, const FileTree& tree,
                                std::size_t* removed = nullptr);
/// A whole copy of a snapshot file from somewhere else, or of a listing (listing.h). Refused where one with its id is
/// there already, or it is damaged.
Result<std::string> importSnapshot(const std::string& folder, const std::string& file);
/// A copy that needs no other file.
Result<Done> exportSnapshot(const std::string& snapshot, const std::string& to,
                            AtomicFile::Existing existing = AtomicFile::Existing::Replace);
/// Puts a snapshot of the catalogue in `folder` into the user's trash, as a file that needs no other. Refused for
/// whatever is not a snapshot of that catalogue, and for one that is pinned.
Result<Done> trashSnapshot(const std::string& folder, const std::string& snapshot, const UserFolders& user);
/// NotFound or NoPermission where there is no catalogue in that folder, or it may not be read.
Result<Done> catalogueIsThere(const std::string& folder);
/// Removes it with what is said of it, and bases that nothing needs any more.
Result<Done> removeSnapshot(const std::string& snapshot);
/// Bytes of bases that stand in ".bases" for others only: the snapshots that they were are gone.
std::uint64_t bytesOfBases(const std::string& folder);

/// A file name in `folder` that says place and time and is not taken: "home-warden-2026-06-30-091200.kurvo".
std::string snapshotPathFor(const std::string& folder, const SnapshotInfo& info);

} // namespace kurvo
