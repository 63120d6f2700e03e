// SPDX-License-Identifier: GPL-3.0-or-later
// Leads: what stands out on a drive, each a sentence with its evidence and the next step, ranked by what a technician
// would do first. They are gathered from all that is known without reading a file's content: the rules, the trash, old
// kernels, copies by size, accounts, the ledger, age, and the history of earlier snapshots.
//
// No byte is counted in two: of leads that hold each other the one that ranks first has what both hold.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "core/advice/guard.h"
#include "core/advice/tree_advice.h"
#include "core/base/figures.h"
#include "core/ledger/outside.h"
#include "core/platform/program_stores.h"
#include "core/snapshot/catalogue.h"

namespace kurvo {

/// What a technician does with a lead next.
enum class LeadStep : std::uint8_t {
    Look,  ///< find out more
    Plan,  ///< put its items on the plan
    Tool,  ///< `command`, or the program that it belongs to
    Ask,   ///< somebody has to say
    Empty, ///< the trash
};
/// "look", "plan", "tool", "ask", "empty"
const char* leadStepName(LeadStep step);

struct Lead {
    std::string id;       ///< the same from scan to scan: what it is and where, "map-tiles:/home/warden/.cache/tiles"
    std::string title;    ///< what it is: "A map viewer's cache"
    std::string sentence; ///< all of it: "A map viewer's cache holds 89.5 GiB in a hidden folder, ..."
    std::string why;      ///< what is known of such things: a sentence or two
    std::string next;     ///< what to do: a sentence or two
    std::string command;  ///< of the better tool; may be empty
    std::string where;    ///< the item, or the folder that holds all of them; bytes; empty where there is none
    std::vector<NodeId> nodes;   ///< its items, the largest first; empty where the tree does not have them
    std::uint64_t bytes = 0;     ///< on disk, less what is in leads that rank before
    std::uint64_t comesFree = 0; ///< of those, when all of it goes: further hard links elsewhere hold the others
    AdviceLevel level = AdviceLevel::YourCall;
    Role role = Role::NotKnown;
    std::optional<double> perMonth; ///< bytes that it grows, where snapshots say so clearly
    LeadStep step = LeadStep::Look;
    double score = 0; ///< what they are ranked by
};

struct Leads {
    static constexpr std::size_t most = 12;
    std::vector<Lead> leads;         ///< the first twelve
    std::vector<Lead> rest;          ///< what is smaller or less sure, in their order
    std::uint64_t bytes() const;     ///< of the twelve
    std::uint64_t comesFree() const; ///< of those of the twelve that are usually safe, or have a tool
};

struct LeadFacts {
    std::shared_ptr<const FileTree> tree; ///< whole or growing
    SnapshotInfo info;                    ///< of it: when it was scanned, the ledger, whose it is
    std::shared_ptr<const RuleBook> book;
    std::shared_ptr<const TreeAdvice> advice = {}; ///< of that tree by that book; worked out where it is null
    std::string runningKernel = {};                ///< where the tree is of the running system
    bool live = false; ///< the tree is of what is on this machine now: the disk can be asked what comes free
    GuardFacts guard = {};
    std::vector<StoredThing> stores = {};     ///< of snap, flatpak, docker and podman
    std::vector<OutsideLine> outside = {};    ///< of the drive, where the tree is all of it
    std::vector<CatalogueEntry> earlier = {}; ///< snapshots of the place; may be empty
    SizeUnits units = SizeUnits::Binary;      ///< of the sentences
    std::vector<std::string> aside = {};      ///< ids of leads that were put aside: what they hold is in no lead
};

/// Some 0.2 s for a million entries, on threads of its own: not for the interface thread. On stop what is known by
/// then.
Leads findLeads(const LeadFacts& facts, std::stop_token stop = {});

} // namespace kurvo
