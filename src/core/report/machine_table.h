// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of each place on the machines of a list, as a table.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/remote/machines.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {

struct MachineRow {
    const Machine* machine = nullptr; ///< of the list
    std::string place;
    MachinePlace known;
    std::optional<SnapshotInfo> info;      ///< of the newest snapshot, where it is there still
    std::optional<std::int64_t> sinceLast; ///< used now less used then, bytes
    std::optional<std::int64_t> full;      ///< when its drive will be, UTC seconds
};

/// One place. Reads a little of each of its snapshots.
MachineRow machineRow(const Machine& machine, const std::string& place, const MachineBook& book,
                      const Catalogue& catalogue);

} // namespace kurvo
