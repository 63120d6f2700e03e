// SPDX-License-Identifier: GPL-3.0-or-later
// Upkeep: rules that are left behind so that a drive does not fill again. A rule is a file of its own (TOML,
// docs/upkeep.md), so that one that is mistaken does not keep the others from working.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/platform/folders.h"

namespace kurvo {

inline constexpr std::int64_t daySeconds = 86400;

enum class UpkeepAction : std::uint8_t { Tell, Trash, Delete, Move };
/// "tell", "trash", "delete", "move"
const char* upkeepActionName(UpkeepAction action);

/// What a rule speaks of; one of these.
enum class UpkeepSubject : std::uint8_t {
    Filter,  ///< files that a filter finds (docs/filter.md)
    Leads,   ///< what leads of these kinds hold (docs/leads.md)
    Advice,  ///< files that these rules of the advice speak of (docs/advice.md)
    Folders, ///< the same, folders as a whole
    Trash    ///< what lies in the user's trash on the place's drive
};

struct UpkeepRule {
    std::string name;  ///< of its file, without ".toml": letters, digits and "-"
    std::string title; ///< for people
    std::string place; ///< folder; bytes
    UpkeepSubject subject = UpkeepSubject::Filter;
    std::string filter;             ///< of Filter
    std::vector<std::string> kinds; ///< of Leads: the part of their ids before the colon; of Advice, Folders: rule ids

    // From when on.
    int olderDays = 0;            ///< not changed for so long; of the trash: in it for so long; 0: any
    std::uint64_t moreThan = 0;   ///< only where there is more in all, and then the oldest until no more is left
    double fullerThan = 0;        ///< percent: only where the drive is fuller, and then the oldest until it is not
    std::uint64_t growsAWeek = 0; ///< only files that grew by more in a week, by the snapshots; of Tell

    UpkeepAction action = UpkeepAction::Tell;
    std::string to;         ///< Move: the folder; bytes
    std::string toDrive;    ///< which drive that is (driveIdentity()); empty where it is not known
    std::uint64_t most = 0; ///< bytes of one run; more stops it, and it asks. Not of Tell
    int keepDays = 30;      ///< Trash: after so long in the trash what this rule put there is deleted; 0: never
    bool on = false;
    std::int64_t made = 0; ///< UTC seconds: when its file was written last; 0 for one that has none
    /// What it says; not when it was written.
    bool operator==(const UpkeepRule& other) const;
};

/// As a person would say it: "Trashes files not changed for 30 days that ... in /home/warden, at most 20 GiB a run."
std::string describeRule(const UpkeepRule& rule);

/// What is wrong with a rule by itself, as a sentence; empty when nothing is. Asks no disk.
std::string problemOf(const UpkeepRule& rule);

struct UpkeepRules {
    std::vector<UpkeepRule> rules;     ///< by name
    std::vector<std::string> problems; ///< "FILE:4: ..."; a rule that is mistaken is left out, the rest works
    const UpkeepRule* find(const std::string& name) const;
};

/// The rules in that folder; none where it is not there.
UpkeepRules readUpkeepRules(const std::string& folder);
/// Reads one. WrongFormat with the line; NoPermission for one of another user, whose rules are not carried out (root
/// would do what somebody else wrote).
Result<UpkeepRule> readUpkeepRule(const std::string& file);
/// Writes or replaces it in that folder, which is made.
Result<Done> writeUpkeepRule(const std::string& folder, const UpkeepRule& rule);
Result<Done> removeUpkeepRule(const std::string& folder, const std::string& name);
/// Which drive a rule that moves there is meant for: driveIdentity() of the folder; empty where it is not there.
std::string driveAt(const std::string& folder);
/// Where the rules of this user are.
std::string upkeepFolder(const UserFolders& user);
/// A name for a rule with this title that none of these has: "old-installers-2".
std::string freeRuleName(const std::string& title, const UpkeepRules& rules);

/// Rules to switch on as they are; all off.
std::vector<UpkeepRule> readyUpkeepRules(const UserFolders& user);

/// Rules that would fight, each as a sentence that names them: what one moves away another moves back. Only those that
/// are on, and `with`, are asked.
std::vector<std::string> fightsOf(const std::vector<UpkeepRule>& rules, const UpkeepRule* with = nullptr);

} // namespace kurvo
