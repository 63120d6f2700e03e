// SPDX-License-Identifier: GPL-3.0-or-later
// What leads are found by, beside the tree: asked of the machine, its programs, the drive and earlier snapshots.
#pragma once

#include "core/leads/leads.h"

namespace kurvo {

struct LeadSearch {
    bool here = false;     ///< the tree is of the machine that this runs on
    bool whole = false;    ///< and of all of a drive, as it is now; the drive can be asked
    bool growing = false;  ///< the scan still runs: only what costs nothing
    std::string snapshots; ///< the folder of the catalogue
    std::string open;      ///< the snapshot that the tree was read from; empty where it was scanned
};

/// Fills in what `facts`, whose tree, info and guard are set, says nothing of yet. Asks the disk and other programs;
/// any thread.
void gatherLeadFacts(LeadFacts& facts, const LeadSearch& search);

} // namespace kurvo
