// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/together.h"

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/scan/graft.h"

namespace kurvo::app {
namespace {

bool isOfOneMachine(const Place& a, const Place& b)
{
    return a.info.host == b.info.host && a.info.sample == b.info.sample;
}

bool canBeJoined(const Place& place)
{
    return !place.isTogether() && !place.isGrowing();
}

} // namespace

Together::Together(PlaceStore& places, TreeUpdater& trees, ScanJobs& scans, Notices& notices, QObject* parent)
    : QObject(parent), places_(places), trees_(trees), scans_(scans), notices_(notices)
{
    connect(&places_, &PlaceStore::opened, this, &Together::look);
    connect(&scans_, &ScanJobs::scanEnded, this, &Together::look);
}

std::vector<std::uint64_t> Together::joinable() const
{
    std::vector<std::uint64_t> ids;
    const Place* first = nullptr;
    for (const auto& place : places_.places())
        if (canBeJoined(*place) && (!first || isOfOneMachine(*first, *place))) {
            first = first ? first : place.get();
            ids.push_back(place->id);
        }
    return ids;
}

void Together::join(const std::vector<std::uint64_t>& ids)
{
    std::vector<std::shared_ptr<const FileTree>> trees;
    Place place;
    QStringList names;
    std::string key;
    for (const auto id : ids) {
        const auto* one = places_.placeOf(id);
        if (!one || !canBeJoined(*one))
            continue;
        if (trees.empty()) {
            place.info.host = one->info.host;
            place.info.sample = one->info.sample;
            place.info.taken = one->info.taken;
            place.wholeDrive = true;
        }
        place.info.taken = std::min(place.info.taken, one->info.taken); // the oldest decides what is known
        place.info.partial |= one->info.partial;
        place.info.unreadable += one->info.unreadable;
        place.info.owners.insert(place.info.owners.end(), one->info.owners.begin(), one->info.owners.end());
        place.wholeDrive &= one->wholeDrive;
        place.unreadable.insert(place.unreadable.end(), one->unreadable.begin(), one->unreadable.end());
        place.parts.push_back(
            {one->info, one->snapshotFile, toText(one->info.placeName), one->capacity, one->isLive()});
        names << toText(one->info.placeName);
        key += '\n' + one->info.place + '\n' + one->snapshotFile;
        trees.push_back(one->tree);
    }
    if (trees.size() < 2)
        return notices_.say(tr("Two places have to be open to be looked at together."));
    auto& owners = place.info.owners;
    std::sort(owners.begin(), owners.end());
    owners.erase(
        std::unique(owners.begin(), owners.end(), [](const auto& a, const auto& b) { return a.first == b.first; }),
        owners.end());
    place.addUpParts();
    place.fromSnapshot = true; // what is on the drives is read again in the places themselves
    place.snapshotFile = std::string(NodeStore::togetherMark) + key;
    place.info.placeName = names.join(QStringLiteral(", ")).toStdString();
    struct Joined {
        std::shared_ptr<const FileTree> tree;
        std::shared_ptr<const std::vector<Family>> dominant;
    };
    runAsync(
        this,
        [trees, title = place.info.placeName] {
            Joined joined{joinTrees(title, trees), {}};
            joined.dominant = dominantFamilies(*joined.tree);
            return joined;
        },
        [this, place](const Joined& joined) {
            auto made = place;
            made.tree = joined.tree;
            made.dominant = joined.dominant;
            made.info.place = joined.tree->path(rootNode);
            made.info.entries = std::uint64_t{joined.tree->sums(rootNode).files} + joined.tree->sums(rootNode).folders;
            made.info.diskBytes = joined.tree->disk(rootNode);
            const auto kept = joined.tree->places();
            if (kept.size() < 2)
                return notices_.say(
                    tr("One of these places holds the others: what is in it is looked at together there."));
            std::erase_if(made.parts, [&](const PlacePart& part) {
                return std::none_of(kept.begin(), kept.end(),
                                    [&](NodeId root) { return joined.tree->name(root) == part.info.place; });
            });
            made.addUpParts();
            for (const auto& open : places_.places())
                if (open->snapshotFile == made.snapshotFile) {
                    places_.drop(open->id);
                    break;
                }
            places_.add(std::move(made));
        });
}

void Together::joinOnceOpen(std::vector<std::string> paths)
{
    awaited_ = std::move(paths);
    look();
}

void Together::look()
{
    if (awaited_.empty())
        return;
    std::vector<std::uint64_t> ids;
    for (const auto& path : awaited_)
        for (const auto& place : places_.places())
            if (canBeJoined(*place) && (place->fromSnapshot ? place->snapshotFile : place->info.place) == path) {
                ids.push_back(place->id);
                break;
            }
    if (ids.size() < awaited_.size())
        return;
    awaited_.clear();
    join(ids);
}

const PlacePart* Together::currentPart() const
{
    const auto* place = places_.place();
    if (!place || !place->isTogether())
        return nullptr;
    const auto node = place->selection != noNode ? place->selection : place->focus;
    return place->partAt(place->tree->path(node));
}

void Together::takeOutCurrent()
{
    const auto* place = places_.place();
    const auto* part = currentPart();
    if (!part)
        return;
    if (place->parts.size() <= 2)
        return notices_.say(
            tr("Two places are the fewest that can be looked at together. Close this view to leave it."));
    if (!places_.refusesWhileLocked())
        trees_.takePartOut(place->id, part->info.place);
}

} // namespace kurvo::app
