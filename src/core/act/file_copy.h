// SPDX-License-Identifier: GPL-3.0-or-later
// Copies the data of one file and all that belongs to it. Several may work side by side, each for itself.
#pragma once

#include <functional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/act/busy.h"
#include "core/act/tree_content.h"

namespace kurvo {

/// Paths for people: of an entry, or of a folder and the entry in it, put together only when something is to be said.
struct ShownEntry {
    const std::string& from;
    const std::string& to;
    const std::string* child = nullptr;
    std::string fromText() const { return child ? joinPath(from, *child) : from; }
    std::string toText() const { return child ? joinPath(to, *child) : to; }
};

class FileCopier {
public:
    FileCopier(std::stop_token stop, BytesReport onBytes, Busy& busy);

    /// Copies `name` in `from` to `newName` in `to`; `made.stat` is what was seen of it. Changed where it is something
    /// else by now. `groupKept`: what is made in `to` gets this process's own group.
    Result<Done> copy(int from, const std::string& name, int to, const std::string& newName, bool groupKept,
                      CopiedEntry& made, const ShownEntry& shown);
    /// Owner, mode, extended attributes with ACLs and capabilities, flags and times, in this order: a change of owner
    /// clears bits of the mode and capabilities, and times come last.
    Result<Done> finish(int source, int target, const EntryStat& stat, bool groupKept, const ShownEntry& shown);

    std::uint64_t bytes = 0;
    Losses losses;

private:
    void copyAttributes(int source, int target);
    void copyFlags(int source, int target);
    Result<Done> copyPiece(int source, int target, std::uint64_t at, std::uint64_t end, const ShownEntry& shown);

    std::stop_token stop_;
    BytesReport onBytes_;
    Busy& busy_;
    std::vector<char> buffer_;
    Hasher hasher_;
    std::uint32_t user_, group_;
};

} // namespace kurvo
