// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/act/run_history.h"

#include <algorithm>
#include <map>
#include <set>

#include "core/base/figures.h"
#include "core/base/patience.h"
#include "core/base/text.h"

namespace kurvo {
namespace {

bool isInTrash(const LoggedStep& step)
{
    return step.action == Action::Trash && step.state == StepState::Done;
}

/// What lies in trash folders, each looked into once. One that does not answer, or whose drive is not there, may come
/// back: it is taken to hold what it held.
class TrashNames {
public:
    bool hold(const LoggedStep& step)
    {
        const auto& folder = step.trashed.folder;
        auto known = names_.find(folder.path);
        if (known == names_.end()) {
            const auto files = joinPath(folder.path, "files");
            const auto asked = askWithin(std::chrono::seconds(5), [files] { return namesOf(files); });
            known = names_.emplace(folder.path, asked.value_or(Names())).first;
        }
        const auto& names = known->second;
        if (names.missing) // on a drive that may be plugged in again
            return !folder.topFolder.empty();
        return !names.read || names.all.contains(step.trashed.name);
    }

private:
    struct Names {
        bool read = false;
        bool missing = false;
        std::set<std::string> all;
    };

    static Names namesOf(const std::string& path)
    {
        Names names;
        const auto folder = openFolder(path);
        names.missing = !folder && folder.error().kind == ErrorKind::NotFound;
        if (!folder)
            return names;
        FolderReader reader;
        reader.start(folder->get());
        while (const char* name = reader.next())
            names.all.emplace(name);
        names.read = reader.error() == 0;
        return names;
    }

    std::map<std::string, Names> names_;
};

} // namespace

std::size_t RunRecord::count(StepState state) const
{
    return static_cast<std::size_t>(
        std::count_if(steps.begin(), steps.end(), [state](const LoggedStep& step) { return step.state == state; }));
}

std::uint64_t RunRecord::bytesInTrash() const
{
    std::uint64_t sum = 0;
    for (const auto& step : steps)
        sum += isInTrash(step) ? step.disk : 0;
    return sum;
}

bool RunRecord::canBeUndone() const
{
    return std::any_of(steps.begin(), steps.end(),
                       [](const LoggedStep& step) { return step.state == StepState::Done && !isForGood(step.action); });
}

bool RunRecord::isUndoing() const
{
    return !steps.empty() && std::all_of(steps.begin(), steps.end(), [](const LoggedStep& step) {
        return step.action == Action::Move && step.state == StepState::Undone;
    }) && steps.front().note == undoingNote;
}

Result<std::vector<RunRecord>> readHistory(Logbook& logbook)
{
    auto runs = logbook.runs();
    if (!runs)
        return runs.error();
    std::vector<RunRecord> history;
    std::vector<LoggedStep> emptied;
    TrashNames trash;
    for (auto& run : *runs) {
        auto steps = logbook.steps(run.id);
        if (!steps)
            return steps.error();
        for (auto& step : *steps)
            if (isInTrash(step) && !trash.hold(step)) {
                step.state = StepState::Emptied;
                emptied.push_back(step);
            }
        history.push_back({std::move(run), std::move(*steps)});
    }
    if (!emptied.empty())
        (void)logbook.update(emptied); // found again next time where it cannot be written
    return history;
}

Proof proofOf(const RunRecord& record, const std::string& filesystem)
{
    Proof proof;
    proof.cameFree = static_cast<std::int64_t>(record.run.freeAfter) - static_cast<std::int64_t>(record.run.freeBefore);
    for (const auto& step : record.steps) {
        if (step.state != StepState::Done && step.state != StepState::Emptied)
            continue;
        proof.cleared += step.disk;
        if (isInTrash(step)) {
            proof.inTrash += step.disk;
            continue;
        }
        proof.otherLinks += step.disk - std::min(step.disk, step.frees);
        proof.heldOpen += step.heldOpen ? step.frees : 0;
    }
    const auto explained = proof.inTrash + proof.otherLinks + proof.heldOpen;
    const auto due = proof.cleared - std::min(proof.cleared, explained);
    const auto came = static_cast<std::uint64_t>(std::max<std::int64_t>(proof.cameFree, 0));
    // Logs and caches move a little meanwhile; that is not worth a word.
    const auto slack = std::max<std::uint64_t>(std::uint64_t{1} << 20, due / 100);
    proof.unexplained = due > came + slack ? due - came : 0;
    if (proof.inTrash > 0)
        proof.sentences.push_back(formatBytes(proof.inTrash) +
                                  " of it is in the trash and comes free once the trash is "
                                  "emptied.");
    if (proof.otherLinks > 0)
        proof.sentences.push_back(formatBytes(proof.otherLinks) + " has further hard links elsewhere, which keep it.");
    if (proof.heldOpen > 0)
        proof.sentences.push_back(formatBytes(proof.heldOpen) +
                                  " is held open by a program and comes free when that ends.");
    if (proof.unexplained > 0)
        proof.sentences.push_back(
            formatBytes(proof.unexplained) + " did not come free: " +
            (filesystem == "btrfs" || filesystem == "zfs" || filesystem == "xfs" || filesystem == "bcachefs"
                 ? "snapshots or shared extents of the " + filesystem +
                       " filesystem may keep it, or something else was "
                       "written meanwhile."
                 : "something else was written meanwhile, or the filesystem frees it later."));
    return proof;
}

} // namespace kurvo
