// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of paths: rules that say what something is, and whether it may go. They come with Kurvo and can be
// added to and overridden with files of one's own; the format is described in docs/advice.md.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/advice/role.h"
#include "core/advice/rule_patterns.h"

namespace kurvo {

/// How careful to be, the most careful first.
enum class AdviceLevel : std::uint8_t { LeaveAlone, OwnTool, YourCall, UsuallySafe };
inline constexpr std::size_t adviceLevels = 4;
/// "leave alone", "use its own tool", "your call", "usually safe"
const char* adviceLevelName(AdviceLevel level);

struct AdviceRule {
    std::string id;
    std::vector<std::string> paths; ///< patterns as they were written
    AdviceLevel level = AdviceLevel::YourCall;
    std::string what;         ///< what it is, a sentence
    std::string action;       ///< what to do with it, a sentence or two
    std::string command;      ///< of the better tool; may be empty
    std::optional<Role> role; ///< what such entries are there for; nothing: as the folder they lie in
    std::string lead;         ///< how a lead names them, "A map viewer's cache"; empty: they are none by themselves
    std::string leads;        ///< several of them, "Caches of map viewers"; may be empty
    bool inUse = false;       ///< it is there to be used: a large one stands out, but seldom goes
    std::string test;         ///< a path it speaks of
    std::string notTest;      ///< and one it does not
    std::string file;         ///< where it stands; empty for those that come with Kurvo
    std::size_t line = 0;
};

/// What is wrong in a file of rules, as a sentence.
struct RuleProblem {
    std::string file;
    std::size_t line = 0;
    std::string sentence;
};

/// The first rule that fits speaks; those that were added last come first. Immutable but for add(); may be read from
/// any thread.
class RuleBook {
public:
    /// The rules that come with Kurvo.
    static const RuleBook& builtIn();

    /// Puts the rules of one file before all that are there. A rule with the id of one that is there replaces it. What
    /// cannot be understood is left out and told; each rule is read by itself, so that the others still work.
    std::vector<RuleProblem> add(std::string_view toml, const std::string& file);

    const std::vector<AdviceRule>& rules() const { return rules_; }
    /// The rule for an absolute path, or null. Never says "usually safe" of what belongs to the system.
    const AdviceRule* find(std::string_view path) const;
    /// Whether the patterns of rule `index` fit this path, whatever other rules say.
    bool fits(std::size_t index, std::string_view path) const;

    const RulePatterns& patterns() const { return patterns_; }

private:
    std::vector<AdviceRule> rules_;
    RulePatterns patterns_;
};

/// The rules of this user: those that come with Kurvo, and those in `$XDG_CONFIG_HOME/kurvo/advice/*.toml`, later names
/// before earlier ones.
struct UserRules {
    RuleBook book;
    std::vector<RuleProblem> problems;
};
UserRules readUserRules(const std::string& configFolder);

} // namespace kurvo
