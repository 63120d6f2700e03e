// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/jobs/models.h"

#include "app/services/async.h"
#include "app/style/plurals.h"

namespace kurvo::app {

Models::Models(AppFolders appFolders)
    : folders(std::move(appFolders)), knowledge(folders), places(folders, knowledge, notices),
      trees(places, knowledge, notices), cursor(places, trees, notices),
      view(folders, places, trees, knowledge, notices), plan(places, trees, notices),
      leads(folders, places, trees, cursor, view, plan, knowledge, notices), snapshots(folders, places, notices),
      rights(folders, places, trees, snapshots, notices), scans(folders, places, trees, snapshots, rights, notices),
      keeper(folders, places, trees, plan, notices), logbook(folders, places, knowledge, notices),
      runner(folders, places, trees, plan, logbook, scans, rights, notices),
      upkeep(folders, places, knowledge, notices), together(folders, places, trees, scans, snapshots, notices)
{
    installPlurals();
    // The threads mostly wait, and one that waits for a slow drive must not hold up the others.
    QThreadPool::globalInstance()->setMaxThreadCount(32);
    QObject::connect(&knowledge, &Knowledge::problem, &notices,
                     [this](const QString& sentence) { notices.say(sentence, Severity::Warning); });
    QObject::connect(&scans, &ScanJobs::scanEnded, &knowledge, &Knowledge::refreshPackages);
    QObject::connect(&AsyncProblems::instance(), &AsyncProblems::told, &notices,
                     [this](const QString& sentence) { notices.say(sentence, Severity::Problem); });
}

Models::~Models()
{
    // Who listened is half gone by now.
    for (QObject* model :
         std::initializer_list<QObject*>{&notices, &knowledge, &places, &trees, &cursor, &view, &plan, &leads,
                                         &snapshots, &rights, &scans, &keeper, &logbook, &runner, &upkeep, &together})
        model->blockSignals(true);
    leads.stop();
    scans.stopAll();
    rights.stop();
    runner.stop();
    upkeep.stop();
    keeper.flushPlans();
    QThreadPool::globalInstance()->waitForDone();
}

} // namespace kurvo::app
