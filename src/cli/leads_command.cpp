// SPDX-License-Identifier: GPL-3.0-or-later
// leads: what stands out, ranked.
#include <fmt/format.h>

#include "cli/command.h"
#include "cli/output.h"
#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/leads/aside.h"
#include "core/leads/gather_facts.h"
#include "core/leads/leads.h"
#include "core/platform/own_data.h"

namespace kurvo::cli {
namespace {

void printJson(const Lead& lead, const FileTree& tree)
{
    fmt::print(
        "{{\"id\": {}, \"sentence\": {}, \"path\": {}, \"items\": {}, \"disk_bytes\": {}, \"comes_free_bytes\": {}, "
        "\"level\": \"{}\", \"role\": \"{}\", \"grows_bytes_a_month\": {}, \"step\": \"{}\", \"why\": {}, \"do\": {}, "
        "\"command\": {}, \"paths\": [",
        jsonText(lead.id), jsonText(lead.sentence), lead.where.empty() ? "null" : jsonText(lead.where),
        lead.nodes.size(), lead.bytes, lead.comesFree, adviceLevelName(lead.level), roleName(lead.role),
        lead.perMonth ? fmt::format("{:.0f}", *lead.perMonth) : "null", leadStepName(lead.step), jsonText(lead.why),
        jsonText(lead.next), lead.command.empty() ? "null" : jsonText(lead.command));
    constexpr std::size_t mostPaths = 100;
    for (std::size_t i = 0; i < std::min(mostPaths, lead.nodes.size()); ++i)
        fmt::print("{}{}", i == 0 ? "" : ", ", jsonText(tree.path(lead.nodes[i])));
    fmt::print("]}}\n");
}

void printText(std::size_t number, const Lead& lead)
{
    fmt::print("{:>2}  {:<17} {}\n", number, adviceLevelName(lead.level), lead.sentence);
    if (!lead.where.empty())
        fmt::print("    {}\n", displayText(lead.where));
    if (lead.comesFree != lead.bytes)
        fmt::print("    Comes free: {}.\n", sizeText(lead.comesFree));
    fmt::print("    {}\n", lead.next);
    if (!lead.command.empty())
        fmt::print("    $ {}\n", displayText(lead.command));
}

int changeAside(const AsideLeads& aside, const LeadArguments& arguments, const Leads& found)
{
    if (!arguments.bringBack.empty()) {
        const auto done = aside.bringBack(arguments.bringBack);
        if (!done)
            complain(done.error().sentence);
        return done ? ExitDone : ExitFailed;
    }
    for (const auto* list : {&found.leads, &found.rest})
        for (const auto& lead : *list)
            if (lead.id == arguments.putAside) {
                const auto done = aside.putAside({lead.id, lead.sentence, arguments.note, currentTime()});
                if (!done)
                    complain(done.error().sentence);
                return done ? ExitDone : ExitFailed;
            }
    complain("No lead has the id " + displayText(arguments.putAside) + ". --json prints the ids.");
    return ExitFailed;
}

} // namespace

Leads leadsOf(const Source& source, const std::string& argument, const std::string& folder, AsideUse use,
              std::size_t* aside)
{
    const auto user = withCarried(userFolders());
    LeadFacts facts{source.tree, source.info, std::make_shared<const RuleBook>(readUserRules(user.config).book)};
    const bool isHere = !facts.info.sample && facts.info.host == hostName();
    facts.guard = {user, ownDataFolder(user)};
    std::optional<PackageDatabase> packages;
    facts.live = isHere && !source.remote && !argument.ends_with(snapshotSuffix) && !source.tree->isTogether();
    if (isHere)
        if (auto read = PackageDatabase::read())
            facts.guard.packages = &packages.emplace(std::move(*read));
    const bool whole = facts.live && !facts.info.partial && facts.info.place == facts.info.mountPoint;
    const auto open = argument.ends_with(snapshotSuffix) ? argument : std::string();
    gatherLeadFacts(facts, {isHere, whole, false, snapshotsFolder(folder), open});
    facts.units = output().units;
    if (use == AsideUse::LeaveOut) {
        if (const auto known = AsideLeads(asideLeadsFile(ownDataFolder(user)), facts.info.host).read())
            facts.aside = idsOf(*known);
        else
            complain(known.error().sentence);
    }
    if (aside)
        *aside = facts.aside.size();
    Leads found;
    runInterruptible([&](std::stop_token stop) { found = findLeads(facts, stop); },
                     [] { return std::string("looking for what stands out"); });
    return found;
}

int runLeads(const LeadArguments& arguments)
{
    auto source = loadTogether(arguments.sources);
    if (!source) {
        complain(source.error().sentence);
        return ExitFailed;
    }
    const bool changes = !arguments.putAside.empty() || !arguments.bringBack.empty();
    std::size_t aside = 0;
    const auto found = leadsOf(*source, arguments.sources.front(), arguments.folder,
                               changes ? AsideUse::Show : AsideUse::LeaveOut, &aside);
    if (changes)
        return changeAside(AsideLeads(asideLeadsFile(ownDataFolder(withCarried(userFolders()))), source->info.host),
                           arguments, found);
    if (arguments.json) {
        for (const auto* list : {&found.leads, &found.rest})
            for (const auto& lead : *list)
                printJson(lead, *source->tree);
        return source->finish();
    }
    for (std::size_t i = 0; i < found.leads.size(); ++i)
        printText(i + 1, found.leads[i]);
    if (found.leads.empty())
        fmt::print("Nothing stands out here.\n");
    else
        fmt::print("{} in all, of which {} may usually go or are cleared with their own tool.\n",
                   sizeText(found.bytes()), sizeText(found.comesFree()));
    if (!found.rest.empty()) {
        std::uint64_t rest = 0;
        for (const auto& lead : found.rest)
            rest += lead.bytes;
        fmt::print("The rest: {}, {}; --json lists them.\n", formatItems(found.rest.size(), "lead"), sizeText(rest));
    }
    if (aside > 0)
        fmt::print("{} put aside.\n", formatItems(aside, "lead was", "leads were"));
    return source->finish();
}

} // namespace kurvo::cli
