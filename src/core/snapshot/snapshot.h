// SPDX-License-Identifier: GPL-3.0-or-later
// The snapshot file, `.kurvo`: one finished scan. Version 2, written in full in docs/snapshot-format.md; in short:
//
//   magic "KURVOSNP"  u32 version  u32 header bytes  u64 XXH3-64 of the header  header (CBOR)
//   blocks: head (column, stored, raw, items, prefix, checksum)  bytes (zstd)
//   end: a block with column 0 and no bytes, whose item count is the number of blocks before it
//
// All numbers are little-endian. Nodes stand in breadth-first order, so parents are implied by child counts; columns
// are stored apart, because like compresses with like. A file is written once and never changed.
//
// A chain of snapshots of one place costs little: one may be written as steps over the nodes of an earlier, its base,
// and then holds what differs. The base is always a whole one, so reading takes two files at most, and it is kept alive
// by a hard link in the folder ".bases": removing or losing the snapshot that it was does not touch those that need it.
// Where there are no hard links every snapshot is written whole.
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/result.h"
#include "core/platform/atomic_file.h"
#include "core/platform/drives.h"
#include "core/scan/scanner.h"

namespace kurvo {

inline constexpr std::uint32_t snapshotVersion = 2;
inline constexpr const char* snapshotSuffix = ".kurvo";

/// What is known about a scan besides its entries.
struct SnapshotInfo {
    std::string place;     ///< path of the root; bytes
    std::string placeName; ///< for people: drive name or folder name
    std::string host;
    std::string filesystem;
    std::string filesystemUuid;  ///< which filesystem that was, wherever it is mounted; may be empty
    std::string mountPoint;      ///< of the drive that held the place; bytes
    std::string mountRoot = "/"; ///< what of its filesystem was mounted there: a subvolume, a folder; bytes
    std::int64_t taken = 0;      ///< UTC seconds, when the scan began
    double seconds = 0;          ///< how long it took
    Capacity capacity;           ///< of that drive, at that time
    bool partial = false;        ///< the scan was stopped before its end
    bool sample = false;         ///< made-up data of the demo
    std::uint64_t unreadable = 0;
    std::vector<Unreadable> notRead;  ///< of those, what is listed; not known to readSnapshotInfo()
    bool crossMounts = false;         ///< the scan went through other mounts as well
    std::vector<std::string> exclude; ///< globs that were left out
    std::vector<std::pair<std::string, std::uint64_t>>
        ledger; ///< parts of the drive's ledger with their bytes, if known
    std::vector<std::pair<std::uint32_t, std::string>> owners; ///< account names by uid, as that machine had them
    std::uint64_t entries = 0;                                 ///< without the root; filled by writeSnapshot
    std::uint64_t diskBytes = 0;
    std::string id;       ///< of this snapshot, 32 hexadecimal digits; made by writeSnapshot; empty in version 1
    std::string baseId;   ///< of the one that it is packed against; empty for a whole one
    std::string baseFile; ///< name of that file when this was written
};

/// What is known of a place before it is scanned: host, drive, capacity. Asks the drive, for some seconds at most: call
/// it off the interface thread.
SnapshotInfo describePlace(const std::string& path);
/// The same for a finished scan, with its time and owners.
SnapshotInfo describeScan(const ScanResult& result);

/// Both are of one filesystem, as far as can be known: by its UUID, else by machine, mount point and kind. Machines
/// that were set up from one image share UUIDs: what two machines have at the same mount point is two filesystems,
/// unless that is where removable drives are mounted.
bool isOneFilesystem(const SnapshotInfo& a, const SnapshotInfo& b);

/// Both are of one folder of one filesystem: by the filesystem's UUID and the path in it, wherever it was mounted;
/// where that is not known by machine and path.
bool isOnePlace(const SnapshotInfo& a, const SnapshotInfo& b);

/// The account name for a uid: from the snapshot's own list, else the number.
std::string ownerName(const SnapshotInfo& info, std::uint32_t uid);
/// The list for a tree that was scanned on this machine.
std::vector<std::pair<std::uint32_t, std::string>> ownersOf(const FileTree& tree);

struct Snapshot {
    SnapshotInfo info;
    std::shared_ptr<const FileTree> tree;
};

/// Writes to a temporary file beside `path`, syncs, renames: an earlier file of that name stays whole until the new one
/// is. What was taken out of the tree is not written. Returns what the header says. With `base`, the path of another
/// snapshot in the same folder, it is packed against that one (or against what that one is packed against), where
/// this saves most of its size; see above.
Result<SnapshotInfo> writeSnapshot(const std::string& path, const SnapshotInfo& info, const FileTree& tree,
                                   const std::string& base = {},
                                   AtomicFile::Existing existing = AtomicFile::Existing::Replace);
/// Whether a file that begins so is a snapshot of ours.
bool beginsAsSnapshot(std::string_view begin);

/// Takes bytes in order; what becomes of them is its own concern.
using ByteSink = std::function<void(const char* bytes, std::size_t size)>;
/// The same bytes to somewhere else.
SnapshotInfo writeSnapshot(const ByteSink& write, const SnapshotInfo& info, const FileTree& tree);

/// Figures of one entry, from the index of a snapshot.
struct EntryFigures {
    std::uint64_t disk = 0, apparent = 0;
    std::uint64_t files = 0, folders = 0; ///< below it
};
/// The figures of folders, and of the largest files (one entry in a hundred, at least a thousand), without reading the
/// tree: some 0.2 ms a file and path. `paths` are whole paths; one that the snapshot does not have, or that lies
/// outside of its place, gets none. Version 1 has no index: Unsupported.
Result<std::vector<std::optional<EntryFigures>>> readFigures(const std::string& path,
                                                             const std::vector<std::string>& paths);

/// Reads a whole file, and its base where it has one. Every length, count and checksum is verified before it is used; a
/// file that fails is Damaged (cut, altered), TooNew or WrongFormat, with a sentence that says which.
Result<Snapshot> readSnapshot(const std::string& path);

/// Reads the header only, whatever the size of the file.
Result<SnapshotInfo> readSnapshotInfo(const std::string& path);

} // namespace kurvo
