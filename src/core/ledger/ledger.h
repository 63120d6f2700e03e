// SPDX-License-Identifier: GPL-3.0-or-later
// The ledger: the account that reconciles what a drive says is used with what a scan has seen, line by line, each with
// its evidence, and what is left over as a plain remainder.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/direct/drive_account.h"
#include "core/ledger/outside.h"
#include "core/platform/drives.h"
#include "core/platform/open_files.h"
#include "core/scan/scanner.h"

namespace kurvo {

/// A folder on which something else is mounted, and what lies hidden below that.
struct Beneath {
    std::string path;          ///< of the folder; bytes
    std::string filesystem;    ///< what is mounted on it
    std::uint64_t disk = 0;    ///< of what lies below, the folder itself included
    std::uint64_t entries = 0; ///< with the folder itself
    std::string problem;       ///< why it is not known; a sentence
};

/// What has to be asked of the system to write a ledger.
struct LedgerFacts {
    std::string mountPoint; ///< bytes
    FilesystemFacts filesystem;
    NamelessFiles nameless;
    std::vector<Beneath> beneath;
    std::vector<OutsideLine> outside;
    /// What the drive's own tables say, where rights allow reading them; see core/direct.
    std::optional<DriveAccount> tables;
};

/// Asks the system. May take as long as a scan of
/// what lies below mounts: call it off the interface thread.
Result<LedgerFacts> readLedgerFacts(const std::string& mountPoint, std::stop_token stop = {});

enum class LedgerPart {
    Seen,        ///< entries of the scan
    InTrash,     ///< put into the trash since the scan: used, no longer seen
    Nameless,    ///< deleted, still held open
    Beneath,     ///< under mounts
    Unreachable, ///< in use by the tables, and in no folder that was seen
    Structures,  ///< the filesystem's own
    NotReadable, ///< folders without permission: how much is in them is not known
    NotScanned,  ///< left out, or not reached
    Elsewhere,   ///< outside the place that was scanned
    Unexplained  ///< the remainder
};

/// "deleted_open": as scripts and snapshots have it.
const char* ledgerPartName(LedgerPart part);
/// "Deleted, still held open": for people.
const char* ledgerPartTitle(LedgerPart part);

struct LedgerItem {
    std::string path;                   ///< bytes; may be empty
    std::optional<std::uint64_t> bytes; ///< where known
    std::string note;
};

struct LedgerLine {
    LedgerPart part;
    std::optional<std::uint64_t> bytes; ///< nothing: not known, within the remainder
    std::string title;                  ///< "Deleted, still held open"
    std::string evidence;               ///< a sentence: how it is known, or why not
    std::vector<LedgerItem> items;      ///< largest first, the first thousand
};

/// A second check by inodes, where the filesystem counts them.
struct InodeCheck {
    std::uint64_t used = 0;  ///< by the filesystem
    std::uint64_t found = 0; ///< entries seen (links once), beneath mounts, nameless, the filesystem's own
    std::int64_t missing() const { return static_cast<std::int64_t>(used) - static_cast<std::int64_t>(found); }
};

struct Ledger {
    std::string mountPoint;
    Capacity capacity;
    std::vector<LedgerLine> lines;    ///< used, part by part; those with bytes add up to used, unless `excess`
    std::uint64_t unexplained = 0;    ///< used less all that is known
    std::uint64_t excess = 0;         ///< known more than used: blocks shared between files, or compressed ones
    std::vector<OutsideLine> outside; ///< what could be the drive's beside all that
    std::optional<InodeCheck> inodes;
};

/// What the scan itself knows.
struct LedgerScan {
    const FileTree* tree = nullptr;
    std::vector<Unreadable> unreadable;
    std::uint64_t unreadableCount = 0;
    bool partial = false;
    bool wholeDrive = true;
    std::vector<std::string> excluded; ///< globs that were left out
    std::uint64_t inTrash = 0;         ///< bytes put into the trash since, and not in the tree
    std::optional<DriveAccount> account =
        std::nullopt; ///< from when it was scanned, for where tables cannot be read now
};
/// Adds it all up. Nothing is asked of the system.
Ledger writeLedger(const LedgerScan& scan, const LedgerFacts& facts);

/// What a snapshot keeps of a ledger: its parts by name, with their bytes.
using LedgerFigures = std::vector<std::pair<std::string, std::uint64_t>>;
/// Of a drive that was just scanned whole and had this capacity. Asks the system, as readLedgerFacts() does; nothing
/// where that fails.
LedgerFigures ledgerFigures(const LedgerScan& scan, const std::string& mountPoint, const Capacity& capacity);
/// The ledger that such figures were taken from, without its items. Parts that this version does not know are left out.
Ledger ledgerFrom(const LedgerFigures& figures, const std::string& mountPoint, const Capacity& capacity);

} // namespace kurvo
