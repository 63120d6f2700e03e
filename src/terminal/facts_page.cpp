// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "core/platform/entry_kind_names.h"
#include "core/platform/file_facts.h"
#include "terminal/pages.h"

namespace kurvo::terminal {

FactsPage::FactsPage(Desk& desk, Pages& pages, NodeId node)
    : TextPage(desk, pages, displayText(desk.tree().label(node)), {}), node_(node), path_(desk.tree().path(node)),
      told_(std::make_shared<std::vector<std::string>>())
{
    write();
    look();
}

std::vector<NodeId> FactsPage::subjects() const
{
    return node_ != noNode && desk_.hasPlace() && desk_.tree().contains(node_) ? std::vector<NodeId>{node_}
                                                                               : std::vector<NodeId>{};
}

std::string FactsPage::pointer() const
{
    return pointerLine(desk_, node_);
}

void FactsPage::renumber(const std::function<NodeId(NodeId)>& newId)
{
    node_ = node_ == noNode ? noNode : newId(node_);
    write();
}

/// What the disk and the machine say of it; the tree says the rest.
void FactsPage::look()
{
    const auto& place = desk_.place();
    desk_.work().run(
        [path = path_, folder = desk_.tree().isFolder(node_), lore = desk_.lore(), here = place.isHere,
         snapshot = place.fromSnapshot](const std::stop_token&) {
            std::vector<std::string> lines;
            const auto facts = here ? readFileFacts(path) : Result<FileFacts>(Error{});
            if (facts) {
                lines.push_back(fmt::format("Owner: {}, group {}; permissions {:o}", facts->owner, facts->group,
                                            facts->stat.mode & 07777u));
                if (!facts->linkTarget.empty())
                    lines.push_back("Links to: " + displayText(facts->linkTarget) +
                                    (facts->linkBroken ? " (nothing is there)" : ""));
                if (facts->compressed)
                    lines.push_back("The filesystem compresses it.");
                if (facts->shared)
                    lines.push_back("It shares blocks with other files: these come free only with the last of them.");
            } else if (here) {
                lines.push_back(facts.error().sentence);
            }
            const auto& book = lore ? lore->rules.book : RuleBook::builtIn();
            const auto advice =
                adviceFor(path, folder, book,
                          snapshot || !here ? std::vector<Evidence>{}
                                            : gatherEvidence(path, lore && lore->packages ? &*lore->packages : nullptr,
                                                             currentTime()));
            lines.push_back("");
            lines.push_back("# Advice: " + std::string(adviceLevelName(advice.level)));
            lines.push_back(advice.what + (advice.action.empty() ? "" : " " + advice.action));
            if (!advice.command.empty())
                lines.push_back("  $ " + displayText(advice.command));
            for (const auto& evidence : advice.evidence)
                lines.push_back("  - " + evidence.sentence);
            return lines;
        },
        [told = told_, desk = &desk_](std::vector<std::string> lines) {
            *told = std::move(lines);
            if (desk->changed)
                desk->changed();
        });
}

void FactsPage::write()
{
    std::vector<std::string> lines{"# " + displayText(path_), ""};
    const auto& place = desk_.place();
    if (node_ == noNode || !desk_.hasPlace() || !desk_.tree().contains(node_)) {
        lines.emplace_back("It is not there any more.");
        return setLines(std::move(lines));
    }
    const auto& tree = desk_.tree();
    const auto& store = tree.store();
    const auto share = [&](std::uint64_t whole) { return formatShare(tree.disk(node_), whole); };
    lines.push_back(fmt::format("On disk: {} ({} bytes), {} of its folder, {} of the place",
                                desk_.size(tree.disk(node_)), formatCount(tree.disk(node_)),
                                share(node_ == rootNode ? tree.disk(rootNode) : tree.disk(tree.parent(node_))),
                                share(tree.disk(rootNode))));
    lines.push_back(fmt::format("Apparent: {}", desk_.size(tree.apparent(node_))));
    if (tree.isFolder(node_)) {
        const auto& sums = tree.sums(node_);
        lines.push_back(fmt::format("Holds {} and {}; {} hidden, in {}", formatItems(sums.files, "file"),
                                    formatItems(sums.folders, "folder"), desk_.size(sums.hiddenDisk),
                                    formatItems(sums.hiddenFiles, "file")));
        if (sums.unreadable > 0)
            lines.push_back(formatItems(sums.unreadable, "folder") + " in it could not be read: it may hold more.");
    } else {
        lines.push_back(std::string("Type: ") + std::string(typeInfo(store.type(node_)).name));
    }
    if (const auto when = tree.newest(node_); when != INT64_MIN)
        lines.push_back("Changed: " + formatTime(when) + ", " + formatWhen(when, currentTime()));
    lines.push_back("Belongs to: " + ownerName(place.info, store.owner(node_)));
    if (store.has(node_, FlagLinked)) {
        const auto at = tree.countedAt(node_);
        lines.push_back(at == node_ || at == noNode
                            ? "It has further hard links: its space comes free with the last of them."
                            : "Linked, counted at " + displayText(tree.path(at)));
    }
    if (isSparse(store, node_))
        lines.emplace_back("It is sparse: fewer blocks than its length.");
    if (isPreallocated(store, node_))
        lines.emplace_back("It has blocks beyond its length, kept for what is to be written.");
    if (place.earlier) {
        const auto growth = place.earlier->growth(tree, node_, Measure::Disk);
        lines.push_back(fmt::format("Since {}: {}", formatTime(place.earlierTaken).substr(0, 10),
                                    place.earlier->earlier(node_) == noNode ? "new"
                                    : growth == 0                           ? "the same size"
                                                  : formatDifference(growth, desk_.wish().units)));
    }
    if (place.advice) {
        const auto role = place.advice->roles[node_];
        lines.push_back(std::string("Role: ") + roleTitle(role));
    }
    if (const auto found = place.marks ? place.marks->of(node_) : TreeMarks::Found{}; found.mark)
        lines.push_back("Mark: " + found.mark->kind +
                        (found.mark->note.empty() ? "" : ", " + displayText(found.mark->note)) +
                        (found.from == node_ ? "" : " (of " + displayText(tree.path(found.from)) + ")"));
    if (const auto protection = protectionOf(path_, desk_.guard()))
        lines.push_back("Protected: " + protection->reason);
    if (const auto* item = place.plan.covering(path_))
        lines.push_back(std::string("On the plan: ") + actionName(item->action) +
                        (item->destination.empty() ? "" : " to " + displayText(item->destination)));
    if (!place.foreignReason().empty())
        lines.push_back(place.foreignReason());
    lines.insert(lines.end(), told_->begin(), told_->end());
    setLines(std::move(lines));
}

} // namespace kurvo::terminal
