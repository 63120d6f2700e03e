// SPDX-License-Identifier: GPL-3.0-or-later
// What this machine itself says about a path right now: whose package it is, who has it open, what it is to the system.
#pragma once

#include <string>
#include <vector>

#include "core/advice/rule_book.h"
#include "core/platform/package_database.h"

namespace kurvo {

/// One thing that was found out, and how careful it makes one.
struct Evidence {
    enum class Kind { Package, Open, Mount, RunningKernel, ActiveSwap, JustChanged, OtherLinks, NotKnown };
    Kind kind = Kind::NotKnown;
    AdviceLevel atMost = AdviceLevel::UsuallySafe; ///< whatever a rule says, it is no safer than this
    std::string sentence;
};

/// Asks the disk and /proc: 10 to 100 ms, not for the interface thread. `packages` may be null. The path must be of
/// this running system; what cannot be found out is left out, or told where it matters.
std::vector<Evidence> gatherEvidence(const std::string& path, const PackageDatabase* packages, std::int64_t now);

/// What is said of one item in the end.
struct Advice {
    AdviceLevel level = AdviceLevel::YourCall;
    std::string what;
    std::string action;
    std::string command; ///< may be empty
    std::string rule;    ///< its id; empty when none speaks of this path
    std::vector<Evidence> evidence;
};

/// The rule's words, and the most careful level of the rule and all evidence. Where no rule speaks, it says so.
Advice adviceFor(const std::string& path, bool isFolder, const RuleBook& book, std::vector<Evidence> evidence = {});

} // namespace kurvo
