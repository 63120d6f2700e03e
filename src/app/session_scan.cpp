// SPDX-License-Identifier: GPL-3.0-or-later
// The part of Session that scans: places that grow, and folders read again.
#include <QDateTime>

#include <algorithm>

#include "app/async.h"
#include "app/session.h"
#include "app/words.h"
#include "core/base/patience.h"
#include "core/scan/graft.h"

namespace kurvo::app {

void Session::scanFolder(const std::string& path, const QString& name, const ScanOptions& options, bool withRights)
{
    for (const auto& job : scans_)
        if (job->path == path && !job->rescan) {
            say(tr("%1 is being scanned already.").arg(toText(path)));
            return;
        }
    auto job = std::make_shared<ScanJob>();
    job->path = path;
    job->name = name;
    job->options = options;
    job->options.background = true;
    job->withRights = withRights;
    startScan(job);
}

void Session::startScan(const std::shared_ptr<ScanJob>& job)
{
    job->startedMs = QDateTime::currentMSecsSinceEpoch();
    scans_.push_back(job);
    emit scansChanged();
    struct About {
        SnapshotInfo info;
        std::uint64_t inodes = 0;
    };
    runAsync(
        this,
        [path = job->path] {
            About about;
            const auto real = askWithin(std::chrono::seconds(5), [path] { return canonicalPath(path); });
            if (!real || !*real)
                return about;
            about.info = describePlace(**real);
            if (about.info.place == about.info.mountPoint)
                if (const auto facts = readFilesystemFacts(about.info.mountPoint))
                    about.inodes = facts->inodesUsed;
            return about;
        },
        [this, job](About about) {
            job->about = std::move(about.info);
            if (job->about.place == job->about.mountPoint && !job->about.place.empty()) {
                job->expectedBytes = job->about.capacity.used;
                job->expectedEntries = about.inodes;
            }
            if (!job->name.isEmpty())
                job->about.placeName = job->name.toStdString();
            emit scansChanged();
        });
    struct Outcome {
        std::shared_ptr<Result<ScanResult>> result;
        Place facts;
    };
    runAsync(
        this,
        [job] {
            auto result = std::make_shared<Result<ScanResult>>(
                scan(job->path, job->options, job->stop.get_token(), job->progress.get()));
            Place facts;
            if (*result) {
                facts.info = describeScan(**result);
                if (!job->name.isEmpty())
                    facts.info.placeName = job->name.toStdString();
                facts.tree = (*result)->tree;
                facts.dominant = dominantFamilies(*facts.tree);
                facts.capacity = facts.info.capacity;
                facts.wholeDrive = facts.info.place == facts.info.mountPoint;
                facts.unreadable = (*result)->unreadableList;
                facts.options = job->options;
                facts.info.crossMounts = job->options.crossMounts;
                facts.info.exclude = job->options.exclude;
            }
            return Outcome{result, std::move(facts)};
        },
        [this, job](Outcome outcome) { finishScan(job, outcome.result, std::move(outcome.facts)); });
    growth_.start();
}

/// By timer: takes a look at each scan, off the interface thread, unless one is being taken.
void Session::growPlaces()
{
    if (scans_.empty())
        return growth_.stop();
    for (const auto& job : scans_) {
        const auto store = job->progress->store();
        const auto entries = job->progress->entries();
        if (!store || job->looking || job->rescan || job->about.place.empty() ||
            (job->placeId != 0 && job->seenEntries == entries)) // paused, or waiting
            continue;
        job->seenEntries = entries;
        if (!job->growing) {
            job->growing = std::make_shared<GrowingTree>(store);
            job->families = std::make_shared<GrowingFamilies>();
        }
        job->looking = true;
        struct Look {
            std::shared_ptr<const FileTree> tree;
            std::shared_ptr<const std::vector<Family>> dominant;
        };
        runAsync(
            this,
            [growing = job->growing, families = job->families] {
                const auto tree = growing->look();
                return Look{tree, families->look(*tree)};
            },
            [this, job](const Look& look) {
                job->looking = false;
                grow(job, look.tree, look.dominant);
            });
    }
}

void Session::grow(const std::shared_ptr<ScanJob>& job, std::shared_ptr<const FileTree> tree,
                   std::shared_ptr<const std::vector<Family>> dominant)
{
    if (std::find(scans_.begin(), scans_.end(), job) == scans_.end())
        return; // it has ended, and the finished tree is shown
    if (job->placeId == 0) {
        // A place that is scanned again stays as it was until the new scan has ended.
        for (const auto& open : places_)
            if (!open->fromSnapshot && open->info.place == job->about.place)
                return;
        auto place = std::make_unique<Place>();
        place->info = job->about;
        place->info.partial = true;
        place->capacity = job->about.capacity;
        place->wholeDrive = job->about.place == job->about.mountPoint;
        place->options = job->options;
        place->tree = std::move(tree);
        place->dominant = std::move(dominant);
        addPlace(std::move(place));
        job->placeId = lastPlaceId_;
        emit scansChanged();
        return;
    }
    auto* open = stillOpen(job->placeId);
    if (!open)
        return;
    open->tree = std::move(tree);
    open->dominant = std::move(dominant);
    if (open == place())
        emit treeChanged();
}

void Session::finishScan(const std::shared_ptr<ScanJob>& job, std::shared_ptr<Result<ScanResult>> result, Place facts)
{
    std::erase(scans_, job);
    auto* growing = stillOpen(job->placeId);
    const bool closed = job->placeId != 0 && !growing;
    if (!*result) {
        say(QString::fromStdString(result->error().sentence), Severity::Problem);
        emit scansChanged();
        emit scanEnded(0, false);
        return;
    }
    if (closed) {
        emit scansChanged();
        return;
    }
    auto* shown = growing;
    if (growing) {
        // The same store, so that focus, selection and the way back stay what they are.
        growing->info = facts.info;
        growing->tree = facts.tree;
        growing->dominant = facts.dominant;
        growing->capacity = facts.capacity;
        growing->wholeDrive = facts.wholeDrive;
        growing->unreadable = facts.unreadable;
        if (growing == place()) {
            emit treeChanged();
            emit capacityChanged();
        }
    } else {
        auto added = std::make_unique<Place>(std::move(facts));
        shown = added.get();
        addPlace(std::move(added));
    }
    if (growing)
        recallPlan(*shown);
    sayWhatIsMissing(*shown, **result);
    saveSnapshot(shown);
    emit scansChanged();
    emit scanEnded(shown->id, true);
    if (job->withRights && shown->tree->sums(rootNode).unreadable > 0)
        startReading(*shown);
}

void Session::sayWhatIsMissing(const Place& place, const ScanResult& found)
{
    const auto name = toText(place.info.placeName);
    const auto hung = std::find_if(found.unreadableList.begin(), found.unreadableList.end(),
                                   [](const Unreadable& u) { return u.sysError == ETIMEDOUT; });
    if (found.driveGone)
        say(tr("The drive of %1 does not answer any more. What was found until then is shown, and kept as a partial "
               "snapshot.")
                .arg(name),
            Severity::Problem);
    else if (found.outOfMemory)
        say(tr("There is no memory to hold more of %1. What was found until then is shown, and kept as a partial "
               "snapshot.")
                .arg(name),
            Severity::Problem);
    else if (found.stopped)
        say(tr("The scan of %1 was stopped. What was found until then is shown, and kept as a partial snapshot.")
                .arg(name),
            Severity::Warning);
    else if (hung != found.unreadableList.end())
        say(tr("%1 did not answer and was given up. Everything else is there.").arg(toText(hung->path)),
            Severity::Warning);
    else if (found.unreadable == 1)
        say(tr("%1 could not be read with your permissions. What is in it is missing from all figures.")
                .arg(toText(found.unreadableList.front().path)),
            Severity::Warning);
    else if (found.unreadable > 1)
        say(tr("%1 could not be read with your permissions, %2 among them. They are missing from all figures.")
                .arg(itemsText(found.unreadable, "entry", "entries"), toText(found.unreadableList.front().path)),
            Severity::Warning);
}

const ScanJob* Session::scanOf(const Place& place) const
{
    for (const auto& job : scans_)
        if (job->placeId == place.id && place.id != 0)
            return job.get();
    return nullptr;
}

void Session::stopScan(const ScanJob* job)
{
    for (const auto& running : scans_)
        if (running.get() == job) {
            running->stop.request_stop();
            running->progress->setPaused(false);
        }
    emit scansChanged();
}

void Session::stopScans()
{
    for (const auto& running : scans_) {
        running->stop.request_stop();
        running->progress->setPaused(false);
    }
}

void Session::pauseScan(const ScanJob* job, bool paused)
{
    for (const auto& running : scans_)
        if (running.get() == job && (running->pausedSinceMs != 0) != paused) {
            const auto now = QDateTime::currentMSecsSinceEpoch();
            if (!paused)
                running->pausedMs += now - running->pausedSinceMs;
            running->pausedSinceMs = paused ? now : 0;
            running->progress->setPaused(paused);
        }
    emit scansChanged();
}

void Session::rescan(NodeId folder)
{
    auto* p = place();
    if (!p || folder == noNode || !p->tree->contains(folder))
        return;
    if (p->fromSnapshot)
        return say(tr("This is a snapshot from a file: it stays what it was. Scan the place to see it as it is now."),
                   Severity::Warning);
    if (p->isGrowing())
        return say(tr("The scan still runs."));
    if (planJob_)
        return refuseWhileBusy();
    if (!p->tree->isFolder(folder))
        folder = p->tree->parent(folder);
    startRescan(*p, {p->tree->path(folder)});
}

void Session::rescanChanged()
{
    auto* p = place();
    if (!p || p->changed.empty() || p->isGrowing() || p->fromSnapshot)
        return;
    if (planJob_)
        return refuseWhileBusy();
    // A folder below another one that changed is read with it.
    auto folders = p->changed;
    std::sort(folders.begin(), folders.end());
    std::vector<std::string> upper;
    for (const auto& folder : folders)
        if (upper.empty() || !isAtOrBelow(folder, upper.back()))
            upper.push_back(folder);
    startRescan(*p, upper);
}

void Session::noteChanged(const std::string& folder)
{
    auto* p = place();
    if (p && !p->fromSnapshot && !p->isGrowing() && isAtOrBelow(folder, p->info.place) && p->noteChanged(folder))
        emit scansChanged();
}

void Session::startRescan(Place& target, const std::vector<std::string>& folders, bool quiet)
{
    auto job = std::make_shared<ScanJob>();
    job->path = folders.front();
    job->name = folders.size() == 1 ? toText(fileName(folders.front())) : itemsText(folders.size(), "folder");
    job->options = target.options;
    job->placeId = target.id;
    job->rescan = true;
    job->quiet = quiet;
    job->startedMs = QDateTime::currentMSecsSinceEpoch();
    scans_.push_back(job);
    emit scansChanged();
    struct Outcome {
        std::vector<HelperScan> fresh;
        bool stopped = false;
    };
    runAsync(
        this,
        [job, folders] {
            Outcome outcome;
            for (const auto& folder : folders) {
                auto result = scan(folder, job->options, job->stop.get_token(), job->progress.get());
                HelperScan fresh;
                fresh.path = folder;
                if (result && !result->stopped) {
                    fresh.tree = result->tree;
                    fresh.unreadable = result->unreadable;
                    fresh.unreadableList = result->unreadableList;
                } else if (!result && result.error().kind != ErrorKind::NotFound &&
                           result.error().kind != ErrorKind::NotAFolder) {
                    fresh.problem = result.error().sentence;
                }
                if ((outcome.stopped = job->stop.stop_requested()))
                    break;
                outcome.fresh.push_back(std::move(fresh));
            }
            return outcome;
        },
        [this, job, folders](Outcome outcome) {
            std::erase(scans_, job);
            emit scansChanged();
            auto* open = stillOpen(job->placeId);
            if (!open)
                return;
            if (outcome.stopped) {
                say(tr("Stopped. %1 is shown as it was before.").arg(job->name));
                return;
            }
            for (const auto& fresh : outcome.fresh)
                if (!fresh.problem.empty())
                    say(QString::fromStdString(fresh.problem), Severity::Warning);
            std::erase_if(outcome.fresh, [](const HelperScan& fresh) { return !fresh.problem.empty(); });
            std::erase_if(open->changed, [&](const std::string& path) {
                return std::any_of(folders.begin(), folders.end(),
                                   [&](const std::string& folder) { return isAtOrBelow(path, folder); });
            });
            const auto before = open->tree->disk(rootNode);
            const auto ifChanged = job->quiet ? Plan::IfChanged::Keep : Plan::IfChanged::Drop;
            putIn(job->placeId, std::move(outcome.fresh), ifChanged, [this, job, before] {
                if (auto* now = stillOpen(job->placeId); now && !job->quiet) {
                    const auto after = now->tree->disk(rootNode);
                    say(after == before  ? tr("%1 was read again: nothing changed in size.").arg(job->name)
                        : after > before ? tr("%1 was read again: %2 more.").arg(job->name, sizeText(after - before))
                                         : tr("%1 was read again: %2 less.").arg(job->name, sizeText(before - after)));
                }
            });
        });
}

/// Puts freshly scanned folders into the tree of a place; those without a tree are gone from it. What was focused,
/// selected and planned is found again.
void Session::putIn(std::uint64_t placeId, std::vector<HelperScan> fresh, Plan::IfChanged ifChanged,
                    std::function<void()> done)
{
    const auto* target = stillOpen(placeId);
    if (!target)
        return;
    struct Put {
        std::shared_ptr<const FileTree> base;
        Grafted grafted;
        std::shared_ptr<const std::vector<Family>> dominant;
        std::vector<std::pair<std::uint32_t, std::string>> owners;
    };
    auto scans = std::make_shared<std::vector<HelperScan>>(std::move(fresh));
    runAsync(
        this,
        [base = target->tree, scans] {
            std::vector<Graft> grafts;
            for (const auto& scan : *scans) {
                const auto at = base->find(scan.path);
                if (at && (scan.tree || *at != rootNode))
                    grafts.push_back({*at, scan.tree});
            }
            Put put{base, graft(*base, grafts), nullptr, {}};
            put.dominant = dominantFamilies(*put.grafted.tree);
            put.owners = ownersOf(*put.grafted.tree);
            return put;
        },
        [this, placeId, scans, ifChanged, done](Put put) {
            auto* open = stillOpen(placeId);
            if (!open)
                return;
            if (open->tree != put.base) // something was carried out meanwhile
                return putIn(placeId, std::move(*scans), ifChanged, done);
            const auto& old = *put.base;
            const auto& grafted = put.grafted;
            const auto upTo = [&](NodeId node) { // the folder itself, or the nearest above it that is still there
                for (; node != rootNode; node = old.parent(node))
                    if (const auto now = grafted.idOf(old, node); now != noNode && grafted.tree->isFolder(now))
                        return now;
                return rootNode;
            };
            open->focus = upTo(open->focus);
            open->selection = grafted.idOf(old, open->selection);
            open->alsoSelected.clear();
            open->passed.clear();
            open->litSums = nullptr; // of the ids before
            open->narrowing.reset();
            if (open->lit.files)
                open->lit = {};
            for (auto* trail : {&open->back, &open->forward}) {
                for (auto& node : *trail)
                    node = grafted.idOf(old, node);
                std::erase_if(*trail, [&](NodeId node) { return node == noNode || !grafted.tree->isFolder(node); });
            }
            const auto dropped = open->plan.rebind(*grafted.tree, ifChanged);
            for (auto* states : {&open->planBefore, &open->planAfter})
                for (auto& state : *states)
                    state.rebind(*grafted.tree, Plan::IfChanged::Keep);
            if (ifChanged == Plan::IfChanged::Drop)
                open->findings.clear();
            open->tree = grafted.tree;
            open->dominant = put.dominant;
            open->info.owners = put.owners;
            for (const auto& scan : *scans) {
                std::erase_if(open->unreadable, [&](const Unreadable& u) { return isAtOrBelow(u.path, scan.path); });
                open->unreadable.insert(open->unreadable.end(), scan.unreadableList.begin(), scan.unreadableList.end());
            }
            open->info.unreadable = open->unreadable.size();
            if (dropped > 0)
                say(tr("%1 of the plan changed and came off it. Look at what is there now.")
                        .arg(itemsText(dropped, "item")),
                    Severity::Warning);
            if (open == place()) {
                hover_ = noNode;
                emit treeChanged();
                emit focusChanged();
                emit selectionChanged();
                emit planChanged();
                refreshCapacity();
            }
            if (done)
                done();
        });
}

} // namespace kurvo::app
