// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/model/place.h"

#include <algorithm>
#include <unordered_set>

#include "core/base/text.h"
#include "core/snapshot/together.h"

namespace kurvo::app {

bool Place::noteChanged(const std::string& folder)
{
    if (std::find(changed.begin(), changed.end(), folder) != changed.end())
        return false;
    changed.push_back(folder);
    return true;
}

bool Place::isShownInPart(NodeId node) const
{
    return narrowing && tree->isFolder(node) &&
           (!narrowing->tree->contains(node) || narrowing->tree->sums(node).files != tree->sums(node).files ||
            narrowing->tree->sums(node).folders != tree->sums(node).folders);
}

const PlacePart* Place::partAt(std::string_view path) const
{
    if (path.starts_with(NodeStore::togetherMark))
        return nullptr;               // all of them
    const PlacePart* found = nullptr; // of places that hold each other the innermost
    for (const auto& part : parts)
        if (isAtOrBelow(path, part.info.place) && (!found || part.info.place.size() > found->info.place.size()))
            found = &part;
    return found;
}

void dropPartsNotIn(const FileTree& tree, std::vector<PlacePart>& parts)
{
    const auto kept = tree.places();
    std::erase_if(parts, [&](const PlacePart& part) {
        return std::none_of(kept.begin(), kept.end(), [&](NodeId root) { return tree.name(root) == part.info.place; });
    });
}

void Place::addUpParts()
{
    std::vector<SnapshotInfo> infos;
    unreadable.clear();
    wholeDrive = true;
    for (const auto& part : parts) {
        infos.push_back(part.info);
        unreadable.insert(unreadable.end(), part.unreadable.begin(), part.unreadable.end());
        wholeDrive &= part.wholeDrive;
    }
    info = addedUp(infos, setName.empty() ? namesOf(infos) : setName);
    if (tree) {
        info.place = tree->path(rootNode);
        info.entries = std::uint64_t{tree->sums(rootNode).files} + tree->sums(rootNode).folders;
        info.diskBytes = tree->disk(rootNode);
    }
    snapshotFile = std::string(NodeStore::togetherMark);
    for (const auto& part : parts)
        snapshotFile += '\n' + part.info.place + '\n' + (part.live ? std::string() : part.snapshotFile);
    addUpCapacities();
}

void Place::addUpCapacities()
{
    capacity = {};
    std::vector<std::string> counted;
    for (const auto& part : parts) {
        if (std::find(counted.begin(), counted.end(), part.info.mountPoint) != counted.end())
            continue;
        counted.push_back(part.info.mountPoint);
        capacity.total += part.capacity.total;
        capacity.used += part.capacity.used;
        capacity.reserved += part.capacity.reserved;
        capacity.free += part.capacity.free;
    }
    info.capacity = capacity;
}

std::uint64_t Place::freeAfter(const PlacePart& part) const
{
    std::uint64_t planned = 0;
    for (const auto& item : plan.items())
        if (partAt(item.path) == &part)
            planned += item.disk;
    return part.capacity.free + planned;
}

AreasOfDrives Place::areas() const
{
    AreasOfDrives all;
    if (narrowing)
        return all;
    const auto add = [&](NodeId root, const Capacity& drive) {
        const auto seen = tree->disk(root);
        const DriveAreas areas{drive.used > seen ? drive.used - seen : 0, drive.reserved, drive.free};
        if (drive.total > 0 && areas.any())
            all.emplace_back(root, areas);
    };
    if (!isTogether() && wholeDrive)
        add(rootNode, capacity);
    for (const auto& part : parts)
        if (const auto root = tree->find(part.info.place); root && part.wholeDrive)
            add(*root, part.capacity);
    return all;
}

bool Place::hasLock(NodeId node) const
{
    if (node == noNode || node == rootNode)
        return false;
    const auto whole = [this](const std::string& path) {
        const auto protection = protectionOf(path, guard);
        return protection && protection->whole;
    };
    const auto path = tree->path(node);
    return whole(path) && (tree->parent(node) == rootNode || !whole(std::string(parentPath(path))));
}

bool Place::isSelected(NodeId node) const
{
    return node != noNode &&
           (node == selection || std::find(alsoSelected.begin(), alsoSelected.end(), node) != alsoSelected.end());
}

void Place::choose()
{
    chosen = alsoSelected;
    if (selection != noNode)
        chosen.insert(chosen.begin(), selection);
    if (chosen.size() < 2)
        return;
    const std::unordered_set<NodeId> all(chosen.begin(), chosen.end());
    std::erase_if(chosen, [&](NodeId node) {
        while (node != rootNode) {
            node = tree->parent(node);
            if (all.contains(node))
                return true;
        }
        return false;
    });
}

std::uint64_t Place::litSize(NodeId node, Measure measure) const
{
    if (!lit.any() || !litSums)
        return shown()->measured(node, measure);
    if (!tree->isFolder(node))
        return isLit(*tree, lit, *scheme, node) ? tree->measured(node, measure) : 0;
    const auto index = tree->store().folderIndex(node);
    return index < litSums->size() ? (*litSums)[index] : 0;
}

std::string Place::foreignReason(const std::string& thisHost) const
{
    if (info.sample)
        return "This is sample data: the files do not exist. The practice folder has real ones.";
    if (fromSnapshot && info.host != thisHost)
        return "This snapshot was taken on " + displayText(info.host) + "; its files are not on this machine.";
    return {};
}

std::size_t PlanBasis::work() const
{
    auto work = plan->size() + tree->store().linkSets().size();
    for (const auto& run : runs)
        work += run->steps.size();
    return work;
}

ComesFree PlanBasis::comesFree(std::size_t mostFiles, std::stop_token stop) const
{
    std::vector<NodeId> nodes;
    for (const auto& item : *plan)
        if (item->node != noNode && tree->contains(item->node))
            nodes.push_back(item->node);
    ComesFreeOptions options;
    options.mostFiles = mostFiles;
    return kurvo::comesFree(*tree, nodes, options, std::move(stop));
}

PlanTotals PlanBasis::totals() const
{
    const Plan planned(plan);
    PlanTotals totals;
    totals.freed = planned.freedBytes(*tree);
    totals.free.links = planned.plannedBytes() - std::min(planned.plannedBytes(), totals.freed);
    totals.free.bytes = totals.freed;
    for (const auto& run : runs)
        for (const auto& step : run->steps) {
            if (step.action != Action::Trash || step.state != StepState::Done)
                continue;
            const auto at = joinPath(joinPath(step.trashed.folder.path, "files"), step.trashed.name);
            totals.inTrash += step.disk;
            if (isAtOrBelow(at, place) && tree->find(at))
                totals.inTrashSeen += step.disk;
            if (const auto* item = planned.covering(at); item && isForGood(item->action))
                totals.fromTrash += step.disk;
        }
    return totals;
}

} // namespace kurvo::app
