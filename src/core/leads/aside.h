// SPDX-License-Identifier: GPL-3.0-or-later
// Leads that somebody put aside, with a note, for one machine: `leads-aside.json` in Kurvo's data folder. Ids stand
// there percent-encoded, because they end with a path, which is bytes.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace kurvo {

struct AsideLead {
    std::string id;       ///< of the lead
    std::string sentence; ///< what it said then
    std::string note;
    std::int64_t when = 0; ///< UTC seconds
};

class AsideLeads {
public:
    /// `file` need not be there yet.
    AsideLeads(std::string file, std::string host) : file_(std::move(file)), host_(std::move(host)) { }

    /// Of this host, the newest first. Damaged where the file cannot be understood: then nothing is put aside.
    Result<std::vector<AsideLead>> read() const;
    /// One more, or another note for one that is there. What cannot be understood is left as it is, and said.
    Result<Done> putAside(const AsideLead& lead) const;
    Result<Done> bringBack(const std::string& id) const;

private:
    std::string file_, host_;
};

/// Where a user has them.
std::string asideLeadsFile(const std::string& ownDataFolder);
std::vector<std::string> idsOf(const std::vector<AsideLead>& leads);

} // namespace kurvo
