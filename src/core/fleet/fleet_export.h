// SPDX-License-Identifier: GPL-3.0-or-later
// Snapshots of many machines in a database, with every entry: docs/fleet.md has the schema and what to ask it.
#pragma once

#include <cstdint>
#include <functional>
#include <stop_token>
#include <string>

#include "core/advice/rule_book.h"
#include "core/base/result.h"
#include "core/fleet/postgres.h"
#include "core/snapshot/snapshot.h"

namespace kurvo {

/// The statements that make the schema, each only where its thing is not there yet.
std::string fleetSchema();

struct FleetWritten {
    std::uint64_t rows = 0;
    bool wasThere = false; ///< this snapshot had been written before: nothing was changed
};

/// Writes one snapshot, all or nothing, by COPY. `onRows`: told of the rows that were sent. A name that is no UTF-8 is
/// percent-encoded.
Result<FleetWritten> writeToFleet(Postgres& database, const SnapshotInfo& info, const FileTree& tree,
                                  const RuleBook& book, std::stop_token stop = {},
                                  const std::function<void(std::uint64_t)>& onRows = {});

} // namespace kurvo
