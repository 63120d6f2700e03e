// SPDX-License-Identifier: GPL-3.0-or-later
// The side that asks a helper to read (reading_protocol.h). What comes back is checked before it is believed.
#pragma once

#include <chrono>
#include <functional>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/rights/reading_protocol.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

struct HelperProgress {
    std::uint64_t entries = 0;
    std::uint64_t diskBytes = 0;
    AheadBytes ahead;
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
    bool driveGone = false, outOfMemory = false; ///< why it ended early, where that is so
    std::string problem;                         ///< a sentence, where it failed
    std::optional<DriveAccount> account;         ///< where only tables were asked for
    SnapshotInfo info;                           ///< with facts: of the place; else whether it is partial
};

/// How an answer is listened to.
struct Listening {
    std::function<void(const HelperProgress&)> onProgress = {};
    /// Ends it: at once, or, where orders can be given, by asking for what was found until then.
    std::stop_token stop = {};
    int orders = -1;                           ///< what the other side reads; -1: none can be given
    ScanProgress* held = nullptr;              ///< paused there as it is here, where orders can be given
    std::chrono::milliseconds patience{30000}; ///< for the rest of the answer, once stopped
    std::uint64_t* received = nullptr;         ///< gets the bytes that came
};

/// Reads an answer until its end mark. Every length is checked before it is believed, and a tree is only taken for the
/// path that was asked for. WrongFormat for rubbish, Damaged where it ends before its end mark, Cancelled where it was
/// stopped before anything came, orders cannot be given, or are not obeyed in time. Blocks.
Result<std::vector<ReadFolder>> readAnswer(int fd, const HelperRequest& request, const Listening& how = {});

/// Starts `command` (program and arguments), sends it the request and reads its answer. `obeys`: the helper is to be
/// paused and stopped by orders; else stopping drops what it found. NoPermission when the user refused the rights;
/// Unsupported when they cannot be asked for here (no such program, nobody to ask). Blocks.
Result<std::vector<ReadFolder>> runHelper(const std::vector<std::string>& command, const HelperRequest& request,
                                          Listening how, bool obeys = false);

/// A scan of the drive at `path` by such a helper, from the drive's own tables; fails where they cannot be read.
/// Stopped and paused as a scan is.
Result<ScanResult> scanByHelper(const std::vector<std::string>& command, const std::string& path,
                                const ScanOptions& options, std::stop_token stop, ScanProgress* progress);

} // namespace kurvo
