// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/scan_jobs.h"

#include <QDateTime>

#include <sys/mman.h>

#include <algorithm>

#include "app/services/async.h"
#include "app/services/log.h"
#include "app/services/tell.h"
#include "app/style/words.h"
#include "core/base/patience.h"
#include "core/direct/direct_access.h"
#include "core/remote/ssh_scan.h"
#include "core/rights/ask_helper.h"
#include "core/snapshot/catalogue.h"
#include "core/tree/find_paths.h"

namespace kurvo::app {
namespace {

constexpr int firstLook = 80, growthInterval = 240; // ms

/// A whole drive by the helper, where its own tables can be read; else, and without rights, by asking for each entry.
Result<ScanResult> scanWithRights(const std::vector<std::string>& command, const ScanJobs::Scanner& scanner,
                                  ScanJob& job)
{
    if (!command.empty() && !job.options.crossMounts && mayReadTables(job.path)) {
        job.atHelper = true;
        auto read = scanByHelper(command, job.path, job.options, job.stop.get_token(), job.progress.get());
        job.atHelper = false;
        job.byHelper = static_cast<bool>(read);
        if (read || job.stop.get_token().stop_requested())
            return read;
        // Who refused once is not asked again.
        job.refused = read.error().kind == ErrorKind::NoPermission ? read.error().sentence : std::string();
        job.progress->beginAgain();
    }
    return scanner(job.path, job.options, job.stop.get_token(), job.progress.get());
}

} // namespace

ScanJobs::ScanJobs(const AppFolders& folders, PlaceStore& places, TreeUpdater& trees, SnapshotKeeper& snapshots,
                   RightsReader& rights, Notices& notices, QObject* parent)
    : QObject(parent), folders_(folders), places_(places), trees_(trees), snapshots_(snapshots), rights_(rights),
      notices_(notices), scanner_(kurvo::scan)
{
    connect(&growth_, &QTimer::timeout, this, &ScanJobs::growPlaces);
    connect(&places_, &PlaceStore::aboutToClose, this, [this](std::uint64_t id) {
        if (const auto* place = places_.placeOf(id))
            if (const auto* job = scanOf(*place))
                stopScan(job); // and what it finds is dropped
    });
}

void ScanJobs::stopAll()
{
    for (const auto& running : scans_) {
        running->stop.request_stop();
        running->progress->setPaused(false);
    }
}

void ScanJobs::scanFolder(const std::string& path, const QString& name, const ScanOptions& options, bool withRights)
{
    for (const auto& job : scans_)
        if (job->path == path && !job->rescan) {
            notices_.say(tr("%1 is already being scanned.").arg(toText(path)));
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

void ScanJobs::scanMachine(const RemoteAddress& address, bool rights, bool maySend)
{
    const auto text = address.text();
    for (const auto& job : scans_)
        if (job->path == text) {
            notices_.say(tr("%1 is already being scanned.").arg(toText(text)));
            return;
        }
    auto job = std::make_shared<ScanJob>();
    job->path = text;
    job->name = toText(text);
    job->remote = true;
    job->startedMs = QDateTime::currentMSecsSinceEpoch();
    scans_.push_back(job);
    emit scansChanged();
    growth_.start(firstLook);
    struct Outcome {
        Result<std::string> snapshot;
        ScannedPlace found;
        bool wanted = false; ///< the scanner
        std::string said;    ///< by ssh
        ScanResult result;
    };
    runAsync(
        this,
        [job, address, rights, maySend, folder = folders_.snapshots(), tell = teller(this)] {
            Outcome outcome{std::string(), {}, false, {}, {}};
            UniqueFd said(::memfd_create("kurvo-said", MFD_CLOEXEC));
            RemoteWish wish;
            wish.scan = job->options;
            wish.rights = rights;
            wish.said = said.get();
            wish.onPlace = [job, tell](const SnapshotInfo& info) { tell([job, info] { job->about = info; }); };
            wish.maySend = [&](const std::string&) {
                outcome.wanted = !maySend;
                return maySend;
            };
            auto scan = scanOverSsh(address, wish, job->stop.get_token(), job->progress.get());
            outcome.said = lastLineOf(said.get());
            if (!scan) {
                outcome.snapshot = scan.error();
                return outcome;
            }
            auto& found = outcome.found;
            found.info = std::move(scan->info);
            found.tree = scan->result.tree;
            found.dominant = dominantFamilies(*found.tree);
            found.wholeDrive = found.info.place == found.info.mountPoint;
            outcome.snapshot = addSnapshot(folder, found.info, *found.tree);
            outcome.result = std::move(scan->result);
            return outcome;
        },
        [this, job, address, rights](const Outcome& outcome) {
            std::erase(scans_, job);
            emit scansChanged();
            if (outcome.found.tree)
                return finishMachine(job, outcome.found, outcome.result, outcome.snapshot);
            if (job->placeId != 0)
                places_.drop(job->placeId);
            if (outcome.wanted)
                return emit scannerWanted(address, rights);
            const auto& error = outcome.snapshot.error();
            const auto lost = error.kind == ErrorKind::Damaged && !outcome.said.empty();
            notices_.say(lost ? tr("%1: %2").arg(toText(address.host), QString::fromStdString(outcome.said))
                              : QString::fromStdString(error.sentence),
                         Severity::Problem);
        },
        [this, job](const QString& problem) { failScan(job, problem); });
}

void ScanJobs::finishMachine(const std::shared_ptr<ScanJob>& job, const ScannedPlace& found, const ScanResult& result,
                             const Result<std::string>& snapshot)
{
    const auto* grown = places_.placeOf(job->placeId);
    auto id = job->placeId;
    if (snapshot)
        places_.setSnapshotFile(id, *snapshot);
    if (grown && grown->tree->sharedStore() == found.tree->sharedStore()) {
        trees_.finish(id, found);
    } else if (id == 0 || grown) { // else it was closed meanwhile
        if (grown)
            places_.drop(id);
        auto place = found.place();
        place.fromSnapshot = true;
        place.snapshotFile = snapshot ? *snapshot : std::string();
        id = places_.add(std::move(place));
    }
    if (const auto* shown = places_.placeOf(id))
        sayWhatIsMissing(*shown, result);
    if (!snapshot)
        return notices_.say(tr("The scan is shown, but its snapshot was not saved: %1")
                                .arg(QString::fromStdString(snapshot.error().sentence)),
                            Severity::Warning);
    emit machineScanned(*snapshot);
}

void ScanJobs::startScan(const std::shared_ptr<ScanJob>& job)
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
        Result<ScanResult> result;
        ScannedPlace found;
    };
    runAsync(
        this,
        [job, scanner = scanner_, diskOf = diskOf_, turns = turns_,
         command = job->withRights ? rights_.helperCommand() : std::vector<std::string>()]() mutable {
            const auto disk = askWithin(job->options.patience, [diskOf, path = job->path] { return diskOf(path); });
            const auto turn =
                turns.take(disk.value_or(std::string()), job->stop.get_token(), [&job] { job->waits = true; });
            job->waits = false;
            Outcome outcome{scanWithRights(command, scanner, *job), {}};
            if (!outcome.result)
                return outcome;
            auto& found = outcome.found;
            found.info = describeScan(*outcome.result);
            if (!job->name.isEmpty())
                found.info.placeName = job->name.toStdString();
            found.tree = outcome.result->tree;
            found.dominant = dominantFamilies(*found.tree);
            found.wholeDrive = found.info.place == found.info.mountPoint;
            found.unreadable = outcome.result->unreadableList;
            found.options = job->options;
            found.withRights = job->byHelper;
            found.account = outcome.result->account;
            found.info.crossMounts = job->options.crossMounts;
            found.info.exclude = job->options.exclude;
            return outcome;
        },
        [this, job](const Outcome& outcome) { finishScan(job, outcome.result, outcome.found); },
        [this, job](const QString& problem) { failScan(job, problem); });
    growth_.start(firstLook);
}

/// By timer: takes a look at each scan, off the interface thread, unless one is being taken.
void ScanJobs::growPlaces()
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
                growth_.setInterval(growthInterval); // also where a place is scanned again and stays as it was
                grow(job, look.tree, look.dominant);
            },
            [job](const QString&) { job->looking = false; }); // the scan itself says so
    }
}

