// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/advice/rule_book.h"

#include <array>

#include "core/advice/built_in_rules.h"
#include "core/advice/guard.h"

namespace kurvo {
const char* adviceLevelName(AdviceLevel level)
{
    static constexpr std::array names{"leave alone", "use its own tool", "your call", "usually safe"};
    return names[static_cast<std::size_t>(level)];
}

const RuleBook& RuleBook::builtIn()
{
    static const RuleBook book = [] {
        RuleBook made;
        const auto& files = builtInRules();
        for (auto file = files.rbegin(); file != files.rend(); ++file)
            made.add(*file, {});
        return made;
    }();
    return book;
}

const AdviceRule* RuleBook::find(std::string_view path) const
{
    RulePatterns::State state;
    const auto best = patterns_.follow(path, state);
    if (best == rules_.size() || (rules_[best].level == AdviceLevel::UsuallySafe && isSystemPath(path)))
        return nullptr;
    return &rules_[best];
}

bool RuleBook::fits(std::size_t index, std::string_view path) const
{
    RulePatterns::State state;
    return patterns_.follow(path, state, index) == index;
}

} // namespace kurvo
