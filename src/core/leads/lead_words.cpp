// SPDX-License-Identifier: GPL-3.0-or-later
// Leads in words. Each sentence says what it is, how much it holds, how fast it grows, and what that means.
#include <cmath>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/leads/candidates.h"

namespace kurvo {
namespace {

/// Of a title such as "Package lists of apt": whether it "holds" or they "hold".
bool isPlural(std::string_view title)
{
    if (title.starts_with("A ") || title.starts_with("An ") || title.starts_with("The "))
        return false;
    for (int word = 0; word < 2 && !title.empty(); ++word) {
        auto first = title.substr(0, title.find(' '));
        title.remove_prefix(std::min(first.size() + 1, title.size()));
        if (first.ends_with(','))
            first.remove_suffix(1);
        if (first.ends_with('s') && !first.ends_with("'s") && !first.ends_with("ss"))
            return true;
    }
    return false;
}

std::string joined(const std::vector<std::string>& clauses)
{
    std::string text;
    for (std::size_t i = 0; i < clauses.size(); ++i)
        text += (i == 0 ? "" : i + 1 == clauses.size() ? " and " : ", ") + clauses[i];
    return text;
}

} // namespace

void putIntoWords(Candidate& candidate, const LeadFacts& facts)
{
    const auto& tree = *facts.tree;
    const auto now = facts.info.taken;
    auto& lead = candidate.lead;
    const bool plural = candidate.subject.empty() ? isPlural(lead.title) : candidate.subject.ends_with(" hold");
    const auto subject = candidate.subject.empty() ? lead.title + (plural ? " hold" : " holds") : candidate.subject;
    const bool single = lead.nodes.size() == 1;
    std::vector<std::string> clauses{subject + " " + formatBytes(lead.bytes, facts.units)};
    if (single && candidate.subject.empty() && tree.isHidden(lead.nodes.front()))
        clauses.back() += tree.isFolder(lead.nodes.front()) ? " in a hidden folder" : " out of sight";
    else if (candidate.several && candidate.subject.empty() && !single)
        clauses.back() += " in " + formatItems(lead.nodes.size(), "place");
    const double grows = lead.perMonth.value_or(0);
    if (grows > 0 && grows * 50 > static_cast<double>(lead.bytes))
        clauses.push_back((plural ? "grow " : "grows ") +
                          formatBytes(static_cast<std::uint64_t>(std::llround(grows)), facts.units) + " a month");
    constexpr std::int64_t half = 182 * 86400;
    if (!candidate.verdict) {
        const auto newest = single ? tree.newest(lead.nodes.front()) : now;
        switch (lead.level) {
        case AdviceLevel::UsuallySafe:
            clauses.emplace_back("may usually go");
            break;
        case AdviceLevel::OwnTool:
            if (lead.step == LeadStep::Empty)
                clauses.emplace_back(plural ? "come free once they are emptied" : "comes free once it is emptied");
            else
                clauses.emplace_back(plural ? "are best left to their own tool" : "is best left to its own tool");
            break;
        case AdviceLevel::YourCall:
            if (newest < now - half)
                clauses.push_back((plural ? "have" : "has") + std::string(" not changed since ") +
                                  formatWhen(newest, now));
            break;
        case AdviceLevel::LeaveAlone:
            clauses.emplace_back(plural ? "are best left alone" : "is best left alone");
            break;
        }
    }
    lead.sentence = joined(clauses) + candidate.verdict.value_or("") + ".";
    if (const auto at = lead.command.find("FILE"); at != std::string::npos && single)
        lead.command.replace(at, 4, shellQuoted(lead.where));
}

} // namespace kurvo