void ScanJobs::grow(const std::shared_ptr<ScanJob>& job, std::shared_ptr<const FileTree> tree,
                    std::shared_ptr<const std::vector<Family>> dominant)
{
    if (std::find(scans_.begin(), scans_.end(), job) == scans_.end())
        return; // it has ended, and the finished tree is shown
    if (job->placeId != 0)
        return trees_.grow(job->placeId, std::move(tree), std::move(dominant));
    // A place that is scanned again stays as it was until the new scan has ended.
    if (!job->remote && places_.liveAt(job->about.place))
        return;
    Place place;
    place.fromSnapshot = job->remote;
    place.info = job->about;
    place.info.partial = true;
    place.capacity = job->about.capacity;
    place.wholeDrive = job->about.place == job->about.mountPoint;
    place.options = job->options;
    place.tree = std::move(tree);
    place.dominant = std::move(dominant);
    job->placeId = places_.add(std::move(place));
    emit scansChanged();
}

void ScanJobs::finishScan(const std::shared_ptr<ScanJob>& job, const Result<ScanResult>& result,
                          const ScannedPlace& found)
{
    if (!result)
        return failScan(job, QString::fromStdString(result.error().sentence));
    std::erase(scans_, job);
    if (job->placeId != 0) {
        if (!places_.placeOf(job->placeId)) { // closed meanwhile
            emit scansChanged();
            return;
        }
        if (places_.placeOf(job->placeId)->tree->sharedStore() != found.tree->sharedStore()) {
            // The scan began anew by another method, and nothing of what grew is part of it.
            places_.drop(job->placeId);
            return endScan(job, places_.add(found.place()), *result);
        }
        trees_.finish(job->placeId, found);
        return endScan(job, job->placeId, *result);
    }
    if (const auto* open = places_.liveAt(found.info.place); open && !open->isGrowing()) {
        // Scanned again: the new tree takes the place of the old one, and what was planned and done there goes on.
        emit scansChanged();
        trees_.replace(open->id, found, [this, job, id = open->id, result = *result](bool done) {
            const auto* now = done ? places_.placeOf(id) : nullptr;
            if (!now)
                return emit scanEnded(0, false);
            places_.bringUp(*now);
            endScan(job, id, result);
        });
        return;
    }
    endScan(job, places_.add(found.place()), *result);
}

