// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/logbook_model.h"

#include <algorithm>

#include "app/services/async.h"
#include "core/platform/drives.h"

namespace kurvo::app {

LogbookModel::LogbookModel(const AppFolders& folders, PlaceStore& places, Knowledge& knowledge, Notices& notices,
                           QObject* parent)
    : QObject(parent), folders_(folders), places_(places), knowledge_(knowledge), notices_(notices)
{
}

const RunRecord* LogbookModel::recordOf(std::int64_t run) const
{
    const auto found =
        std::find_if(history_->begin(), history_->end(), [run](const RunRecord& r) { return r.run.id == run; });
    return found == history_->end() ? nullptr : &*found;
}

void LogbookModel::take(Result<std::vector<RunRecord>> history)
{
    if (!history)
        return notices_.say(QString::fromStdString(history.error().sentence), Severity::Warning);
    history_ = std::make_shared<const std::vector<RunRecord>>(std::move(*history));
    places_.shareHistory(history_);
    emit historyChanged();
}

void LogbookModel::writeReport(std::int64_t run, const std::function<void(const RunReport&)>& answer)
{
    const auto* record = recordOf(run);
    if (!record)
        return;
    // The place that was cleared, where it is open.
    const Place* open = nullptr;
    for (const auto& p : places_.places())
        if (!open && p->info.place == record->run.place && !p->info.sample)
            open = p.get();
    const auto book = knowledge_.marks(record->run.host);
    runAsync(
        this,
        [record = *record, tree = open ? open->tree : nullptr, book] {
            RunReport report;
            report.record = record;
            const auto mount = mountPointOf(record.run.place);
            const auto drive = mount ? readDrive(*mount) : Result<Drive>(mount.error());
            report.proof = proofOf(record, drive ? drive->filesystem : std::string());
            if (drive) {
                report.drive = drive->name + " at " + drive->mountPoint;
                report.capacity = drive->capacity.total;
            }
            if (tree)
                report.largest = largestOf(*tree);
            report.questions = questionsOf(*book, record.run.place);
            return report;
        },
        answer);
}

} // namespace kurvo::app
