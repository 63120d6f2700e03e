// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/together.h"

#include <algorithm>

#include "app/services/async.h"
#include "app/style/words.h"
#include "core/snapshot/together.h"

namespace kurvo::app {
namespace {

bool canBeJoined(const Place& place)
{
    return !place.isTogether() && !place.isGrowing();
}

/// How the paths in joinOnceOpen() tell a place.
const std::string& keyOf(const Place& place)
{
    return place.fromSnapshot ? place.snapshotFile : place.info.place;
}

const std::string& keyOf(const PlacePart& part)
{
    return part.live ? part.info.place : part.snapshotFile;
}

PlacePart partFrom(const Place& place)
{
    return {place.info,       place.snapshotFile, toText(place.info.placeName),
            place.capacity,   place.isLive(),     place.wholeDrive,
            place.unreadable, place.tree};
}

} // namespace

Together::Together(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, ScanJobs& scans,
                   SnapshotKeeper& snapshots, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), trees_(trees), scans_(scans), snapshots_(snapshots),
      notices_(notices)
{
    connect(&places_, &PlaceStore::opened, this, &Together::look);
    connect(&places_, &PlaceStore::opened, this, &Together::follow);
    connect(&trees_, &TreeUpdater::updated, this, &Together::follow);
    connect(&scans_, &ScanJobs::scanEnded, this, [this](std::uint64_t, bool ok) {
        if (!ok)
            leaveOutFailed();
        look();
    });
}

std::vector<std::uint64_t> Together::joinable() const
{
    std::vector<std::uint64_t> ids;
    const Place* first = nullptr;
    for (const auto& place : places_.places())
        if (canBeJoined(*place) && (!first || isOfOneMachine(first->info, place->info))) {
            first = first ? first : place.get();
            ids.push_back(place->id);
        }
    return ids;
}

void Together::join(const std::vector<std::uint64_t>& ids, const std::string& setName)
{
    makeJoined(ids, setName, [](std::uint64_t) {});
}

/// `then` is told which place it became; 0 where it became none.
void Together::makeJoined(const std::vector<std::uint64_t>& ids, const std::string& setName,
                          const std::function<void(std::uint64_t)>& then)
{
    std::vector<PlaceRoot> roots;
    Place place;
    place.setName = setName;
    place.fromSnapshot = true; // what is on the drives is read again in the places themselves
    for (const auto id : ids)
        if (const auto* one = places_.placeOf(id); one && canBeJoined(*one)) {
            place.parts.push_back(partFrom(*one));
            roots.emplace_back(one->tree);
        }
    if (roots.size() < 2) {
        notices_.say(tr("Two places have to be open to be looked at together."));
        return then(0);
    }
    place.addUpParts();
    struct Joined {
        std::shared_ptr<const FileTree> tree;
        std::shared_ptr<const std::vector<Family>> dominant;
    };
    runAsync(
        this,
        [roots, title = place.info.placeName] {
            Joined joined{joinTrees(title, roots), {}};
            joined.dominant = dominantFamilies(*joined.tree);
            return joined;
        },
        [this, place, then](const Joined& joined) {
            auto made = place;
            made.tree = joined.tree;
            made.dominant = joined.dominant;
            dropPartsNotIn(*made.tree, made.parts);
            if (made.parts.size() < 2) {
                notices_.say(tr("One of these places holds the others: what is in it is looked at together there."));
                return then(0);
            }
            made.addUpParts();
            const auto known = std::find_if(places_.places().begin(), places_.places().end(),
                                            [&](const auto& open) { return open->snapshotFile == made.snapshotFile; });
            if (known == places_.places().end())
                return then(places_.add(std::move(made)));
            places_.bringUp(**known); // with all that is planned there
            then((*known)->id);
            follow();
        },
        [this, then](const QString& problem) {
            notices_.say(problem, Severity::Problem);
            then(0);
        });
}

void Together::joinOnceOpen(std::vector<std::string> paths, const std::string& setName)
{
    gathering_ = Gathering{paths, paths, setName, 0, false, false};
    for (const auto& open : places_.places()) {
        std::vector<std::string> keys;
        for (const auto& part : open->parts)
            keys.push_back(keyOf(part));
        if (open->isTogether() && std::is_permutation(paths.begin(), paths.end(), keys.begin(), keys.end())) {
            gathering_->together = open->id; // it follows what is read again
            gathering_->isWhole = true;
            places_.bringUp(*open);
            break;
        }
    }
    look();
}

void Together::look()
{
    if (!gathering_ || gathering_->joining)
        return;
    if (gathering_->together != 0 && !places_.placeOf(gathering_->together))
        return gathering_.reset(); // closed meanwhile
    std::vector<std::uint64_t> ids;
    for (const auto& path : gathering_->coming) {
        const auto& scans = scans_.scans();
        if (std::any_of(scans.begin(), scans.end(), [&](const auto& job) { return job->path == path && !job->rescan; }))
            continue; // one that is open already is scanned again
        for (const auto& place : places_.places())
            if (canBeJoined(*place) && keyOf(*place) == path && trees_.isIdle(place->id)) {
                ids.push_back(place->id);
                break;
            }
    }
    if (gathering_->isWhole) {
        if (ids.size() == gathering_->coming.size()) { // what was read last came up by itself
            places_.bringUp(*places_.placeOf(gathering_->together));
            gathering_.reset();
        }
        return;
    }
    const std::size_t fewest = gathering_->together == 0 ? 2 : 1;
    if (ids.size() >= fewest)
        bring(ids);
    else if (gathering_->coming.size() < fewest)
        gathering_.reset();
}

/// To those that came already, in the order in which they were asked for.
void Together::bring(const std::vector<std::uint64_t>& ids)
{
    std::vector<JoinedPart> fresh;
    for (const auto id : ids) {
        const auto& place = *places_.placeOf(id);
        fresh.push_back({partFrom(place), place.tree});
        std::erase(gathering_->coming, keyOf(place));
    }
    const auto name = gathering_->coming.empty() ? gathering_->setName : std::string();
    const auto goOn = [this](std::uint64_t id) {
        if (!gathering_)
            return;
        gathering_->joining = false;
        gathering_->together = id;
        if (id == 0 || gathering_->coming.empty())
            return gathering_.reset();
        sayWhatComes();
        look();
    };
    gathering_->joining = true;
    const auto together = gathering_->together;
    if (together == 0)
        return makeJoined(ids, name, goOn);
    trees_.rejoin(
        together,
        [fresh, name, all = gathering_->all](std::vector<JoinedPart>& parts, std::string& setName) {
            parts.insert(parts.end(), fresh.begin(), fresh.end());
            const auto rank = [&](const JoinedPart& one) { return std::find(all.begin(), all.end(), keyOf(one.part)); };
            std::stable_sort(parts.begin(), parts.end(),
                             [&](const JoinedPart& a, const JoinedPart& b) { return rank(a) < rank(b); });
            setName = name;
        },
        [this, together, goOn](bool done) {
            if (done)
                places_.tellCapacity();
            goOn(done ? together : 0);
        });
}

void Together::sayWhatComes()
{
    QStringList names;
    for (const auto& path : gathering_->coming)
        names << toText(path);
    notices_.say(names.size() == 1
                     ? tr("%1 comes to these when its scan has ended.").arg(names.front())
                     : tr("These come to it when their scans have ended: %1").arg(names.join(QStringLiteral(", "))));
}

/// What could not be scanned is waited for no longer.
void Together::leaveOutFailed()
{
    if (!gathering_)
        return;
    std::erase_if(gathering_->coming, [this](const std::string& path) {
        const auto isHere = [&](const auto& place) { return keyOf(*place) == path; };
        const auto isRead = [&](const auto& job) { return job->path == path; };
        const auto& open = places_.places();
        const auto& scans = scans_.scans();
        return !path.ends_with(snapshotSuffix) && std::none_of(open.begin(), open.end(), isHere) &&
               std::none_of(scans.begin(), scans.end(), isRead);
    });
}

const PlacePart* Together::partOf(const Place& together, const Place& place) const
{
    for (const auto& part : together.parts)
        if (part.info.place == place.info.place && part.live == place.isLive() &&
            (part.live || part.snapshotFile == place.snapshotFile))
            return &part;
    return nullptr;
}

/// What was read again in one of the places is taken over by all that hold it.
void Together::follow()
{
    for (const auto& together : places_.places()) {
        if (!together->isTogether() || !trees_.isIdle(together->id))
            continue; // then it is looked at again once that is done
        std::vector<JoinedPart> read;
        for (const auto& place : places_.places()) {
            const auto* part = canBeJoined(*place) ? partOf(*together, *place) : nullptr;
            if (part && part->source.lock() != place->tree)
                read.push_back({partFrom(*place), place->tree});
        }
        if (!read.empty())
            trees_.rejoin(together->id, [read](std::vector<JoinedPart>& parts, std::string&) {
                for (auto& one : parts)
                    for (const auto& fresh : read)
                        if (fresh.part.info.place == one.part.info.place)
                            one = fresh;
            });
    }
}

std::vector<std::uint64_t> Together::addable() const
{
    std::vector<std::uint64_t> ids;
    const auto* together = places_.place();
    if (!together || !together->isTogether())
        return ids;
    for (const auto& place : places_.places())
        if (canBeJoined(*place) && isOfOneMachine(place->info, together->info) &&
            std::none_of(together->parts.begin(), together->parts.end(),
                         [&](const PlacePart& part) { return part.info.place == place->info.place; }))
            ids.push_back(place->id);
    return ids;
}

void Together::add(std::uint64_t id)
{
    const auto* together = places_.place();
    const auto* place = places_.placeOf(id);
    if (!together || !together->isTogether() || !place || places_.refusesWhileLocked())
        return;
    const JoinedPart more{partFrom(*place), place->tree};
    trees_.rejoin(
        together->id,
        [more](std::vector<JoinedPart>& parts, std::string& setName) {
            parts.push_back(more);
            setName.clear(); // it is another one
        },
        [this, id = together->id, added = place->info.place, name = toText(place->info.placeName)](bool done) {
            const auto* now = done ? places_.placeOf(id) : nullptr;
            if (now && std::none_of(now->parts.begin(), now->parts.end(),
                                    [&](const PlacePart& part) { return part.info.place == added; }))
                notices_.say(tr("%1 lies in one of the others: it is looked at there.").arg(name));
            places_.tellCapacity();
        });
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
    if (places_.refusesWhileLocked())
        return;
    trees_.rejoin(
        place->id,
        [gone = part->info.place](std::vector<JoinedPart>& parts, std::string& setName) {
            std::erase_if(parts, [&](const JoinedPart& one) { return one.part.info.place == gone; });
            setName.clear();
        },
        [this](bool) { places_.tellCapacity(); });
}

void Together::changeSets(const std::function<Result<Done>(const std::string&)>& change,
                          const std::function<void()>& then)
{
    runAsync(
        this, [folder = folders_.snapshots(), change] { return change(folder); },
        [this, then](const Result<Done>& done) {
            if (!done)
                return notices_.say(QString::fromStdString(done.error().sentence), Severity::Problem);
            if (then)
                then();
            emit setsChanged();
        });
}

void Together::keepAsSet(const QString& name)
{
    const auto* place = places_.place();
    if (!place || !place->isTogether())
        return;
    PlaceSet set;
    set.name = name.trimmed().toStdString();
    for (const auto& part : place->parts)
        set.places.push_back(part.info);
    changeSets([set](const std::string& folder) { return keepSet(folder, set); },
               [this, id = place->id, name = set.name] {
                   trees_.rejoin(
                       id, [name](std::vector<JoinedPart>&, std::string& setName) { setName = name; },
                       [this](bool) { places_.tellAgain(); });
                   notices_.say(tr("Kept as the set %1. It stands on the Scan page.").arg(toText(name)));
               });
}

void Together::renameSet(const std::string& name, const QString& to)
{
    changeSets([name, to = to.trimmed().toStdString()](const std::string& folder) {
        return kurvo::renameSet(folder, name, to);
    });
}

void Together::removeSet(const std::string& name)
{
    changeSets([name](const std::string& folder) { return kurvo::removeSet(folder, name); });
}

void Together::openSets(const std::vector<PlaceSet>& sets, std::vector<std::string> besides,
                        const std::function<void(const std::string& path, const QString& name)>& scan)
{
    PlaceSet all;
    if (sets.size() == 1 && besides.empty())
        all.name = sets.front().name;
    for (const auto& set : sets)
        all.places.insert(all.places.end(), set.places.begin(), set.places.end());
    runAsync(
        this, [all, folder = folders_.snapshots()] { return whereIs(all, readCatalogue(folder)); },
        [this, all, scan, paths = std::move(besides)](const std::vector<PlaceNow>& places) mutable {
            QStringList away, unknown;
            for (std::size_t i = 0; i < places.size(); ++i) {
                const auto& [path, newest] = places[i];
                const auto name = toText(all.places[i].placeName);
                const auto& key = path.empty() && newest ? newest->path : path;
                if (!key.empty() && std::find(paths.begin(), paths.end(), key) != paths.end())
                    continue; // in two sets
                if (!path.empty()) {
                    scan(path, name);
                } else if (newest) {
                    snapshots_.open(newest->path);
                    if (!all.places[i].sample)
                        away << tr("%1 of %2").arg(name, dayText(newest->info.taken));
                } else {
                    unknown << name;
                    continue;
                }
                paths.push_back(key);
            }
            if (!unknown.isEmpty())
                notices_.say(tr("Not here, and there is no snapshot of it: %1").arg(unknown.join(QStringLiteral(", "))),
                             Severity::Warning);
            else if (!away.isEmpty())
                notices_.say(tr("Not here now, so its snapshot is shown: %1").arg(away.join(QStringLiteral(", "))));
            if (paths.size() > 1)
                joinOnceOpen(std::move(paths), all.name);
        });
}

} // namespace kurvo::app
