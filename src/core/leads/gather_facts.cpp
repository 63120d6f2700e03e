// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/leads/gather_facts.h"

#include "core/ledger/ledger.h"
#include "core/platform/running_system.h"

namespace kurvo {

void gatherLeadFacts(LeadFacts& facts, const LeadSearch& search)
{
    auto& info = facts.info;
    if (search.here)
        facts.runningKernel = runningKernel();
    if (search.here && !search.growing)
        facts.stores = readProgramStores("/", {facts.guard.user.home});
    if (search.whole)
        if (const auto drive = readDrive(info.mountPoint))
            facts.outside = readOutside(*drive);
    if (search.whole && info.ledger.empty())
        info.ledger =
            ledgerFigures({facts.tree.get(), info.notRead, info.unreadable, info.partial, true, info.exclude, 0},
                          info.mountPoint, info.capacity);
    if (search.growing)
        return;
    facts.earlier = snapshotsOf(search.snapshots, search.open, info);
    std::erase_if(facts.earlier, [&](const CatalogueEntry& entry) { return entry.info.taken > info.taken; });
}

} // namespace kurvo
