// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <map>
#include <tuple>
#include <unordered_map>

#define XXH_INLINE_ALL
#include <xxhash.h>

#include "core/base/figures.h"
#include "core/base/text.h"
#include "core/find/questions.h"
#include "core/find/versions.h"
#include "core/leads/candidates.h"
#include "core/ledger/ledger.h"

namespace kurvo {
namespace {

constexpr std::int64_t day = 86400;
constexpr std::int64_t year = 365 * day;
constexpr std::uint64_t large = 10 << 20;

bool isPersonal(Role role)
{
    return role == Role::Documents || role == Role::Pictures || role == Role::Audio || role == Role::Video ||
           role == Role::Personal || role == Role::Downloads;
}

void sortBySize(const FileTree& tree, std::vector<NodeId>& nodes)
{
    std::sort(nodes.begin(), nodes.end(),
              [&](NodeId a, NodeId b) { return tree.disk(a) != tree.disk(b) ? tree.disk(a) > tree.disk(b) : a < b; });
}

/// A name that says its bearer is a copy.
bool namesACopy(std::string_view path)
{
    std::string low(path);
    std::transform(low.begin(), low.end(), low.begin(),
                   [](char c) { return c >= 'A' && c <= 'Z' ? static_cast<char>(c + ('a' - 'A')) : c; });
    for (const auto* word : {"copy", "backup", "(1)", "(2)", "to sort", "/old", ".bak", "trash"})
        if (low.find(word) != std::string::npos)
            return true;
    return false;
}

/// What a folder holds: names, kinds and sizes, whatever the order.
std::uint64_t shapeOf(const FileTree& tree, NodeId folder)
{
    std::uint64_t sum = 0;
    tree.forEachChild(folder, [&](NodeId child) {
        const auto name = tree.name(child);
        const bool isFolder = tree.isFolder(child);
        const std::uint64_t parts[] = {XXH3_64bits(name.data(), name.size()),
                                       static_cast<std::uint64_t>(tree.store().kind(child)),
                                       isFolder ? shapeOf(tree, child) : tree.store().ownApparent(child)};
        sum += XXH3_64bits(parts, sizeof parts);
    });
    return sum;
}

/// The one that stays goes first: not called a copy, then the one changed first, then by path.
void keptFirst(const FileTree& tree, std::vector<NodeId>& nodes)
{
    std::vector<std::tuple<bool, std::int64_t, std::string, NodeId>> order;
    for (const NodeId node : nodes) {
        const auto path = tree.path(node);
        order.emplace_back(namesACopy(path), tree.store().modified(node), path, node);
    }
    std::sort(order.begin(), order.end());
    for (std::size_t i = 0; i < nodes.size(); ++i)
        nodes[i] = std::get<NodeId>(order[i]);
}

Candidate copiesOf(const FileTree& tree, std::vector<NodeId> nodes, bool folders)
{
    keptFirst(tree, nodes);
    Candidate made;
    auto& lead = made.lead;
    const auto stays = tree.path(nodes.front());
    lead.id = "copies:" + stays;
    lead.title = nodes.size() > 2 ? "Copies" : "A copy";
    lead.where = stays;
    lead.why = folders
                   ? "Folders with the same names and sizes below them: copies, as long as nobody has compared them."
                   : "Files of exactly the same size: copies, as long as nobody has compared them.";
    lead.next =
        "Compare them in Find, Duplicates; what is the same is then planned with one key, and one of each stays.";
    constexpr std::size_t mostNamed = 4;
    if (nodes.size() <= mostNamed) {
        lead.command = "kurvoctl duplicates";
        for (const NodeId node : nodes)
            lead.command += " " + shellQuoted(tree.path(node));
    }
    nodes.erase(nodes.begin());
    made.subject =
        (nodes.size() > 1 ? formatItems(nodes.size(), "likely copy", "likely copies") + " of " : "A likely copy of ") +
        displayText(std::string(fileName(stays))) + (nodes.size() > 1 ? " hold" : " holds");
    made.verdict =
        nodes.size() > 1 ? " and can go if they prove to be the same" : " and can go if it proves to be the same";
    made.certainty = 1.2;
    made.several = nodes.size() > 1;
    sortBySize(tree, nodes);
    lead.nodes = std::move(nodes);
    lead.role = Role::Personal;
    return made;
}

Candidate ofLedger(const char* id, std::uint64_t bytes)
{
    Candidate made;
    made.lead.id = std::string(id) + ":";
    made.lead.bytes = made.lead.comesFree = bytes;
    return made;
}

} // namespace

std::uint64_t leadThreshold(const FileTree& tree)
{
    return std::max<std::uint64_t>(tree.disk(rootNode) / 500, 1 << 20);
}

void gatherOldKernels(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    if (!tree.find("/"))
        return; // another machine's drive is not served by this one's package manager
    const auto old = findOldKernels(tree, g.facts.runningKernel);
    if (old.releases.empty())
        return;
    Candidate made;
    auto& lead = made.lead;
    lead.id = "old-kernels:";
    lead.title = old.releases.size() == 1 ? "An old kernel" : "Old kernels";
    lead.nodes = old.modules;
    lead.nodes.insert(lead.nodes.end(), old.boot.begin(), old.boot.end());
    sortBySize(tree, lead.nodes);
    lead.where = tree.path(commonFolder(tree, old.modules));
    made.subject = old.releases.size() == 1
                       ? "An old kernel with its drivers holds"
                       : formatItems(old.releases.size(), "old kernel") + " with their drivers hold";
    made.several = true;
    lead.why = "Kernels that are neither the newest nor the one that runs. They are packages.";
    lead.next = "Have the package manager remove them, and keep one that is known to start.";
    made.verdict = old.releases.size() == 1 ? " and goes with its packages" : " and go with their packages";
    made.certainty = 1.2;
    lead.command = g.facts.guard.packages ? g.facts.guard.packages->oldKernelsCommand() : "sudo apt autoremove --purge";
    lead.level = AdviceLevel::OwnTool;
    lead.step = LeadStep::Tool;
    lead.role = Role::System;
    all.push_back(std::move(made));
}

void gatherAccounts(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    const auto homes = tree.find("/home");
    if (!homes || !tree.isFolder(*homes))
        return;
    tree.forEachChild(*homes, [&](NodeId home) {
        if (!tree.isFolder(home) || tree.name(home) == "lost+found" || tree.disk(home) < g.threshold ||
            tree.sums(home).files == 0 || tree.sums(home).unreadable > 0)
            return;
        const auto newest = tree.newest(home);
        if (newest > g.facts.info.taken - year)
            return;
        Candidate made;
        auto& lead = made.lead;
        const std::string name(tree.name(home));
        lead.where = tree.path(home);
        lead.id = "account:" + lead.where;
        lead.title = "An account nobody uses";
        lead.nodes = {home};
        made.subject = "The account " + displayText(name) + ", in which nothing has changed since " +
                       formatWhen(newest, g.facts.info.taken) + ", holds";
        made.verdict = " and may have no use any more";
        lead.why = "Nothing in this home folder has changed for a year.";
        lead.next = "Ask whether the account is still wanted. Archive what is in it to another drive before it goes.";
        lead.step = LeadStep::Ask;
        lead.role = Role::Personal;
        all.push_back(std::move(made));
    });
}

void gatherCopies(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    const auto& store = tree.store();
    // Folders first by their sums; only those that share them are looked into.
    using Sums = std::tuple<std::uint64_t, std::uint32_t, std::uint32_t>;
    std::map<Sums, std::vector<NodeId>> bySums;
    std::map<std::uint64_t, std::vector<NodeId>> bySize;
    const auto isCopyable = [&](NodeId node) {
        const auto role = g.advice->roles[node];
        return role == Role::NotKnown || role == Role::Machines || isPersonal(role);
    };
    forEachEntry(tree, [&](NodeId node) {
        if (node == rootNode || tree.disk(node) < std::min<std::uint64_t>(g.threshold, large) || !isCopyable(node))
            return;
        if (!tree.isFolder(node)) {
            if (store.kind(node) == EntryKind::File)
                bySize[store.ownApparent(node)].push_back(node);
        } else if (const auto& sums = tree.sums(node); sums.unreadable == 0 && tree.disk(node) >= g.threshold / 2)
            bySums[{sums.apparent, sums.files, sums.folders}].push_back(node);
    });
    std::map<std::uint64_t, std::vector<NodeId>> alike;
    std::unordered_map<NodeId, std::uint64_t> shapes;
    for (const auto& [sums, folders] : bySums)
        if (folders.size() > 1)
            for (const NodeId folder : folders) {
                shapes[folder] = shapeOf(tree, folder);
                alike[shapes[folder]].push_back(folder);
            }
    std::vector<NodeId> within;
    for (auto& [shape, folders] : alike) {
        if (folders.size() < 2)
            continue;
        // A folder that is all its parent holds has the parent's sums: the outermost stands for them.
        std::vector<NodeId> top;
        for (const NodeId folder : folders) {
            const auto above = shapes.find(tree.parent(folder));
            if (above == shapes.end() || alike[above->second].size() < folders.size())
                top.push_back(folder);
        }
        within.insert(within.end(), folders.begin(), folders.end());
        if (top.size() > 1)
            all.push_back(copiesOf(tree, std::move(top), true));
    }
    std::vector<bool> inAlike(tree.extent().folders);
    for (const NodeId folder : within)
        tree.forEachBelow(folder, [&](NodeId node) {
            if (tree.isFolder(node))
                inAlike[store.folderIndex(node)] = true;
        });
    for (auto& [size, files] : bySize) {
        std::erase_if(files, [&](NodeId file) { return inAlike[store.folderIndex(store.parent(file))]; });
        if (files.size() < 2)
            continue;
        // Round sizes come about by themselves: such files have to share their name as well.
        constexpr std::uint64_t round = 1 << 20;
        const bool byName = size % round == 0;
        std::map<std::string_view, std::vector<NodeId>> groups;
        for (const NodeId file : files)
            groups[byName ? tree.name(file) : std::string_view()].push_back(file);
        for (auto& [name, group] : groups)
            if (group.size() > 1)
                all.push_back(copiesOf(tree, std::move(group), false));
    }
}

void gatherVersions(const Gathering& g, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    VersionOptions options;
    options.smallest = g.threshold;
    options.advice = g.advice;
    if (const auto* packages = g.facts.guard.packages)
        options.isPackaged = [packages](const std::string& path) { return packages->ownerWithin(path) != nullptr; };
    for (const auto& group : findVersions(tree, options)) {
        Candidate made;
        auto& lead = made.lead;
        lead.where = tree.path(group.folder);
        lead.id = "versions:" + joinPath(lead.where, group.name);
        lead.nodes.assign(group.items.begin() + 1, group.items.end());
        const bool copies = group.mark == VersionMark::Copy;
        const auto count = lead.nodes.size();
        lead.title = copies ? "Copies beside the original" : "Older versions";
        made.subject =
            (copies ? formatItems(count, "copy", "copies") + " of " : formatItems(count, "older version") + " of ") +
            displayText(group.name) + (count == 1 ? " holds" : " hold");
        made.verdict = "";
        made.certainty = 0.8;
        made.several = count > 1;
        sortBySize(tree, lead.nodes);
        lead.role = g.advice->roles[lead.nodes.front()];
        lead.why = copies ? "Side by side, and named as copies of one thing."
                          : "Side by side, and named as versions of one thing; " +
                                displayText(std::string(tree.name(group.items.front()))) + " is the newest.";
        lead.next = "Look at what is in them; Find, Several versions, plans all but the newest.";
        all.push_back(std::move(made));
    }
}

void gatherFromLedger(const Gathering& g, std::vector<Candidate>& all)
{
    const auto bytesOf = [&](LedgerPart part) {
        for (const auto& [name, bytes] : g.facts.info.ledger)
            if (name == ledgerPartName(part))
                return bytes;
        return std::uint64_t{0};
    };
    if (const auto held = bytesOf(LedgerPart::Nameless); held >= g.threshold) {
        auto made = ofLedger("held-open", held);
        made.lead.title = "Deleted, still held open";
        made.subject = "Files that were deleted and that programs still have open hold";
        made.verdict = " and come free when those programs end";
        made.certainty = 2; // nobody misses what was deleted
        made.lead.why = "A file's space comes free only when the last program that has it open lets go of it.";
        made.lead.next = "See in Find, Deleted but held open, which programs these are, and end or restart them.";
        made.several = true;
        all.push_back(std::move(made));
    }
    if (const auto beneath = bytesOf(LedgerPart::Beneath); beneath >= g.threshold) {
        auto made = ofLedger("beneath-mounts", beneath);
        made.lead.title = "Below other mounts";
        made.subject = "Folders on which something else is mounted hold";
        made.verdict = " that nobody sees";
        made.lead.why = "What lay in a folder before another filesystem was mounted on it is hidden by that.";
        made.lead.next = "The ledger names the folders. Unmount what lies over them and look.";
        made.certainty = 0.5;
        made.several = true;
        all.push_back(std::move(made));
    }
    const auto remainder = bytesOf(LedgerPart::Unexplained);
    if (remainder >= std::max(g.threshold, g.facts.info.capacity.used / 100)) {
        auto made = ofLedger("unexplained", remainder);
        made.lead.comesFree = 0;
        made.lead.title = "Not explained";
        made.subject = "What the drive says is used and nobody has seen comes to";
        made.verdict = "";
        made.lead.why = "Folders that could not be read, and what the filesystem keeps for itself.";
        made.lead.next = "Open the ledger, and read what could not be read with administrator rights.";
        all.push_back(std::move(made));
    }
}

void gatherFromRemainder(const Gathering& g, const Remainder& rest, std::vector<Candidate>& all)
{
    const auto& tree = *g.facts.tree;
    const auto& store = tree.store();
    const auto isCovered = [&](NodeId node) {
        return (tree.isFolder(node) ? rest.covered[store.folderIndex(node)]
                                    : rest.takenFiles[node] || rest.covered[store.folderIndex(store.parent(node))]);
    };
    std::vector<NodeId> old, ahead;
    std::uint64_t oldBytes = 0, aheadBytes = 0;
    std::map<NodeId, std::vector<NodeId>> downloads; // by their folder
    forEachEntry(tree, [&](NodeId node) {
        if (node == rootNode || isCovered(node))
            return;
        if (!tree.isFolder(node)) {
            if (isPreallocated(store, node) && tree.disk(node) > 0 && g.advice->levels[node] > AdviceLevel::OwnTool) {
                ahead.push_back(node);
                aheadBytes += store.ownDisk(node) - store.ownApparent(node);
            } else if (tree.disk(node) >= large && store.modified(node) <= g.facts.info.taken - year &&
                       isPersonal(g.advice->roles[node]) && g.advice->roles[node] != Role::Downloads) {
                old.push_back(node);
                oldBytes += tree.disk(node);
            }
        }
        const auto above = store.parent(node);
        if (g.advice->roles[node] != Role::System && tree.name(above) == "Downloads" &&
            g.advice->roles[above] == Role::Downloads && tree.newest(node) <= g.facts.info.taken - 90 * day &&
            (!tree.isFolder(node) || rest.taken[store.folderIndex(node)] == 0))
            downloads[above].push_back(node);
        if (!tree.isFolder(node) || above == noNode || !tree.isHidden(node) || tree.isHidden(above))
            return;
        const auto left = tree.disk(node) - rest.taken[store.folderIndex(node)];
        if (left < 2 * g.threshold || g.advice->roles[node] == Role::Trash)
            return;
        Candidate made;
        auto& lead = made.lead;
        lead.where = tree.path(node);
        lead.id = "hidden:" + lead.where;
        lead.title = "Out of sight";
        lead.nodes = {node};
        lead.level = g.advice->levels[node];
        lead.role = g.advice->roles[node];
        made.subject = "The hidden folder " + displayText(std::string(tree.name(node))) +
                       (rest.taken[store.folderIndex(node)] > 0 ? ", besides what is said above, holds" : " holds");
        made.verdict = "";
        made.certainty = 0.3;
        const auto rule = g.advice->rules[node];
        lead.why = rule == TreeAdvice::noRule ? "Nothing is known of it." : g.facts.book->rules()[rule].what;
        lead.next = "Follow the weight in Explore to what fills it.";
        all.push_back(std::move(made));
    });
    if (aheadBytes >= g.threshold) {
        Candidate made;
        auto& lead = made.lead;
        sortBySize(tree, ahead);
        lead.where = tree.path(ahead.size() == 1 ? ahead.front() : commonFolder(tree, ahead));
        lead.id = "preallocated:" + lead.where;
        lead.title = "Preallocated space";
        lead.nodes = std::move(ahead);
        lead.comesFree = aheadBytes;
        made.subject = formatItems(lead.nodes.size(), "file") + " with blocks kept beyond " +
                       (lead.nodes.size() == 1 ? "its end holds" : "their ends hold");
        made.verdict = ", of which " + formatBytes(aheadBytes, g.facts.units) + " lie beyond what is written";
        made.certainty = 0.5;
        lead.why = "A program keeps blocks ahead for what it is going to write.";
        lead.next = "See which program it is; it gives them back when it closes the file.";
        all.push_back(std::move(made));
    }
    for (auto& [folder, nodes] : downloads) {
        std::uint64_t sum = 0;
        for (const NodeId node : nodes)
            sum += tree.disk(node);
        if (sum < g.threshold)
            continue;
        sortBySize(tree, nodes);
        Candidate made;
        auto& lead = made.lead;
        lead.where = tree.path(folder);
        lead.id = "old-downloads:" + lead.where;
        lead.title = "Downloads nobody touched for months";
        made.subject = formatItems(nodes.size(), "download") + " not changed for three months " +
                       (nodes.size() == 1 ? "holds" : "hold");
        lead.nodes = std::move(nodes);
        lead.role = Role::Downloads;
        lead.why = "What was fetched once and used is rarely wanted again.";
        lead.next = "Go through them with whoever fetched them.";
        lead.step = LeadStep::Ask;
        made.several = true;
        all.push_back(std::move(made));
    }
    // Where nearly all is old, that is what the place is for.
    if (oldBytes >= g.threshold && oldBytes < tree.disk(rootNode) / 10 * 6) {
        sortBySize(tree, old);
        Candidate made;
        auto& lead = made.lead;
        lead.where = tree.path(commonFolder(tree, old));
        lead.id = "old-large:";
        lead.title = "Old and large";
        made.subject = formatItems(old.size(), "large file") + " that nobody has changed for a year " +
                       (old.size() == 1 ? "holds" : "hold");
        made.verdict = " and may be better on another drive";
        lead.nodes = std::move(old);
        lead.role = Role::Personal;
        lead.why = "Somebody's own, and finished with for a year at least.";
        lead.next = "Move them to another drive, and leave a link where they must be found.";
        lead.step = LeadStep::Ask;
        made.certainty = 0.4;
        made.several = true;
        all.push_back(std::move(made));
    }
}

std::vector<NodeId> heavyFolders(const FileTree& tree, const Remainder& rest, std::uint64_t threshold, std::size_t most)
{
    std::vector<NodeId> folders;
    const auto left = [&](NodeId node) { return tree.disk(node) - rest.taken[tree.store().folderIndex(node)]; };
    forEachEntry(tree, [&](NodeId node) {
        if (node != rootNode && tree.isFolder(node) && !rest.covered[tree.store().folderIndex(node)] &&
            left(node) >= threshold && left(node) * 10 > 9 * tree.disk(node))
            folders.push_back(node);
    });
    std::sort(folders.begin(), folders.end(),
              [&](NodeId a, NodeId b) { return left(a) != left(b) ? left(a) > left(b) : a < b; });
    if (folders.size() > most)
        folders.resize(most);
    return folders;
}

} // namespace kurvo