void ScanJobs::endScan(const std::shared_ptr<ScanJob>& job, std::uint64_t placeId, const ScanResult& result)
{
    const auto& shown = *places_.placeOf(placeId);
    log(LogLevel::Info, result.direct ? QStringLiteral("the drive's own tables were read") : QStringLiteral("walked"));
    log(LogLevel::Debug, toText(result.methodReason));
    sayWhatIsMissing(shown, result);
    snapshots_.save(placeId);
    emit scansChanged();
    emit scanEnded(placeId, true);
    if (!job->refused.empty())
        notices_.say(QString::fromStdString(job->refused), Severity::Warning);
    else if (job->withRights && shown.tree->sums(rootNode).unreadable > 0)
        rights_.startReading(placeId);
}

/// A place that grew with it would never be whole: it is closed.
void ScanJobs::failScan(const std::shared_ptr<ScanJob>& job, const QString& sentence)
{
    std::erase(scans_, job);
    notices_.say(sentence, Severity::Problem);
    if (job->placeId != 0)
        places_.drop(job->placeId);
    emit scansChanged();
    emit scanEnded(0, false);
}

void ScanJobs::sayWhatIsMissing(const Place& place, const ScanResult& found)
{
    const auto name = toText(place.info.placeName);
    const auto hung = std::find_if(found.unreadableList.begin(), found.unreadableList.end(),
                                   [](const Unreadable& u) { return u.sysError == ETIMEDOUT; });
    // Whose permissions are not the reason is said first.
    const auto failed = std::find_if(found.unreadableList.begin(), found.unreadableList.end(),
                                     [](const Unreadable& u) { return u.sysError != EACCES && u.sysError != EPERM; });
    const auto reason = failed == found.unreadableList.end()
                            ? QString()
                            : QString::fromStdString(systemError("read", failed->path, failed->sysError).sentence);
    if (found.driveGone)
        notices_.say(
            tr("The drive of %1 does not answer any more. What was found until then is shown, and kept as a partial "
               "snapshot.")
                .arg(name),
            Severity::Problem);
    else if (found.outOfMemory)
        notices_.say(
            tr("There is no memory to hold more of %1. What was found until then is shown, and kept as a partial "
               "snapshot.")
                .arg(name),
            Severity::Problem);
    else if (found.stopped)
        notices_.say(
            tr("The scan of %1 was stopped. What was found until then is shown, and kept as a partial snapshot.")
                .arg(name),
            Severity::Warning);
    else if (hung != found.unreadableList.end())
        notices_.say(tr("%1 did not answer and was given up. Everything else is there.").arg(toText(hung->path)),
                     Severity::Warning);
    else if (found.unreadable == 1 && !reason.isEmpty())
        notices_.say(tr("%1 What is in it is missing from all figures.").arg(reason), Severity::Warning);
    else if (found.unreadable > 1 && !reason.isEmpty())
        notices_.say(tr("%1 could not be read and are missing from all figures. The first: %2")
                         .arg(itemsText(found.unreadable, "entry", "entries"), reason),
                     Severity::Warning);
    else if (found.unreadable == 1)
        notices_.say(tr("%1 could not be read with your permissions. What is in it is missing from all figures.")
                         .arg(toText(found.unreadableList.front().path)),
                     Severity::Warning);
    else if (found.unreadable > 1)
        notices_.say(
            tr("%1 could not be read with your permissions, %2 among them. They are missing from all figures.")
                .arg(itemsText(found.unreadable, "entry", "entries"), toText(found.unreadableList.front().path)),
            Severity::Warning);
}

const ScanJob* ScanJobs::scanOf(const Place& place) const
{
    for (const auto& job : scans_)
        if (job->placeId == place.id && place.id != 0)
            return job.get();
    return nullptr;
}

void ScanJobs::stopScan(const ScanJob* job)
{
    for (const auto& running : scans_)
        if (running.get() == job) {
            running->stop.request_stop();
            running->progress->setPaused(false);
        }
    emit scansChanged();
}

void ScanJobs::pauseScan(const ScanJob* job, bool paused)
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

} // namespace kurvo::app
