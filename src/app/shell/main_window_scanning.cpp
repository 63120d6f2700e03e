// SPDX-License-Identifier: GPL-3.0-or-later
// What the window can do: its commands about scanning.
#include "app/shell/main_window.h"
#include "app/style/words.h"

namespace kurvo::app {

void MainWindow::makeScanCommands(QMenu* menu)
{
    const auto anyPlace = [this] { return models_.places.place() != nullptr; };
    const auto scanning = [this] { return models_.scans.runningScan() != nullptr; };
    const auto all = [this](const auto& act) {
        const auto jobs = models_.scans.scans();
        for (const auto& job : jobs)
            act(job.get());
    };
    commands_.add(menu, {.words = tr("Home folder"), .keys = {QKeySequence("Ctrl+H")}, .run = [this] {
                             setStage(Stage::Scan), scan_->scanHome();
                         }});
    auto* choose = commands_.add(menu, {.words = tr("Choose a folder…"), .keys = {QKeySequence::Open}, .run = [this] {
                                            scan_->chooseFolder();
                                        }});
    auto* machine =
        commands_.add(menu, {.words = tr("Another machine…"), .keys = {QKeySequence("Ctrl+Shift+M")}, .run = [this] {
                                 setStage(Stage::Scan), scan_->chooseMachine();
                             }});
    auto* open =
        commands_.add(menu, {.words = tr("Open a snapshot…"), .keys = {QKeySequence("Ctrl+Shift+O")}, .run = [this] {
                                 scan_->openSnapshotFile();
                             }});
    menu->addSeparator();
    rescanFolder_ = commands_.add(menu, {.words = tr("Rescan this folder"),
                                         .keys = {QKeySequence::Refresh},
                                         .run =
                                             [this] {
                                                 const auto* place = models_.places.place();
                                                 const auto node = subject();
                                                 const bool folder = node != noNode && place->tree->isFolder(node);
                                                 models_.scans.rescan(folder ? node : place->focus);
                                             },
                                         .possible =
                                             [this] {
                                                 const auto* place = models_.places.place();
                                                 return isLive() || (place && place->isTogether());
                                             }});
    auto* changed =
        commands_.add(menu, {.words = tr("Rescan what changed"),
                             .keys = {QKeySequence("Ctrl+F5")},
                             .run = [this] { models_.scans.rescanChanged(); },
                             .possible = [this] { return isLive() && !models_.places.place()->changed.empty(); }});
    commands_.add(menu, {.words = tr("Rescan this place"),
                         .keys = {QKeySequence("Shift+F5")},
                         .run = [this] { setStage(Stage::Scan), scan_->scanAgain(*models_.places.place()); },
                         .possible =
                             [this] {
                                 const auto* place = models_.places.place();
                                 return place && !place->info.sample && !place->isGrowing();
                             }});
    const auto isPaused = [this] {
        const auto* running = models_.scans.runningScan();
        return running && running->pausedSinceMs != 0;
    };
    commands_.add(menu, {.words = tr("Pause scanning"),
                         .keys = {QKeySequence("Ctrl+,")},
                         .run =
                             [this, all, isPaused] {
                                 const bool pause = !isPaused();
                                 all([this, pause](const ScanJob* job) { models_.scans.pauseScan(job, pause); });
                             },
                         .possible = scanning,
                         .wordsNow = [isPaused] { return isPaused() ? tr("Resume scanning") : tr("Pause scanning"); }});
    commands_.add(menu, {.words = tr("Stop scanning"),
                         .keys = {QKeySequence("Ctrl+.")},
                         .run = [this, all] { all([this](const ScanJob* job) { models_.scans.stopScan(job); }); },
                         .possible = scanning});
    menu->addSeparator();
    ledger_ = commands_.add(
        menu, {.words = tr("Ledger…"),
               .keys = {QKeySequence("Ctrl+L")},
               .run = [this] { showLedger(); },
               .possible = [this, anyPlace] { return anyPlace() && models_.places.place()->hasLedger(); }});
    commands_.add(menu, {.words = tr("Unreadable items…"),
                         .keys = {QKeySequence("Ctrl+R")},
                         .run = [this] { showNotRead(); },
                         .possible = anyPlace});
    Commands::showKey(scan_->chooseButton(), choose);
    Commands::showKey(scan_->machineButton(), machine);
    Commands::showKey(scan_->openButton(), open);
    Commands::tellKey(explore_->changedButton(), changed);
}

} // namespace kurvo::app
