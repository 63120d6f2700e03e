// SPDX-License-Identifier: GPL-3.0-or-later
// Reading with administrator rights: the window asks a helper, `kurvoctl helper`, which is started as root (by pkexec,
// or in a terminal by sudo), gives up every right but that to read, scans the folders it is given and sends back what
// it found. Neither side trusts the other.
//
// The request, on the helper's standard input, is a row of NUL-terminated strings: "kurvo-request 2", then "path "
// before each folder (absolute) and "leave-out " before each glob, "only-tables" for drives of which only their own
// tables are to be read (docs/direct.md), and "end". From another machine (core/remote): "with-facts" for all that is
// known of the place beside its entries, "place " before the one folder, which may be relative to the home folder,
// "cross-mounts", and "threads " before a number; the connection stays open, and the lines "pause" and "go" on it hold
// the scan and let it go on, "stop", or its end, ends it early.
//
// The answer, on its standard output, is "KURVOANS" and frames: u32 kind, u32 length, so many bytes; little-endian.
//   1 progress   u64 entries, u64 bytes on disk, then the current folder
//   2 rows       a packet of entries, while they are found (core/snapshot/row_stream.h)
//   3 unreadable u32 errno, then a path; before the scan's end
//   4 scanned    u32 number of the path in the request, u64 number unreadable; the rows since are all of it
//   5 failed     u32 number of the path in the request, then a sentence
//   6 end
//   7 account    u32 number of the path in the request, then eleven u64: a DriveAccount, field by field (core/direct)
//   8 flags      a packet of flags; after the last rows
//   9 about      what is known of the place, as the header of a snapshot has it (docs/snapshot-format.md); with facts
//                also before the scan
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

struct HelperRequest {
    std::vector<std::string> paths; ///< folders, absolute; bytes
    std::vector<std::string> exclude;
    bool onlyTables = false; ///< fails where the drive's own tables cannot be read
    // From another machine:
    bool withFacts = false; ///< one place, with all that a snapshot says of it
    bool crossMounts = false;
    unsigned threads = 0; ///< 0: as many as help
};

struct HelperProgress {
    std::uint64_t entries = 0;
    std::uint64_t diskBytes = 0;
    std::string folder;                        ///< bytes
    std::shared_ptr<const NodeStore> rows;     ///< what has come of the entries, and grows; null before
    std::shared_ptr<const SnapshotInfo> about; ///< with facts: of the place, once known
};

/// What came back for one of the paths.
struct ReadFolder {
    std::string path;
    std::shared_ptr<const FileTree> tree; ///< null where it failed
    std::uint64_t unreadable = 0;
    std::vector<Unreadable> unreadableList;
    std::string problem;                 ///< a sentence, where it failed
    std::optional<DriveAccount> account; ///< where only tables were asked for
    SnapshotInfo info;                   ///< with facts: of the place
};

std::string encodeRequest(const HelperRequest& request);
/// WrongFormat for anything but a request.
Result<HelperRequest> decodeRequest(std::string_view bytes);

/// The helper's side: reads a request from `in`, scans, answers on `out`, entries while they are found. Rights must
/// have been given up before.
/// `devices`: opened before that.
Result<Done> serveRequest(int in, int out, std::shared_ptr<const OpenDevices> devices = {});

/// Reads an answer until its end mark. Every length is checked before it is believed, and a tree is only taken for the
/// path that was asked for. `received`, where given, gets the bytes that came. WrongFormat for rubbish, Damaged where
/// it ends before its end mark, Cancelled by `stop`.
Result<std::vector<ReadFolder>> readAnswer(int fd, const HelperRequest& request,
                                           const std::function<void(const HelperProgress&)>& onProgress = {},
                                           std::stop_token stop = {}, std::uint64_t* received = nullptr);

/// Starts `command` (program and arguments), sends it the request and reads its answer. NoPermission when the user
/// refused the rights; Unsupported when they cannot be asked for here (no such program, nobody to ask).
Result<std::vector<ReadFolder>> runHelper(const std::vector<std::string>& command, const HelperRequest& request,
                                          const std::function<void(const HelperProgress&)>& onProgress,
                                          std::stop_token stop);

/// A scan of the drive at `path` by such a helper, from the drive's own tables; fails where they cannot be read.
Result<ScanResult> scanByHelper(const std::vector<std::string>& command, const std::string& path,
                                const ScanOptions& options, std::stop_token stop, ScanProgress* progress);

} // namespace kurvo
