// SPDX-License-Identifier: GPL-3.0-or-later
// The part of scan_jobs.h that reads folders of open places again.
#include <QDateTime>

#include <algorithm>

#include "app/jobs/scan_jobs.h"
#include "app/services/async.h"
#include "app/style/words.h"
#include "core/base/text.h"

namespace kurvo::app {
namespace {

/// Those below another one are read with it.
std::vector<std::string> uppermost(std::vector<std::string> folders)
{
    std::sort(folders.begin(), folders.end());
    std::vector<std::string> upper;
    for (auto& folder : folders)
        if (upper.empty() || !isAtOrBelow(folder, upper.back()))
            upper.push_back(std::move(folder));
    return upper;
}

} // namespace

void ScanJobs::rescan(NodeId folder)
{
    const auto* p = places_.place();
    if (!p || folder == noNode || !p->tree->contains(folder))
        return;
    if (p->isTogether())
        return rescanInPart(*p, folder);
    if (p->fromSnapshot)
        return notices_.say(
            tr("This is a snapshot from a file: it stays what it was. Scan the place to see it as it is now."),
            Severity::Warning);
    if (p->isGrowing())
        return notices_.say(tr("The scan is still running."));
    if (places_.refusesWhileLocked())
        return;
    if (!p->tree->isFolder(folder))
        folder = p->tree->parent(folder);
    startRescan(*p, {p->tree->path(folder)});
}

/// Read again in the place itself, which the joined one follows.
void ScanJobs::rescanInPart(const Place& together, NodeId folder)
{
    if (places_.refusesWhileLocked())
        return;
    const auto path = together.tree->path(together.tree->isFolder(folder) ? folder : together.tree->parent(folder));
    const auto* part = together.partAt(path);
    const auto* open = part ? places_.liveAt(part->info.place) : nullptr;
    if (!part)
        return notices_.say(tr("Choose a folder of one of these places: it is read again there."));
    if (!part->live || !open || open->isGrowing())
        return notices_.say(
            tr("%1 is shown as it was scanned. Scan it, and what is there now comes in here.").arg(part->name));
    startRescan(*open, {path});
}

void ScanJobs::rescanChanged()
{
    const auto* p = places_.place();
    if (!p || p->changed.empty() || p->isGrowing() || p->fromSnapshot)
        return;
    if (places_.refusesWhileLocked())
        return;
    startRescan(*p, uppermost(p->changed));
}

void ScanJobs::startRescan(const Place& target, const std::vector<std::string>& folders, bool quiet)
{
    auto job = std::make_shared<ScanJob>();
    job->path = folders.front();
    job->name = folders.size() == 1 ? toText(fileName(folders.front())) : itemsText(folders.size(), "folder");
    job->options = target.options;
    job->placeId = target.id;
    job->rescan = true;
    job->quiet = quiet;
    job->number = ++rescans_;
    job->startedMs = QDateTime::currentMSecsSinceEpoch();
    scans_.push_back(job);
    emit scansChanged();
    struct Outcome {
        std::vector<FreshFolder> fresh;
        std::string problem;
        bool stopped = false;
    };
    runAsync(
        this,
        [job, folders, scanner = scanner_] {
            Outcome outcome;
            for (const auto& folder : folders) {
                auto result = scanner(folder, job->options, job->stop.get_token(), job->progress.get());
                if ((outcome.stopped = job->stop.stop_requested()))
                    break;
                if (result && !result->stopped)
                    outcome.fresh.push_back({folder, result->tree, result->unreadableList});
                else if (!result &&
                         (result.error().kind == ErrorKind::NotFound || result.error().kind == ErrorKind::NotAFolder))
                    outcome.fresh.push_back({folder, nullptr, {}}); // it is gone
                else if (!result)
                    outcome.problem = result.error().sentence;
            }
            return outcome;
        },
        [this, job](Outcome outcome) {
            std::erase(scans_, job);
            emit scansChanged();
            const auto* open = places_.placeOf(job->placeId);
            if (!open)
                return;
            if (outcome.stopped)
                return notices_.say(tr("Stopped. %1 is shown as it was before.").arg(job->name));
            if (!outcome.problem.empty())
                notices_.say(QString::fromStdString(outcome.problem), Severity::Warning);
            const auto again = dropWhatIsOlder(*job, outcome.fresh);
            if (!again.empty())
                startRescan(*open, again, job->quiet);
            if (outcome.fresh.empty())
                return;
            const auto before = open->tree->disk(rootNode);
            const auto ifChanged = job->quiet ? Plan::IfChanged::Keep : Plan::IfChanged::Drop;
            trees_.putIn(job->placeId, std::move(outcome.fresh), ifChanged, false, [this, job, before](bool done) {
                const auto* now = places_.placeOf(job->placeId);
                if (!done || !now || job->quiet)
                    return;
                const auto after = now->tree->disk(rootNode);
                notices_.say(after == before ? tr("%1 was rescanned: nothing changed in size.").arg(job->name)
                             : after > before
                                 ? tr("%1 was rescanned: %2 more.").arg(job->name, sizeText(after - before))
                                 : tr("%1 was rescanned: %2 less.").arg(job->name, sizeText(before - after)));
            });
        },
        [this, job](const QString& problem) {
            std::erase(scans_, job);
            notices_.say(problem, Severity::Problem);
            emit scansChanged();
        });
}

/// Takes out what a rescan that began later has brought already: its reading is the newer one. What that did not cover
/// is to be read again.
std::vector<std::string> ScanJobs::dropWhatIsOlder(const ScanJob& job, std::vector<FreshFolder>& fresh)
{
    std::vector<std::string> again;
    std::erase_if(fresh, [&](const FreshFolder& mine) {
        bool covered = false, touched = false;
        for (const auto& other : cameIn_)
            if (other.placeId == job.placeId && other.number > job.number) {
                covered = covered || isAtOrBelow(mine.path, other.folder);
                touched = touched || isAtOrBelow(other.folder, mine.path);
            }
        if (touched && !covered)
            again.push_back(mine.path);
        return covered || touched;
    });
    const bool olderRuns = std::any_of(scans_.begin(), scans_.end(), [&](const auto& other) {
        return other->rescan && other->placeId == job.placeId && other->number < job.number;
    });
    if (olderRuns)
        for (const auto& mine : fresh)
            cameIn_.push_back({job.placeId, job.number, mine.path});
    if (std::none_of(scans_.begin(), scans_.end(), [](const auto& other) { return other->rescan; }))
        cameIn_.clear();
    return again;
}

void ScanJobs::readTouched(const std::vector<LoggedStep>& steps)
{
    std::vector<std::string> folders;
    for (const auto& step : steps) {
        if (step.state != StepState::Done && step.state != StepState::Undone && step.state != StepState::Emptied)
            continue;
        folders.push_back(step.action == Action::EmptyTrash ? step.path : std::string(parentPath(step.path)));
        if (!step.target.empty())
            folders.emplace_back(parentPath(step.target));
        if (!step.trashed.folder.path.empty())
            folders.push_back(step.trashed.folder.path);
    }
    folders = uppermost(std::move(folders));
    for (const auto& open : places_.places()) {
        if (open->fromSnapshot || open->isGrowing())
            continue;
        auto here = folders;
        std::erase_if(here, [&](const std::string& folder) { return !isAtOrBelow(folder, open->info.place); });
        for (auto& folder : here)
            while (folder.size() > open->info.place.size() && !open->tree->find(folder))
                folder = parentPath(folder);
        if (here = uppermost(std::move(here)); !here.empty())
            startRescan(*open, here, true);
    }
}

} // namespace kurvo::app
