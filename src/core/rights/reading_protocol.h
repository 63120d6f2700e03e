// SPDX-License-Identifier: GPL-3.0-or-later
// Reading with administrator rights: the window asks a helper, `kurvoctl helper`, which is started as root (by pkexec,
// or in a terminal by sudo), gives up every right but that to read, scans the folders it is given and sends back what
// it found. Neither side trusts the other.
//
// The request, on the helper's standard input, is a row of NUL-terminated strings: "kurvo-request 4", then "path "
// before each folder (absolute) and "leave-out " before each glob, "only-tables" for drives of which only their own
// tables are to be read (docs/direct.md), and "end". From another machine (core/remote): "with-facts" for all that is
// known of the place beside its entries, "place " before the one folder, which may be relative to the home folder,
// "cross-mounts", and "threads " before a number. While the answer comes, the lines "pause" and "go" hold the scan and
// let it go on, "stop" ends it early with what was found; from another machine the end of the stream means that, too.
//
// The answer, on its standard output, is "KURVOANS" and frames: u32 kind, u32 length, so many bytes; little-endian.
//   1 progress   u64 entries, u64 bytes on disk, then the current folder
//   2 rows       a packet of entries, while they are found (core/snapshot/row_stream.h)
//   3 unreadable u32 errno, then a path; before the scan's end
//   4 scanned    u32 number of the path in the request, u64 number unreadable, u32 why it ended before it was whole
//                (EndedBy); the rows since are all of it
//   5 failed     u32 number of the path in the request, then a sentence
//   6 end
//   7 account    u32 number of the path in the request, then eleven u64: a DriveAccount, field by field (core/direct)
//   8 flags      a packet of flags; after the last rows
//   9 about      what is known of the place, as the header of a snapshot has it (docs/snapshot-format.md); with facts
//                also before the scan
//  10 ahead      u64 bytes of the tables and folders that were read ahead, u64 of how many; before progress
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

#include "core/base/result.h"
#include "core/direct/drive_account.h"

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

std::string encodeRequest(const HelperRequest& request);
/// WrongFormat for anything but a request.
Result<HelperRequest> decodeRequest(std::string_view bytes);

namespace answer {

inline constexpr std::string_view magic = "KURVOANS";
inline constexpr std::uint32_t largestFrame = 4u << 20; ///< bytes after its head
inline constexpr std::size_t mostUnreadable = 20000;    ///< that are told by name

enum class Frame : std::uint32_t { Progress = 1, Rows, Unreadable, Scanned, Failed, End, Account, Flags, About, Ahead };

/// Why a scan ended.
enum class EndedBy : std::uint32_t { Itself, LostDrive, NoMemory };

/// The fields of an account in the order in which they are sent.
template <typename Account>
auto fieldsOf(Account& a)
{
    return std::array{&a.named,           &a.namedInodes, &a.orphans,        &a.orphanInodes,
                      &a.attributeInodes, &a.reserved,    &a.reservedInodes, &a.journal,
                      &a.layout,          &a.twice,       &a.total};
}

} // namespace answer

} // namespace kurvo
