// SPDX-License-Identifier: GPL-3.0-or-later
// The machines one looks after: a list that people write (TOML), and what is known of each place on them, which Kurvo
// writes (JSON, machines.json in its data folder). Snapshots of them lie in the catalogue with all others.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/remote/address.h"

namespace kurvo {

struct Machine {
    std::string name;
    RemoteAddress address;           ///< its path is empty
    std::vector<std::string> places; ///< "/" unless given
    std::vector<std::string> tags;
    std::vector<std::string> exclude; ///< globs
    bool crossMounts = false, sudo = false, sendScanner = false;
    bool hasTag(const std::string& tag) const;
};

struct MachineList {
    std::vector<Machine> machines;     ///< in their order
    std::vector<std::string> problems; ///< "machines.toml:4: ..."; what is mistaken is left out, the rest works
};

/// Reads the list. NotFound where there is none. A file that is no TOML is one problem, and no machine.
Result<MachineList> readMachines(const std::string& file);

struct MachinePlace {
    std::string snapshot;   ///< the file of the newest; may be empty
    std::int64_t taken = 0; ///< UTC seconds
    std::string failed;     ///< why the last attempt failed; empty where it did not
    std::int64_t tried = 0; ///< when that was
    std::string grewMost;   ///< the folder or file below which most was added since the snapshot before; bytes
    std::int64_t grewBytes = 0;
};

/// By name of the machine and place. What cannot be understood is taken for nothing known: it is found anew.
using MachineBook = std::map<std::pair<std::string, std::string>, MachinePlace>;
MachineBook readMachineBook(const std::string& file);
Result<Done> writeMachineBook(const std::string& file, const MachineBook& book);

} // namespace kurvo
