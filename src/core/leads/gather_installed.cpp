// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <map>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/leads/candidates.h"

namespace kurvo {
namespace {

void addPackages(const Gathering& g, const PackageDatabase& packages, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    Candidate made;
    auto& lead = made.lead;
    std::size_t count = 0;
    std::string names;
    for (const auto& package : packages.packages()) {
        if (!package.neededByNone)
            continue;
        constexpr std::size_t most = 500, named = 4;
        if (++count > most)
            break;
        if (count <= named)
            names += (names.empty() ? "" : ", ") + package.name.substr(0, package.name.find(':'));
        for (const auto path : packages.pathsOf(package)) {
            auto node = tree.find(path);
            if (!node && !path.starts_with("/usr/"))
                node = tree.find("/usr" + std::string(path)); // where /bin is a link to /usr/bin
            if (node && !tree.isFolder(*node) && tree.disk(*node) > 0)
                lead.nodes.push_back(*node);
        }
    }
    std::sort(lead.nodes.begin(), lead.nodes.end());
    lead.nodes.erase(std::unique(lead.nodes.begin(), lead.nodes.end()), lead.nodes.end());
    if (lead.nodes.empty())
        return;
    lead.id = "unneeded-packages:";
    lead.title = "Packages nobody needs";
    made.subject = formatItems(count, "package") + " that nothing needs any more " + (count == 1 ? "holds" : "hold");
    made.verdict = " and may be removed by the package manager";
    made.several = true;
    made.certainty = 1.2;
    lead.why = "Pulled in as dependencies once, and depended on by nothing that is wanted: " + names +
               (count > 4 ? ", ..." : "") + ".";
    lead.next = "Look at what apt would remove before it does.";
    lead.command = "sudo apt autoremove --purge";
    lead.level = AdviceLevel::OwnTool;
    lead.step = LeadStep::Tool;
    lead.role = Role::Programs;
    all.push_back(std::move(made));
}

/// Of each store and kind what is kept for nobody, as one lead.
void addStores(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    struct Words {
        const char* one;
        const char* many;
        const char* command;
    };
    const std::map<std::pair<std::string, std::string>, Words> words{
        {{"snap", "revision"}, {"old snap revision", "old snap revisions", ""}},
        {{"flatpak", "runtime"},
         {"flatpak runtime that no program needs", "flatpak runtimes that no program needs",
          "flatpak uninstall --unused"}},
        {{"flatpak", "revision"}, {"old flatpak revision", "old flatpak revisions", ""}},
        {{"docker", "image"},
         {"docker image without a container", "docker images without a container", "docker image prune --all"}},
        {{"docker", "container"}, {"stopped docker container", "stopped docker containers", "docker container prune"}},
        {{"docker", "volume"},
         {"docker volume that no container has", "docker volumes that no container has",
          "docker volume ls --filter dangling=true"}},
        {{"podman", "image"},
         {"podman image without a container", "podman images without a container", "podman image prune --all"}},
    };
    std::map<std::pair<std::string, std::string>, std::vector<const StoredThing*>> groups;
    for (const auto& thing : g.facts.stores)
        if (!thing.needed)
            groups[{thing.store, thing.kind}].push_back(&thing);
    for (const auto& [key, things] : groups) {
        const auto found = words.find(key);
        if (found == words.end())
            continue;
        Candidate made;
        auto& lead = made.lead;
        std::string names;
        std::vector<const StoredThing*> there; // what the tree has of it
        for (const auto* thing : things) {
            const auto before = lead.nodes.size();
            for (const auto& path : thing->paths)
                if (const auto node = tree.find(path); node && tree.disk(*node) > 0)
                    lead.nodes.push_back(*node);
            if (lead.nodes.size() == before)
                continue;
            there.push_back(thing);
            if (there.size() <= 4)
                names += (names.empty() ? "" : ", ") + displayText(thing->name);
        }
        if (lead.nodes.empty())
            continue;
        lead.id = "stored:" + key.first + "-" + key.second;
        lead.title = found->second.many;
        lead.title[0] = static_cast<char>(lead.title[0] >= 'a' ? lead.title[0] - 'a' + 'A' : lead.title[0]);
        lead.where = lead.nodes.size() == 1 ? tree.path(lead.nodes.front()) : tree.path(commonFolder(tree, lead.nodes));
        const auto count = there.size();
        made.subject = formatItems(count, found->second.one, found->second.many) + (count == 1 ? " holds" : " hold");
        made.several = true;
        lead.why = names + (count > 4 ? ", ..." : "") + ". " + there.front()->why;
        lead.next = key.second == "volume" ? "Ask what was in it: a volume is data, and may be the only copy."
                                           : "Have its own tool remove it; never its folders.";
        lead.command = found->second.command;
        constexpr std::size_t mostCommands = 4;
        if ((there.size() == 1 && key.second != "volume") ||
            lead.command.empty()) { // volumes are data: they are listed
            lead.command.clear();
            for (std::size_t i = 0; i < std::min(there.size(), mostCommands); ++i)
                lead.command += (i == 0 ? "" : " && ") + there[i]->command;
        }
        lead.level = key.second == "volume" ? AdviceLevel::YourCall : AdviceLevel::OwnTool;
        lead.step = key.second == "volume" ? LeadStep::Ask : LeadStep::Tool;
        lead.role = key.first == "docker" || key.first == "podman" ? Role::Machines : Role::Programs;
        std::sort(lead.nodes.begin(), lead.nodes.end(), [&](NodeId a, NodeId b) {
            return tree.disk(a) != tree.disk(b) ? tree.disk(a) > tree.disk(b) : a < b;
        });
        all.push_back(std::move(made));
    }
}

/// What could be the drive's, and what only its snapshots hold.
void addOutside(const Gathering& g, std::vector<Candidate>& all)
{
    // Where a fifth of the drive is free nobody needs more of it.
    const auto& capacity = g.facts.info.capacity;
    const bool isFull = capacity.free < capacity.total / 5;
    for (const auto& line : g.facts.outside) {
        if (!line.bytes || *line.bytes < g.threshold || line.kind == "swap" || line.kind == "pool" ||
            (!isFull && line.kind != "snapshots"))
            continue;
        Candidate made;
        auto& lead = made.lead;
        const bool snapshots = line.kind == "snapshots";
        lead.id = "outside-" + line.kind + ":";
        lead.title = line.title;
        lead.bytes = lead.comesFree = *line.bytes;
        made.subject = snapshots                 ? "Snapshots of the filesystem hold"
                       : line.kind == "reserved" ? "What is reserved for the system comes to"
                       : line.kind == "smaller"  ? "The filesystem is smaller than its partition, by"
                       : line.kind == "group"    ? "Space of the volume group in no volume comes to"
                                                 : "Space of the disk in no partition comes to";
        made.verdict = snapshots ? " that nothing else has" : "";
        made.certainty = snapshots ? 0.8 : line.kind == "smaller" ? 0.6 : 0.2;
        made.several = snapshots;
        lead.why = line.evidence;
        lead.next =
            snapshots ? "Let the tool that made them remove the oldest." : "The command uses it. Have a backup first.";
        lead.command = line.command;
        lead.level = AdviceLevel::OwnTool;
        lead.step = LeadStep::Tool;
        lead.role = Role::System;
        all.push_back(std::move(made));
    }
}

} // namespace

void gatherInstalled(const Gathering& g, std::vector<Candidate>& all)
{
    if (g.facts.guard.packages && g.facts.tree->find("/"))
        addPackages(g, *g.facts.guard.packages, all);
    addStores(g, all);
    addOutside(g, all);
}

} // namespace kurvo
