// SPDX-License-Identifier: GPL-3.0-or-later
// All models and jobs of one window, made in the order in which they use each other. Only what wires (the window, its
// stages) gets the whole; a widget gets those it shows.
#pragma once

#include "app/jobs/lead_finder.h"
#include "app/jobs/logbook_model.h"
#include "app/jobs/plan_keeper.h"
#include "app/jobs/plan_runner.h"
#include "app/jobs/rights_reader.h"
#include "app/jobs/scan_jobs.h"
#include "app/jobs/snapshot_keeper.h"
#include "app/jobs/together.h"
#include "app/jobs/upkeep_model.h"
#include "app/model/cursor.h"
#include "app/model/place_view.h"
#include "app/model/plan_model.h"

namespace kurvo::app {

struct Models {
    explicit Models(AppFolders appFolders);
    /// Ends what runs, and waits for it.
    ~Models();
    Models(const Models&) = delete;
    Models& operator=(const Models&) = delete;

    const AppFolders folders;
    Notices notices;
    Knowledge knowledge;
    PlaceStore places;
    TreeUpdater trees;
    Cursor cursor;
    PlaceView view;
    PlanModel plan;
    LeadFinder leads;
    SnapshotKeeper snapshots;
    RightsReader rights;
    ScanJobs scans;
    PlanKeeper keeper;
    LogbookModel logbook;
    PlanRunner runner;
    UpkeepModel upkeep;
    Together together;
};

} // namespace kurvo::app
