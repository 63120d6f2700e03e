// SPDX-License-Identifier: GPL-3.0-or-later
// All patterns of a book of rules as one automaton. A path is followed component by component: what has not begun to
// fit is not looked at again, so that a whole tree costs little more than its names. Internal to core/advice.
#pragma once

#include <array>
#include <cstdint>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace kurvo {

struct AdviceRule;

/// The names in a path, without its slashes.
std::vector<std::string_view> componentsOf(std::string_view path);

/// Immutable once made; may be read from any thread.
class RulePatterns {
public:
    RulePatterns() = default;
    explicit RulePatterns(const std::vector<AdviceRule>& rules);

    /// A pattern that fits so far, and how many of its parts are used up.
    struct Reached {
        std::uint32_t pattern = 0;
        std::uint32_t part = 0;
        bool operator==(const Reached&) const = default;
    };
    /// Patterns that begin anywhere are in no state: they can begin at every name, and are asked by what that is.
    using State = std::vector<Reached>;

    State start() const;
    static constexpr std::size_t everyRule = SIZE_MAX;
    /// One name further: the state below it, and the first rule that fits there, or how many rules there are. `name`
    /// ends with a null byte. With `only` no other rule is looked at.
    std::size_t enter(const State& above, const char* name, std::size_t length, State& below,
                      std::size_t only = everyRule) const;
    /// The first rule that fits a whole path, and the state there.
    std::size_t follow(std::string_view path, State& state, std::size_t only = everyRule) const;

    /// Whether no name but one of mayBegin() changes anything any more; then `rule` is the first that fits below.
    bool isSettled(const State& state, std::size_t& rule) const;
    /// Whether a pattern may begin at this name. Quick; says yes too often rather than not.
    bool mayBegin(const char* name, std::size_t length) const
    {
        if (length == 0)
            return false;
        const auto first = static_cast<unsigned char>(name[0]), last = static_cast<unsigned char>(name[length - 1]);
        return anyBegins_ || firsts_[first] || lasts_[last] ||
               (lengthsByFirst_[first] >> (length < 63 ? length : 63) & 1) != 0;
    }

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
    void addPattern(std::string_view form, std::size_t rule);
    void indexBeginnings();
    void reach(std::uint32_t pattern, std::uint32_t part, State& state, std::size_t& best) const;

    std::size_t rules_ = 0;
    std::vector<Pattern> patterns_;
    // Those that begin with **, by what comes after it.
    struct TextHash {
        using is_transparent = void;
        std::size_t operator()(std::string_view text) const { return std::hash<std::string_view>()(text); }
    };
    std::unordered_map<std::string, std::vector<std::uint32_t>, TextHash, std::equal_to<>> byName_;
    std::array<std::uint64_t, 256> lengthsByFirst_{}; ///< of those names: which lengths there are, by the first byte
    using Lists = std::vector<std::vector<std::uint32_t>>;
    Lists byFirst_ = Lists(256), byLast_ = Lists(256); ///< by the first and by the last byte of the name
    std::array<bool, 256> firsts_{}, lasts_{};         ///< whether there are any
    std::vector<std::uint32_t> other_;
    bool anyBegins_ = false; ///< there are others
};

} // namespace kurvo
