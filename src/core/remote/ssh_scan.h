// SPDX-License-Identifier: GPL-3.0-or-later
// Scanning a place on another machine over SSH. The system's ssh does the talking, with its settings, keys, agents and
// known hosts; nothing is installed there.
//
// One connection runs a line of sh(1). Where kurvoctl is there and speaks this protocol it says "KURVOHAS", and the
// answer follows (core/rights/reading_protocol.h). Else it says "KURVONEEDS " and the processor (uname -m); if its user
// agrees, this side sends the size and the bytes of kurvo-scan, packed by gzip(1), which the line puts into a private
// folder. It says "KURVOREADY" and runs it; kurvo-scan removes itself and the folder at once. "KURVONO " and a word
// says why it cannot go on: room, exec. Whatever stands before those words (what the other side's shell prints when one
// logs in) is passed over.
#pragma once

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/remote/address.h"
#include "core/scan/scanner.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

struct RemoteWish {
    ScanOptions scan;    ///< exclude, crossMounts, threads
    bool rights = false; ///< by sudo there, which must not ask, or is given `password`
    /// Asked where sudo wants one: the password, or nothing to give up. May be empty: then it is given up.
    std::function<std::optional<std::string>()> password;
    /// Whether the scanner may be sent to a machine without kurvoctl, once it is known that it is needed. May be empty:
    /// no.
    std::function<bool(const std::string& host)> maySend;
    /// Called once, before there is an entry, with what is known of the place; on the thread that scans. May be empty.
    std::function<void(const SnapshotInfo&)> onPlace;
    bool asks = true;             ///< ssh may ask for passwords and unknown hosts
    int said = -1;                ///< a descriptor that takes what ssh and the other side say; -1: standard error
    std::string scanner;          ///< the file of kurvo-scan, packed; empty: the one that lies with this program
    std::vector<std::string> ssh; ///< the program and options of its own; "ssh" when empty
};

struct RemoteScan {
    ScanResult result;
    SnapshotInfo info;          ///< of the place, as the other machine says
    bool sent = false;          ///< the scanner was sent
    std::uint64_t received = 0; ///< bytes
};

/// Scans; the store of `progress` grows meanwhile, and the tree is of that store. A stop keeps what was found. Errors:
/// NotFound where the place is not there; Unsupported where nothing can run there, with a sentence that says what to do
/// by hand; NoPermission where sudo refused; Damaged where the connection was lost; whatever ssh itself has to say is
/// on standard error.
Result<RemoteScan> scanOverSsh(const RemoteAddress& address, const RemoteWish& wish, std::stop_token stop,
                               ScanProgress* progress);

/// Runs a line of sh(1) there, `input` on its standard input, and hands on what it prints, a line at a time, made
/// harmless (displayText). Returns its exit status; 255 where ssh failed. `line` has no single quote.
Result<int> runOverSsh(const RemoteAddress& address, const std::string& line, std::string_view input,
                       const std::function<void(const std::string&)>& printed);

/// The kurvo-scan that lies with this program; empty where there is none.
std::string ownScanner();
/// The last line of what was written into a descriptor, made harmless (displayText).
std::string lastLineOf(int fd);
/// Its size as it is sent; 0 where there is none.
std::uint64_t scannerBytes();
/// The ssh that KURVO_SSH names, with its options, parted by blanks; "ssh" otherwise.
std::vector<std::string> usualSsh();

} // namespace kurvo
