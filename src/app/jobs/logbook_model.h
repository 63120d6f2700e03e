// SPDX-License-Identifier: GPL-3.0-or-later
// What the logbook holds, as the window shows it: the runs of all places, and reports on them.
//
// Interface thread only.
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "app/model/place_store.h"
#include "core/act/run_history.h"
#include "core/report/run_report.h"

namespace kurvo::app {

class LogbookModel : public QObject {
    Q_OBJECT
public:
    LogbookModel(const AppFolders& folders, PlaceStore& places, Knowledge& knowledge, Notices& notices,
                 QObject* parent = nullptr);

    std::string file() const { return joinPath(folders_.data, "logbook.db"); }
    /// Newest first.
    const std::vector<RunRecord>& history() const { return *history_; }
    const RunRecord* recordOf(std::int64_t run) const;
    /// How it is written has changed.
    void tellAgain() { emit historyChanged(); }
    /// What was read after something was done, or why it could not be.
    void take(Result<std::vector<RunRecord>> history);
    /// The report on a run, with what is known of its place; answers later.
    void writeReport(std::int64_t run, const std::function<void(const RunReport&)>& answer);

signals:
    void historyChanged();

private:
    const AppFolders& folders_;
    PlaceStore& places_;
    Knowledge& knowledge_;
    Notices& notices_;
    std::shared_ptr<const std::vector<RunRecord>> history_ = std::make_shared<const std::vector<RunRecord>>();
};

} // namespace kurvo::app
