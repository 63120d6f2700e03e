// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/leads/aside.h"
#include "terminal/pages.h"

namespace kurvo::terminal {

std::string LeadsPage::title() const
{
    if (!desk_.hasPlace() || !desk_.place().leads)
        return "What stands out";
    const auto& leads = *desk_.place().leads;
    return fmt::format("What stands out: {}, of which {} may usually go or are cleared with their own tool",
                       desk_.size(leads.bytes()), desk_.size(leads.comesFree()));
}

std::string LeadsPage::emptyWords() const
{
    if (!desk_.hasPlace())
        return "No place is open.";
    if (desk_.place().growing)
        return "The leads are worked out when the scan has ended.";
    return desk_.place().leads ? "Nothing stands out here." : "Looking for what stands out...";
}

std::size_t LeadsPage::count() const
{
    return desk_.hasPlace() && desk_.place().leads
               ? desk_.place().leads->leads.size() + desk_.place().leads->rest.size()
               : 0;
}

const Lead* LeadsPage::at(std::size_t row) const
{
    if (row >= count())
        return nullptr;
    const auto& leads = *desk_.place().leads;
    return row < leads.leads.size() ? &leads.leads[row] : &leads.rest[row - leads.leads.size()];
}

void LeadsPage::drawRow(Screen& screen, int y, int width, std::size_t row)
{
    const auto& lead = *at(row);
    if (isChosen(row))
        screen.put(y, 0, "*", 1, Ink::Accent);
    screen.putRight(y, 1, desk_.size(lead.bytes), 10);
    screen.put(y, 12, adviceLevelName(lead.level), 17,
               lead.level == AdviceLevel::LeaveAlone ? Ink::Hidden : Ink::Second);
    const bool rest = row >= desk_.place().leads->leads.size();
    screen.put(y, 30, lead.sentence, width - 31, rest ? Ink::Second : Ink::Plain);
}

void LeadsPage::activate(std::size_t row)
{
    const auto& lead = *at(row);
    std::vector<std::string> lines{"# " + lead.sentence, ""};
    if (!lead.where.empty())
        lines.push_back(displayText(lead.where));
    lines.push_back(fmt::format("{}; {} on disk, {} would come free.", adviceLevelName(lead.level),
                                desk_.size(lead.bytes), desk_.size(lead.comesFree)));
    if (lead.perMonth)
        lines.push_back("It grows by " + desk_.size(static_cast<std::uint64_t>(std::max(0.0, *lead.perMonth))) +
                        " a month.");
    if (!lead.why.empty())
        lines.push_back(lead.why);
    lines.push_back("");
    lines.push_back("# What to do");
    lines.push_back(lead.next);
    if (!lead.command.empty())
        lines.push_back("  $ " + displayText(lead.command));
    constexpr std::size_t most = 200;
    if (!lead.nodes.empty()) {
        lines.push_back("");
        lines.push_back("# " + formatItems(lead.nodes.size(), "item"));
        for (std::size_t i = 0; i < std::min(most, lead.nodes.size()); ++i)
            lines.push_back(fmt::format("{:>10}  {}", desk_.size(desk_.tree().disk(lead.nodes[i])),
                                        displayText(desk_.tree().path(lead.nodes[i]))));
    }
    pages_.push(std::make_unique<TextPage>(desk_, pages_, lead.title, std::move(lines)));
}

bool LeadsPage::key(const Key& key)
{
    if (key.name == "P") {
        std::vector<NodeId> nodes;
        for (const auto row : chosenRows())
            if (const auto* lead = at(row);
                lead && lead->level == AdviceLevel::UsuallySafe && lead->step == LeadStep::Plan)
                nodes.insert(nodes.end(), lead->nodes.begin(), lead->nodes.end());
        if (nodes.empty())
            pages_.say("None of the chosen leads may usually go by itself: see what each says is to be done.");
        else
            desk_.planItems(nodes, {});
        return true;
    }
    if (key.name == "A") {
        if (const auto* lead = at(selected()))
            pages_.ask("Put aside, with a note", {},
                       [this, id = lead->id, sentence = lead->sentence](const std::string& note) -> std::string {
                           desk_.putAside(id, sentence, note);
                           return {};
                       });
        return true;
    }
    if (key.name == "O") {
        if (const auto* lead = at(selected()); lead && !lead->nodes.empty())
            pages_.showInExplore(lead->nodes.front());
        return true;
    }
    return ListPage::key(key);
}

std::vector<NodeId> LeadsPage::subjects() const
{
    std::vector<NodeId> nodes;
    for (const auto row : chosenRows())
        if (const auto* lead = at(row))
            nodes.insert(nodes.end(), lead->nodes.begin(), lead->nodes.end());
    return nodes;
}

std::string LeadsPage::pointer() const
{
    const auto* lead = at(selected());
    return lead ? lead->sentence : std::string();
}

std::vector<std::pair<std::string, std::string>> LeadsPage::hints() const
{
    return {{"Enter", "read"}, {"P", "plan if safe"}, {"A", "put aside"}, {"O", "in Explore"}};
}

} // namespace kurvo::terminal
