// SPDX-License-Identifier: GPL-3.0-or-later
// What is known of paths: rules that say what something is, and whether it may go. They come with Kurvo and can be
// added to and overridden with files of one's own; the format is described in docs/advice.md.
#pragma once

#include <cstdint>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "core/tree/file_tree.h"

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
    std::string what;    ///< what it is, a sentence
    std::string action;  ///< what to do with it, a sentence or two
    std::string command; ///< of the better tool; may be empty
    std::string test;    ///< a path it speaks of
    std::string notTest; ///< and one it does not
    std::string file;    ///< where it stands; empty for those that come with Kurvo
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

    /// The level for each entry of a tree by id; entries that no rule speaks of are 'your call'. One walk.
    std::vector<AdviceLevel> levels(const FileTree& tree) const;

private:
    /// One component of a pattern.
    struct Part {
        enum class Kind : std::uint8_t { Literal, Ending, Beginning, Any, Glob, Deep } kind = Kind::Literal;
        std::string text;
        bool fits(const char* name, std::size_t length) const;
    };
    struct Pattern {
        std::vector<Part> parts;
        std::size_t rule = 0;
    };
    /// Patterns that fit so far, and how many of their parts are used up.
    struct Reached {
        std::uint32_t pattern = 0;
        std::uint32_t part = 0;
    };
    using State = std::vector<Reached>;

    void compile();
    State start() const;
    /// One component further. Returns the first rule that fits there, or rules().size().
    static constexpr std::size_t everyRule = SIZE_MAX;
    std::size_t enter(const State& above, const char* name, std::size_t length, State& below,
                      std::size_t only = everyRule) const;
    void reach(std::uint32_t pattern, std::uint32_t part, State& state, std::size_t& best) const;

    std::vector<AdviceRule> rules_;
    std::vector<Pattern> patterns_;
    // Those that begin with **, by what comes after it.
    struct TextHash {
        using is_transparent = void;
        std::size_t operator()(std::string_view text) const { return std::hash<std::string_view>()(text); }
    };
    std::unordered_map<std::string, std::vector<std::uint32_t>, TextHash, std::equal_to<>> anywhereByName_;
    std::vector<std::vector<std::uint32_t>> anywhereByLast_ =
        std::vector<std::vector<std::uint32_t>>(256); ///< by the last byte of the name
    std::vector<std::uint32_t> anywhereOther_;
};

/// The rules of this user: those that come with Kurvo, and those in `$XDG_CONFIG_HOME/kurvo/advice/*.toml`, later names
/// before earlier ones.
struct UserRules {
    RuleBook book;
    std::vector<RuleProblem> problems;
};
UserRules readUserRules(const std::string& configFolder);

} // namespace kurvo
